"""The frame codec against vectors, against an unrelated CRC, and against any bytes."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import NetloomError, ProtocolError
from netloom_core.protocols.osdp.constants import MAX_FRAME
from netloom_core.protocols.osdp.frames import Frame, Receiver, crc16, decode, encode

VECTORS = json.loads((Path(__file__).parents[1] / "vectors/osdp/frames.json").read_text())["frames"]

frames = st.builds(
    Frame,
    address=st.integers(0, 127),
    code=st.integers(0, 255),
    data=st.binary(max_size=200),
    sequence=st.integers(0, 3),
    reply=st.booleans(),
    crc=st.booleans(),
)


def bitwise_crc(data: bytes) -> int:
    """CRC-16 of the standard's annex, bit by bit: polynomial 0x1021, start 0x1D0F."""
    value = 0x1D0F
    for byte in data:
        for bit in range(7, -1, -1):
            top = value >> 15 ^ byte >> bit & 1
            value = (value << 1 & 0xFFFF) ^ (0x1021 if top else 0)
    return value


def frame_of(vector: dict) -> Frame:
    return Frame(
        vector["address"],
        int(vector["code"], 16),
        bytes.fromhex(vector["data"]),
        vector["sequence"],
        vector["reply"],
        vector["check"] == "crc",
    )


@pytest.mark.parametrize("vector", VECTORS, ids=lambda v: v["what"])
def test_vectors_both_ways(vector: dict) -> None:
    raw = bytes.fromhex(vector["hex"])
    assert encode(frame_of(vector)) == raw
    assert decode(raw) == frame_of(vector)


def test_crc_check_value() -> None:
    assert crc16(b"123456789") == 0xE5CC == bitwise_crc(b"123456789")


@given(st.binary(max_size=300))
def test_crc_is_the_bitwise_one(data: bytes) -> None:
    assert crc16(data) == bitwise_crc(data)


@given(frames)
def test_there_and_back(frame: Frame) -> None:
    assert decode(encode(frame)) == frame


@given(frames, st.integers(0), st.integers(0, 7))
def test_a_flipped_bit_is_found(frame: Frame, where: int, bit: int) -> None:
    raw = bytearray(encode(frame))
    raw[where % len(raw)] ^= 1 << bit
    # A flip of the check-type bit turns a CRC into a checksum, which one byte cannot always tell.
    if where % len(raw) == 4 and bit == 2:
        return
    with pytest.raises(ProtocolError):
        decode(bytes(raw))


@given(st.lists(frames, max_size=5), st.binary(max_size=40), st.data())
def test_split_anywhere_with_noise_before(sent: list[Frame], noise: bytes, data: st.DataObject) -> None:
    """Noise without a start byte before it, and pieces of any size, lose nothing."""
    stream = noise.replace(b"\x53", b"\x00") + b"".join(map(encode, sent))
    receiver, got = Receiver(), []
    while stream:
        size = data.draw(st.integers(1, len(stream)))
        got += receiver.feed(stream[:size])
        stream = stream[size:]
    assert got == sent


@given(st.lists(st.binary(max_size=200), max_size=20))
def test_any_bytes_neither_crash_nor_pile_up(pieces: list[bytes]) -> None:
    receiver = Receiver()
    for piece in pieces:
        receiver.feed(piece)
        assert len(receiver._buffer) <= MAX_FRAME + len(piece)


@given(st.binary(max_size=200))
def test_decoding_any_bytes_is_a_frame_or_a_typed_error(raw: bytes) -> None:
    try:
        assert isinstance(decode(raw), Frame)
    except NetloomError:
        pass


def test_a_good_frame_behind_a_damaged_one_is_found() -> None:
    bad = bytearray(encode(Frame(1, 0x40, reply=True)))
    bad[-1] ^= 0xFF
    good = Frame(2, 0x40, reply=True)
    receiver = Receiver()
    assert receiver.feed(bytes(bad) + encode(good)) == [good]
    assert receiver.noise == len(bad)


def test_frames_that_cannot_be() -> None:
    with pytest.raises(ValueError, match="address"):
        encode(Frame(128, 0x60))
    with pytest.raises(ValueError, match="longer"):
        encode(Frame(0, 0x80, bytes(MAX_FRAME)))
    secure = bytearray(encode(Frame(0, 0x60)))
    secure[4] |= 0x08
    body = bytes(secure[:-2])
    with pytest.raises(ProtocolError, match="security"):
        decode(body + crc16(body).to_bytes(2, "little"))
