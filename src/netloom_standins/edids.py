"""EDIDs of invented displays, put together from a few words; apart from the code that reads them.

A description is a mapping: `maker` (three letters), `product`, `serial`, `name`, `best` (one of the timings below),
`codes` (VICs), `sound` (names below), `hdmi` (the most MHz, 0 for a DVI screen), `forum` (MHz above 340), `deep`,
`hdr`, and `wrong`: `checksum`, `promises` (a 4K mode that it cannot show), `mute` (no HDMI block beside its sound).
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

# Pixel clock in 10 kHz; active, blanking, front porch, sync width: across and down; polarity and interlace flags.
TIMINGS: dict[str, tuple[int, tuple[int, int, int, int], tuple[int, int, int, int], int]] = {
    "1280x720p60": (7425, (1280, 370, 110, 40), (720, 30, 5, 5), 0x1E),
    "1920x1080i60": (7425, (1920, 280, 88, 44), (540, 22, 2, 5), 0x9E),
    "1920x1080p50": (14850, (1920, 720, 528, 44), (1080, 45, 4, 5), 0x1E),
    "1920x1080p60": (14850, (1920, 280, 88, 44), (1080, 45, 4, 5), 0x1E),
    "3840x2160p30": (29700, (3840, 560, 176, 88), (2160, 90, 8, 10), 0x1E),
    "3840x2160p60": (59400, (3840, 560, 176, 88), (2160, 90, 8, 10), 0x1E),
    "1920x1200p60": (15400, (1920, 160, 48, 32), (1200, 35, 3, 6), 0x1A),
}
SOUNDS = {"pcm": b"\x09\x7f\x07", "pcm8": b"\x0f\x7f\x07", "ac3": b"\x15\x07\x50", "dts": b"\x3d\x07\xc0"}


def detailed(name: str, across_mm: int = 1210, down_mm: int = 680) -> bytes:
    clock, wide, high, flags = TIMINGS[name]
    active, blank, front, sync = wide
    lines, gap, before, pulse = high
    return bytes(
        (
            clock & 0xFF, clock >> 8, active & 0xFF, blank & 0xFF, active >> 8 << 4 | blank >> 8,
            lines & 0xFF, gap & 0xFF, lines >> 8 << 4 | gap >> 8,
            front & 0xFF, sync & 0xFF, (before & 15) << 4 | pulse & 15,
            front >> 8 << 6 | sync >> 8 << 4 | before >> 4 << 2 | pulse >> 4,
            across_mm & 0xFF, down_mm & 0xFF, across_mm >> 8 << 4 | down_mm >> 8, 0, 0, flags,
        )
    )  # fmt: skip


def _letters(maker: str) -> bytes:
    first, second, third = (ord(one) - 64 for one in maker)
    return (first << 10 | second << 5 | third).to_bytes(2, "big")


def _words(tag: int, text: str) -> bytes:
    return bytes((0, 0, 0, tag, 0)) + (text.encode("ascii")[:12] + b"\n").ljust(13, b" ")[:13]


def sealed(block: bytes) -> bytes:
    """The block of 128 bytes with its checksum."""
    bare = block[:127].ljust(127, b"\0")
    return bare + bytes((-sum(bare) % 256,))


def made(about: Mapping[str, Any]) -> bytes:
    """An EDID of one or two blocks of 128 bytes. Raises KeyError for a timing or a sound that is not known here."""
    wrong = about.get("wrong", ())
    hdmi = int(about.get("hdmi", 165))
    best = about.get("best", "1920x1080p60")
    digital = 0xA0 | (0x02 if hdmi else 0x01)
    first = bytearray(b"\x00\xff\xff\xff\xff\xff\xff\x00")
    first += _letters(about.get("maker", "BEL")) + int(about.get("product", 1)).to_bytes(2, "little")
    first += int(about.get("serial", 0)).to_bytes(4, "little") + bytes((12, 33, 1, 4, digital, 121, 68, 120, 0x0A))
    first += bytes.fromhex("ee91a3544c99260f5054") + bytes.fromhex(about.get("established", "210800"))
    first += b"".join(bytes.fromhex(pair) for pair in about.get("standard", ())).ljust(16, b"\x01")
    first += detailed(best)
    fastest = int(about.get("forum", hdmi or 165))
    first += bytes((0, 0, 0, 0xFD, 0, 23, 76, 15, 140 if fastest > 300 else 80, -(-fastest // 10), 1))
    first += b"\n" + b" " * 6
    first += _words(0xFC, about.get("name", "Display")) + _words(0xFF, str(about.get("serial_text", "SN-1")))
    more = _extension(about, hdmi, wrong) if hdmi or about.get("sound") else b""
    result = bytearray(sealed(bytes(first) + bytes((1 if more else 0,))) + more)
    if "checksum" in wrong:
        result[-1] ^= 0x5A
    return bytes(result)


def _extension(about: Mapping[str, Any], hdmi: int, wrong: Any) -> bytes:
    codes = [*about.get("codes", (16, 31, 4, 19))] + ([97] if "promises" in wrong else [])
    data = bytes((2 << 5 | len(codes), *codes))
    sound = b"".join(SOUNDS[name] for name in about.get("sound", ()))
    if sound:
        data += bytes((1 << 5 | len(sound),)) + sound + b"\x83\x01\x00\x00"
    if hdmi and "mute" not in wrong:
        deep = sum({10: 0x10, 12: 0x20, 16: 0x40}[bits] for bits in about.get("deep", ()))
        data += bytes((3 << 5 | 7, 0x03, 0x0C, 0x00, 0x10, 0x00, 0x80 | deep, min(hdmi, 340) // 5))
        if about.get("forum"):
            data += bytes((3 << 5 | 7, 0xD8, 0x5D, 0xC4, 0x01, int(about["forum"]) // 5, 0x80, 0x00))
    if about.get("hdr"):
        data += bytes((7 << 5 | 6, 6, 0x05, 0x01, 0x80, 0x60, 0x40)) + bytes((7 << 5 | 3, 5, 0xC0, 0x00))
    flags = (0x40 if sound else 0) | 0x30
    return sealed(bytes((2, 3, 4 + len(data), flags)) + data)
