"""Frames and layouts: published check values, both ways, and any bytes at all."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.drivers.framed.frames import MAX_FRAME, Check, Framing, Receiver
from netloom_core.drivers.framed.layout import BadLayout, packed, parsed, unpacked
from netloom_core.errors import ProtocolError

CHECKED = b"123456789"  # the string of which catalogues of CRCs give the check value
FRAMINGS = [
    Framing(start="a55a", length="body", check=Check(kind="crc", width=2, poly=0x1021, start=0xFFFF)),
    Framing(start="02", end="03", check=Check(kind="xor"), stuffed="0203", by="10"),
    Framing(start="7e", end="7e", stuffed="7e", by="7d"),
    Framing(start="aa", length="frame", length_bytes=2, length_little=True, check=Check(kind="sum", with_start=True)),
    Framing(end="0d"),
    Framing(start="f0", length="body", end="f7", check=Check(kind="sum"), stuffed="f0f7", by="f5"),
]


@pytest.mark.parametrize(
    ("check", "value"),
    [
        (Check(kind="crc", width=2, poly=0x1021, start=0xFFFF), "29b1"),  # CRC-16/CCITT-FALSE
        (Check(kind="crc", width=2, poly=0x1021), "31c3"),  # CRC-16/XMODEM
        (Check(kind="crc", width=2, poly=0x8005, start=0xFFFF, reflected=True), "4b37"),  # CRC-16/MODBUS
        (Check(kind="crc", width=1, poly=0x07), "f4"),  # CRC-8
        (Check(kind="crc", width=1, poly=0x31, reflected=True), "a1"),  # CRC-8/MAXIM
        (Check(kind="crc", width=4, poly=0x04C11DB7, start=0xFFFFFFFF, reflected=True, turned=0xFFFFFFFF), "cbf43926"),
        (Check(kind="sum"), "dd"),
        (Check(kind="xor"), "31"),
    ],
)
def test_check_values_are_the_published_ones(check: Check, value: str) -> None:
    assert check.made(CHECKED).hex() == value


@pytest.mark.parametrize("framing", FRAMINGS)
@given(bodies=st.lists(st.binary(min_size=1, max_size=40), max_size=4), cut=st.integers(1, 7))
def test_what_is_framed_comes_out_again_in_any_pieces(framing: Framing, bodies: list[bytes], cut: int) -> None:
    if not framing.by and framing.end:
        end = bytes.fromhex(framing.end)
        bodies = [body for body in bodies if end not in body and not body.endswith(end)]
    wire = b"".join(framing.encoded(body) for body in bodies)
    receiver = Receiver(framing)
    found = [body for at in range(0, len(wire), cut) for body in receiver.feed(wire[at : at + cut])]
    assert found == bodies


@pytest.mark.parametrize("framing", FRAMINGS)
@given(noise=st.binary(max_size=300))
def test_noise_is_skipped_and_a_frame_after_it_is_heard(framing: Framing, noise: bytes) -> None:
    """Noise may look like the beginning of the longest frame that there can be: after so many bytes it is known."""
    receiver = Receiver(framing)
    receiver.feed(noise)
    body = b"\x21\x00\x07"
    frame = framing.encoded(body)
    assert any(body in receiver.feed(frame) for _ in range(2 * MAX_FRAME // len(frame)))


@given(kind=st.sampled_from(["u8", "s8", "u16", "s16le", "u32", "s32", "f32"]), number=st.integers(-(2**31), 2**32 - 1))
def test_numbers_fit_or_are_refused(kind: str, number: int) -> None:
    layout = parsed(f"21 {kind}:value")
    try:
        data = packed(layout, {"value": number})
    except ProtocolError:
        return
    told = unpacked(layout, data)
    assert told is not None
    assert told["value"] == pytest.approx(number, rel=1e-6)


def test_layouts_with_texts_bytes_and_points() -> None:
    layout = parsed("90 u8:_ text6:value bytes*:data")
    assert unpacked(layout, packed(layout, {"value": "Hall", "data": b"\x01\x02"})) == {
        "value": "Hall",
        "data": b"\1\2",
    }
    curve = parsed("c0 [s16:x s16:y]*")
    points = [{"x": -60, "y": 5}, {"x": 7, "y": -1}]
    assert unpacked(curve, packed(curve, {"points": points})) == {"points": points}
    assert unpacked(curve, b"\xc0\x00\x01\x02") is None, "half a point is none"
    assert unpacked(parsed("21 u8:value"), b"\x22\x01") is None


@pytest.mark.parametrize(
    "text", ["2", "u9:value", "text:value", "u8 21", "[u8:x", "[text*:x]*", "bytes*:a u8:b", "u84:x"]
)
def test_what_is_no_layout_says_why(text: str) -> None:
    with pytest.raises(BadLayout):
        parsed(text)


@given(
    st.sampled_from(["90 u8:_ text6:value", "[s16:x u8:y]*", "bytes*:data", "ee u8:code f32:value"]),
    st.binary(max_size=60),
)
def test_any_message_fits_a_layout_or_not(text: str, data: bytes) -> None:
    told: dict[str, Any] | None = unpacked(parsed(text), data)
    assert told is None or isinstance(told, dict)
