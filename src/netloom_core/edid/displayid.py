"""A DisplayID section as an extension of an EDID (VESA DisplayID 1.3 and 2.0): its blocks by name, its timings read."""

from __future__ import annotations

from collections.abc import Callable

from netloom_core.edid.building import Building
from netloom_core.edid.model import Mode

_NAMES = {
    0x00: "product identification", 0x01: "display parameters", 0x02: "colour characteristics", 0x03: "Type I timing",
    0x04: "Type II timing", 0x05: "Type III timing", 0x06: "Type IV timing", 0x07: "VESA timings", 0x08: "CTA timings",
    0x09: "video timing range", 0x0A: "serial number", 0x0B: "text", 0x0C: "display device", 0x0D: "power sequence",
    0x0E: "transfer characteristics", 0x0F: "display interface", 0x10: "stereo", 0x11: "Type V timing",
    0x12: "tiled display", 0x13: "Type VI timing", 0x20: "product identification", 0x21: "display parameters",
    0x22: "Type VII timing", 0x23: "Type VIII timing", 0x24: "Type IX timing", 0x25: "dynamic timing range",
    0x26: "interface features", 0x27: "stereo", 0x28: "tiled display", 0x29: "container", 0x2A: "Type X timing",
    0x2B: "adaptive sync", 0x2C: "head-mounted display", 0x2D: "head-mounted display layer", 0x2E: "luminance range",
    0x7E: "vendor specific", 0x7F: "vendor specific", 0x81: "CTA-861 data",
}  # fmt: skip
_CTA = 0x81


def read_displayid(block: bytes, into: Building, collection: Callable[[bytes, Building], None]) -> None:
    """One section in a block of 128 bytes. `collection` reads data blocks of CTA-861 inside it."""
    version, size = block[1], block[2]
    into.add("blocks", f"DisplayID {version >> 4}.{version & 15}")
    if size > 121:
        into.error("DisplayID", f"its section of {size} bytes does not fit into its block")
        return
    if sum(block[1 : size + 6]) % 256:
        into.error("DisplayID", "the checksum of its section is wrong")
    if any(block[size + 6 : 127]):
        into.warn("DisplayID", "the bytes behind its section are not zero")
    data, at = block[5 : 5 + size], 0
    while at + 3 <= len(data):
        tag, length = data[at], data[at + 2]
        body = data[at + 3 : at + 3 + length]
        if not tag and not length:
            if any(data[at:]):
                into.warn("DisplayID", "something stands behind its last block")
            break
        if len(body) < length:
            into.error("DisplayID", "a block is longer than its section")
            return
        _block(tag, data[at + 1], body, into, collection)
        at += 3 + length


def _block(tag: int, revision: int, body: bytes, into: Building, collection: Callable[[bytes, Building], None]) -> None:
    into.add("blocks", f"DisplayID {_NAMES.get(tag, f'block {tag:02X}h (not known)')}")
    if tag in (0x03, 0x22):
        if len(body) % 20:
            into.error("DisplayID", "the length of its timings is no multiple of twenty")
        for at in range(0, len(body) - 19, 20):
            _timing(body[at : at + 20], tag == 0x22, into)
    elif tag == _CTA:
        collection(body, into)


def read_type_7_of_cta(body: bytes, into: Building) -> None:
    """The same timing in a data block of CTA-861 (7.5.18): one byte of its revision comes before."""
    for at in range(1, len(body) - 19, 20):
        _timing(body[at : at + 20], True, into)


def _timing(one: bytes, fine: bool, into: Building) -> None:
    """Type I (DisplayID 1.3, 4.4.1; clock in 10 kHz) and Type VII (2.0, 4.3; in kHz). All numbers are told less one."""
    clock = (int.from_bytes(one[0:3], "little") + 1) * (1 if fine else 10)
    options = one[3]
    numbers = [int.from_bytes(one[at : at + 2], "little") + 1 for at in range(4, 20, 2)]
    across, blank, down, gap = numbers[0], numbers[1], numbers[4], numbers[5]
    interlaced = bool(options & 0x10)
    refresh = clock * 1000 / ((across + blank) * (down + gap)) * (2 if interlaced else 1)
    said_by = "Type VII timing" if fine else "Type I timing"
    into.mode(Mode(across, down, round(refresh, 3), interlaced, clock, said_by, preferred=bool(options & 0x80)))
