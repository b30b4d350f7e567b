"""The first 128 bytes: E-EDID Release A 2 (EDID 1.4), chapter 3; what differs in 1.3 and before is told apart."""

from __future__ import annotations

from netloom_core.edid import timings
from netloom_core.edid.building import Building
from netloom_core.edid.model import Mode, Range

HEADER = b"\x00\xff\xff\xff\xff\xff\xff\x00"
_DEPTHS = {1: 6, 2: 8, 3: 10, 4: 12, 5: 14, 6: 16}
_INTERFACES = {1: "DVI", 2: "HDMI-a", 3: "HDMI-b", 4: "MDDI", 5: "DisplayPort"}
_COLOURS = {0: ("RGB",), 1: ("RGB", "YCbCr 4:4:4"), 2: ("RGB", "YCbCr 4:2:2"), 3: ("RGB", "YCbCr 4:4:4", "YCbCr 4:2:2")}
_ANALOG = {0: ("grey",), 1: ("RGB",), 2: ("colour, not RGB",), 3: ()}


def read_base(block: bytes, into: Building) -> None:
    """What the first block says; 128 bytes, whatever is in them."""
    if block[:8] != HEADER:
        into.error("header", "it does not begin with the eight bytes of an EDID")
    version = (block[18], block[19])
    into.told["version"] = f"{version[0]}.{version[1]}"
    if version[0] != 1 or version[1] > 4:
        into.error("version", f"version {version[0]}.{version[1]} is none that is published")
    _maker(block, into)
    _made(block, into)
    _input(block, version, into)
    _size(block, version, into)
    into.told["gamma"] = 0.0 if block[23] == 0xFF else (block[23] + 100) / 100
    _descriptors(block, version, into)
    for mode in timings.established(block[35:38]):
        into.mode(mode)
    for at in range(38, 54, 2):
        pair = block[at : at + 2]
        if pair == b"\x00\x00":
            into.warn("standard timings", "an unused place has zeros, it should have 01h 01h")
        one = timings.standard(pair, version)
        if one is not None:
            into.mode(one)


def _maker(block: bytes, into: Building) -> None:
    number = int.from_bytes(block[8:10], "big")
    letters = [number >> shift & 0x1F for shift in (10, 5, 0)]
    if number & 0x8000 or any(not 1 <= one <= 26 for one in letters):
        into.error("maker", f"{number:04X}h is no three letters of a maker")
        into.told["maker"] = ""
    else:
        into.told["maker"] = "".join(chr(64 + one) for one in letters)
    into.told["product"] = int.from_bytes(block[10:12], "little")
    serial = int.from_bytes(block[12:16], "little")
    into.told["serial"] = str(serial) if serial not in (0, 0x01010101) else ""


def _made(block: bytes, into: Building) -> None:
    week, year = block[16], block[17] + 1990
    if week == 0xFF:
        into.told["made"] = f"model of {year}"
    elif 1 <= week <= 54:
        into.told["made"] = f"week {week} of {year}"
    else:
        into.told["made"] = str(year)
        if week:
            into.warn("date", f"week {week} is no week")


def _input(block: bytes, version: tuple[int, int], into: Building) -> None:
    digital = bool(block[20] & 0x80)
    into.told["digital"] = digital
    feature = block[24]
    if not digital:
        into.told["interface"] = "analogue"
        into.told["colours"] = _ANALOG[feature >> 3 & 3]
    elif version >= (1, 4):
        depth, interface = block[20] >> 4 & 7, block[20] & 0x0F
        into.told["bits"] = _DEPTHS.get(depth, 0)
        into.told["interface"] = _INTERFACES.get(interface, "")
        if depth == 7 or interface > 5:
            into.error("input", "its depth or its interface is reserved")
        into.told["colours"] = _COLOURS[feature >> 3 & 3]
    else:
        into.told["interface"] = "DVI" if block[20] & 1 else ""
        into.told["colours"] = ("RGB",)
    into.preferred = version >= (1, 4) or bool(feature & 0x02)
    into.native = version >= (1, 4) and bool(feature & 0x02)
    into.continuous = bool(feature & 0x01)


def _size(block: bytes, version: tuple[int, int], into: Building) -> None:
    across, down = block[21], block[22]
    if across and down:
        into.size(across * 10, down * 10)
    elif (across or down) and version < (1, 4):
        into.warn("size", "only one side of the picture has a length")


def _descriptors(block: bytes, version: tuple[int, int], into: Building) -> None:
    kinds: list[int] = []
    for at in range(54, 126, 18):
        one = block[at : at + 18]
        first = at == 54
        if one[0] or one[1]:
            if any(kind != 0x10 for kind in kinds):
                into.warn("descriptors", "a detailed timing stands behind other descriptors")
            mode = timings.detailed(
                one, "detailed timing", preferred=first and into.preferred, native=first and into.native
            )
            if mode is None:
                into.error("detailed timing", "its numbers make no picture")
                continue
            if first:
                into.exact_size(*timings.size_mm(one))
            into.mode(mode)
            continue
        kinds.append(one[3])
        _descriptor(one, version, into)
    if block[54] == 0 and block[55] == 0 and version >= (1, 3):
        into.error("preferred timing", "the first descriptor has to be the preferred timing, and is none")
    if version == (1, 3) and 0xFD not in kinds:
        into.warn("limits", "its range of rates is not told, which EDID 1.3 wants")
    if version == (1, 3) and 0xFC not in kinds:
        into.warn("name", "it has no name, which EDID 1.3 wants")


def _text(data: bytes) -> str:
    return "".join(chr(one) if 32 <= one < 127 else "?" for one in data.split(b"\x0a")[0]).rstrip()


def _descriptor(one: bytes, version: tuple[int, int], into: Building) -> None:
    kind, body = one[3], one[5:18]
    if kind == 0xFC:
        into.told["name"] = (into.told.get("name", "") + _text(body)).strip()
    elif kind == 0xFF:
        into.told["serial"] = _text(body) or into.told.get("serial", "")
    elif kind == 0xFE:
        into.text.append(_text(body))
    elif kind == 0xFD:
        _limits(one, version, into)
    elif kind == 0xFA:
        for at in range(5, 17, 2):
            mode = timings.standard(one[at : at + 2], version)
            if mode is not None:
                into.mode(mode)
    elif kind == 0xF8:
        for mode in timings.cvt_codes(one[6:18]):
            into.mode(mode)
    elif kind == 0xF7:
        for mode in timings.established_3(one[6:12]):
            into.mode(mode)
    elif 0x11 <= kind <= 0xF6:
        into.error("descriptors", f"tag {kind:02X}h is reserved")


def _limits(one: bytes, version: tuple[int, int], into: Building) -> None:
    more = one[4] if version >= (1, 4) else 0
    add = [255 if on else 0 for on in (more & 3 == 3, more & 2, more & 0x0C == 0x0C, more & 8)]
    low, high, slow, fast = (value + extra for value, extra in zip(one[5:9], add, strict=True))
    clock = 0 if one[9] in (0, 0xFF) else one[9] * 10_000
    if one[10] == 0x04 and clock:
        clock -= (one[12] >> 2) * 250
    if low > high or slow > fast or not low or not slow:
        into.error("limits", "the least of its rates is above the greatest, or none")
        return
    into.told["limits"] = Range((low, high), (slow, fast), clock)


def outside(mode: Mode, limits: Range) -> bool:
    """Whether a mode is beyond the range that the display itself gives; half a hertz is left for rounding."""
    low, high = limits.vertical
    too_fast = limits.most_clock and mode.clock > limits.most_clock + 5000  # told in steps of 10 MHz
    return not low - 0.6 <= mode.refresh <= high + 0.6 or bool(too_fast)
