"""Firmware over Art-Net by the offsets of its tables, and nodes that answer wrongly, late or not at all."""

from __future__ import annotations

import asyncio
import hashlib
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.drivers.artnet.loading import load
from netloom_core.errors import NetloomError, NoAnswer, ProtocolError, Refused
from netloom_core.library.files import recognised
from netloom_core.library.load import Library
from netloom_core.links.shared_udp import SharedPort
from netloom_core.model.device import Target
from netloom_core.model.image import Image
from netloom_core.model.line import Line
from netloom_core.protocols import artnet_firmware as artnet

HOST, OURS, PORT = "127.29.93.9", "127.29.93.1", 6454
NET = Line("net", "Net", "ip", network="127.29.93.0/24", source=OURS)
GOOD, ALL, BAD = (b"Art-Net\0\x00\xf3\x00\x0e\x00\x00" + bytes((kind,)) + bytes(21) for kind in (0, 1, 0xFF))
Says = Callable[[int, int], list[bytes]]  # by type and number of a block


def file_of(codes: bytes = bytes.fromhex("2b41 2b42"), payload: bytes = b"\x12\x34" * 900) -> bytes:
    head = b"\xab\xcd\x02\x05" + b"Nodes of four ports".ljust(30, b"\0")
    return head + codes.ljust(512, b"\0") + bytes(510) + (len(payload) // 2).to_bytes(4, "big") + payload


def image(data: bytes) -> Image:
    read = lambda at, size: data[at : at + size]  # noqa: E731
    return Image("f", "n4.alf", len(data), hashlib.sha256(data).hexdigest(), "lumenfold-n4", "2.5", read)


def test_the_header_of_a_file_names_products_and_version(library: Library) -> None:
    told = artnet.header(file_of()[:4096])
    assert told == artnet.Header(0xABCD, "2.5", "Nodes of four ports", ("2B41", "2B42"), 900)
    known = recognised("anything.bin", file_of()[:4096], library)
    assert (known.profile, known.code, known.version) == ("lumenfold-n4", "2B41", "2.5")
    strange = recognised("n4_2.5.alf", file_of(bytes.fromhex("0102"))[:4096], library)
    assert (strange.profile, strange.code) == ("", "0102"), "another product's file is not taken for its name"


@pytest.mark.parametrize(
    "spoiled",
    [
        file_of()[:1059],
        file_of(b""),
        file_of(bytes(2) + b"\x2b\x41"),
        file_of()[:600] + b"\x01" + file_of()[601:],
        b"CRN1 code=CR-EXT1 rev=B version=1.12.0\n" + bytes(2000),
    ],
)
def test_what_is_no_file_of_artnet_is_none(spoiled: bytes) -> None:
    with pytest.raises(ProtocolError):
        artnet.header(spoiled)


@given(st.binary(max_size=1200))
def test_no_bytes_break_the_readers(data: bytes) -> None:
    for read in (artnet.header, artnet.parse_reply):
        try:
            read(data)
        except ProtocolError:
            pass


def test_a_block_stands_as_the_table_says() -> None:
    packet = artnet.block(artnet.CONTINUED, 258, 0x8212, b"\x0a\x0b")
    assert len(packet) == 1064
    assert packet[:14] == b"Art-Net\0\x00\xf2\x00\x0e\x00\x00"
    assert packet[14:20] == bytes((1, 2, 0, 0, 0x82, 0x12)), "type, number modulo 256, words high byte first"
    assert packet[20:42] == bytes(20) + b"\x0a\x0b"
    with pytest.raises(ProtocolError):
        artnet.block(artnet.FIRST, 0, 1 << 32, b"")


async def sent_to(says: Says, data: bytes, seconds: float = 1.0) -> list[tuple[int, int]]:
    """Types and numbers of the blocks that a node got which answers so."""
    got: list[tuple[int, int]] = []

    class Node(asyncio.DatagramProtocol):
        def connection_made(self, transport: asyncio.DatagramTransport) -> None:
            self.transport = transport

        def datagram_received(self, packet: bytes, addr: tuple[str, int]) -> None:
            got.append((packet[14], packet[15]))
            for answer in says(*got[-1]):
                self.transport.sendto(answer, addr)

    transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(Node, local_addr=(HOST, PORT))
    port = SharedPort(OURS, PORT)
    try:
        await load(port, Target("d", "Node", "lumenfold-n4", NET, HOST), image(data), seconds, lambda sent: None)
    except NetloomError as error:
        error.add_note(repr(got))
        raise
    finally:
        transport.close()
    return got


async def test_more_than_256_blocks_go_round_and_the_last_one_is_called_so() -> None:
    data = file_of(payload=bytes(270 * 1024))
    got = await sent_to(lambda kind, number: [ALL if kind == 2 else GOOD], data)
    assert [kind for kind, _ in got] == [0] + [1] * (len(got) - 2) + [2]
    assert [number for _, number in got] == [n % 256 for n in range(len(got))]
    assert len(got) == -(-len(data) // 1024)


async def test_junk_between_is_no_answer_and_no_block_is_said_twice() -> None:
    junk = [b"", b"Art-Net\0", b"Art-Net\0\x00\x21" + bytes(300), b"\xff" * 1400]
    got = await sent_to(lambda kind, number: [*junk, ALL if kind == 2 else GOOD], file_of())
    assert got == [(0, 0), (1, 1), (2, 2)]


@pytest.mark.parametrize(
    ("says", "error", "blocks"),
    [
        (lambda kind, number: [BAD if number else GOOD], Refused, 2),
        (lambda kind, number: [ALL], ProtocolError, 1),
        (lambda kind, number: [] if number else [GOOD], NoAnswer, 2),
        (lambda kind, number: [GOOD], NoAnswer, 3),  # it never says that it has all
    ],
)
async def test_a_node_that_answers_wrongly_or_not_is_told_as_that(
    says: Says, error: type[NetloomError], blocks: int
) -> None:
    with pytest.raises(error) as told:
        await sent_to(says, file_of(), seconds=0.4)
    assert len(told.value.__notes__[0].split("), (")) == blocks
