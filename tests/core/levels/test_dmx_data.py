"""ArtDmx and sACN data packets by their standards, and whatever else comes on those ports."""

from __future__ import annotations

import uuid

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import ProtocolError
from netloom_core.protocols.dmx_data import Frame, build_artdmx, build_sacn, parse_artdmx, parse_sacn

CID = str(uuid.UUID(int=7))
# A packet of E1.31-2018 written out by hand: universe 101, priority 100, slots 1 to 3 are 1, 2, 3.
BY_HAND = bytes.fromhex(
    "0010 0000 4153432d45312e3137000000 7071 00000004 00000000000000000000000000000007"
    "705b 00000002" + b"Desk".ljust(64, b"\0").hex() + "64 0000 2a 00 0065"
    "700e 02 a1 0000 0001 0004 00 010203"
)
# Art-Net 4, ArtDmx: sequence 9, net 1, sub-net 2, universe 3, four slots.
ARTDMX = b"Art-Net\0" + bytes.fromhex("0050 000e 09 00 23 01 0004 ff800001")


def test_packets_as_the_standards_write_them() -> None:
    told = parse_sacn(BY_HAND)
    assert told == Frame(101, b"\x01\x02\x03", CID, "Desk", 100, 42)
    assert build_sacn(told) == BY_HAND
    assert parse_artdmx(ARTDMX) == Frame(0x123, b"\xff\x80\x00\x01", sequence=9)
    assert build_artdmx(parse_artdmx(ARTDMX)) == ARTDMX


def test_the_end_of_a_stream_a_preview_and_priorities_of_slots() -> None:
    ended = Frame(1, b"\0" * 512, CID, "Desk", 100, 1, terminated=True)
    assert parse_sacn(build_sacn(ended)).terminated
    assert parse_sacn(build_sacn(Frame(1, b"\0", CID, "Desk", 100, preview=True))).preview
    assert parse_sacn(build_sacn(Frame(1, b"\x64" * 4, CID, "Desk", 100, start=0xDD))).start == 0xDD


@pytest.mark.parametrize(
    "data",
    [
        b"", BY_HAND[:125], BY_HAND[:-1], BY_HAND[:18] + b"\0\0\0\x08" + BY_HAND[22:],
        BY_HAND[:108] + b"\xc9" + BY_HAND[109:],  # priority 201
        BY_HAND[:113] + b"\0\0" + BY_HAND[115:],  # universe 0
        BY_HAND[:117] + b"\x03" + BY_HAND[118:],
        BY_HAND[:123] + b"\x02\x02" + BY_HAND[125:],
    ],
)  # fmt: skip
def test_what_is_no_data_packet_of_sacn(data: bytes) -> None:
    with pytest.raises(ProtocolError):
        parse_sacn(data)


@pytest.mark.parametrize(
    "data",
    [
        b"", ARTDMX[:19], ARTDMX[:-1], ARTDMX[:8] + b"\0\x20" + ARTDMX[10:],
        ARTDMX[:16] + b"\x02\x01" + ARTDMX[18:], ARTDMX[:16] + b"\0\0" + ARTDMX[18:],
    ],
)  # fmt: skip
def test_what_is_no_artdmx(data: bytes) -> None:
    with pytest.raises(ProtocolError):
        parse_artdmx(data)


@given(st.binary(max_size=700), st.integers(0, 700))
def test_any_bytes_are_levels_or_a_typed_error(data: bytes, at: int) -> None:
    for start, parse in ((BY_HAND, parse_sacn), (ARTDMX, parse_artdmx)):
        for one in (data, start[:at] + data, start[:at] + data + start[at:]):
            try:
                told = parse(one)
            except ProtocolError:
                continue
            assert 0 <= len(told.levels) <= 512


@given(
    st.binary(min_size=1, max_size=512), st.integers(1, 63999), st.integers(0, 200), st.integers(0, 255),
    st.text(st.characters(codec="ascii", min_codepoint=32), max_size=40),
)  # fmt: skip
def test_what_is_built_is_read_again(levels: bytes, universe: int, priority: int, sequence: int, name: str) -> None:
    frame = Frame(universe, levels, CID, name, priority, sequence)
    told = parse_sacn(build_sacn(frame))
    assert (told.universe, told.levels, told.who, told.priority, told.sequence) == (
        universe, levels, CID, priority, sequence
    )  # fmt: skip
