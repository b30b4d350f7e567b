"""RDM by way of an Art-Net node: its table of who is on a port, and messages to them.

Source: Art-Net 4 Protocol Release, the tables of ArtTodRequest, ArtTodData, ArtTodControl and ArtRdm. The node
searches its line itself; a controller asks for what it found, or for a new search.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols import rdm
from netloom_core.protocols.artnet import ID, PROTOCOL, opcode

OP_TOD_REQUEST, OP_TOD_DATA, OP_RDM = 0x8000, 0x8100, 0x8300
RDM_VERSION = 1
FULL, NOT_KNOWN = 0x00, 0xFF
MOST_ASKED, MOST_TOLD = 32, 200  # port addresses in one request, units in one answer


@dataclass(frozen=True)
class Told:
    """A part of a node's table for one port address (15 bits). `total` is of all parts; `block` counts from 0."""

    port_address: int
    bind_index: int
    total: int
    block: int
    units: tuple[bytes, ...]
    known: bool = True  # whether the node has searched at all


def request(port_addresses: Sequence[int]) -> list[bytes]:
    """ArtTodRequest for each net among them."""
    packets = []
    for net in dict.fromkeys(address >> 8 for address in port_addresses):
        low = [address & 0xFF for address in port_addresses if address >> 8 == net]
        for at in range(0, len(low), MOST_ASKED):
            some = low[at : at + MOST_ASKED]
            head = _head(OP_TOD_REQUEST) + bytes(9) + bytes((net, FULL, len(some)))
            packets.append(head + bytes(some).ljust(MOST_ASKED, b"\x00"))
    return packets


def ask(port_address: int, message: bytes) -> bytes:
    """ArtRdm; `message` is whole, the start code is left out on this wire."""
    head = _head(OP_RDM) + bytes((RDM_VERSION, 0)) + bytes(7) + bytes((port_address >> 8, 0, port_address & 0xFF))
    return head + message[1:]


def parse_told(data: bytes) -> Told:
    """An ArtTodData. Raises ProtocolError."""
    if opcode(data) != OP_TOD_DATA or len(data) < 28:
        raise ProtocolError("not an ArtTodData")
    count = data[27]
    if count > MOST_TOLD or len(data) < 28 + 6 * count:
        raise ProtocolError(f"an ArtTodData of {len(data)} bytes for {count} units")
    units = tuple(data[28 + 6 * n : 34 + 6 * n] for n in range(count))
    return Told(
        (data[21] & 0x7F) << 8 | data[23], data[20], int.from_bytes(data[24:26], "big"), data[26],
        tuple(uid for uid in units if uid != rdm.EVERYBODY and any(uid)), data[22] != NOT_KNOWN,
    )  # fmt: skip


def parse_answer(data: bytes) -> tuple[int, rdm.Message]:
    """(port address, message) of an ArtRdm. Raises ProtocolError."""
    if opcode(data) != OP_RDM or len(data) < 24:
        raise ProtocolError("not an ArtRdm")
    return (data[21] & 0x7F) << 8 | data[23], rdm.parse(bytes((rdm.START,)) + data[24:])


def _head(code: int) -> bytes:
    return ID + code.to_bytes(2, "little") + bytes((0, PROTOCOL))
