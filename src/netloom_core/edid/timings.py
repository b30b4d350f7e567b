"""Timings as the base block gives them: detailed, standard, established, and by CVT codes."""

from __future__ import annotations

import math
import re

from netloom_core.edid.model import Mode

# E-EDID A2, tables 3.18 and 3.37: bit 7 of the first byte first; pixel clocks in kHz from VESA DMT 1.13.
_ESTABLISHED = (
    "720x400 70 28320", "720x400 88 35500", "640x480 60 25175", "640x480 67 30240",
    "640x480 72 31500", "640x480 75 31500", "800x600 56 36000", "800x600 60 40000",
    "800x600 72 50000", "800x600 75 49500", "832x624 75 57284", "1024x768i 87 44900",
    "1024x768 60 65000", "1024x768 70 75000", "1024x768 75 78750", "1280x1024 75 135000",
    "1152x870 75 100000",
)  # fmt: skip
_ESTABLISHED_3 = (
    "640x350 85 31500", "640x400 85 31500", "720x400 85 35500", "640x480 85 36000",
    "848x480 60 33750", "800x600 85 56250", "1024x768 85 94500", "1152x864 75 108000",
    "1280x768 60 68250", "1280x768 60 79500", "1280x768 75 102250", "1280x768 85 117500",
    "1280x960 60 108000", "1280x960 85 148500", "1280x1024 60 108000", "1280x1024 85 157500",
    "1360x768 60 85500", "1440x900 60 88750", "1440x900 60 106500", "1440x900 75 136750",
    "1440x900 85 157000", "1400x1050 60 101000", "1400x1050 60 121750", "1400x1050 75 156000",
    "1400x1050 85 179500", "1680x1050 60 119000", "1680x1050 60 146250", "1680x1050 75 187000",
    "1680x1050 85 214750", "1600x1200 60 162000", "1600x1200 65 175500", "1600x1200 70 189000",
    "1600x1200 75 202500", "1600x1200 85 229500", "1792x1344 60 204750", "1792x1344 75 261000",
    "1856x1392 60 218250", "1856x1392 75 288000", "1920x1200 60 154000", "1920x1200 60 193250",
    "1920x1200 75 245250", "1920x1200 85 281250", "1920x1440 60 234000", "1920x1440 75 297000",
)  # fmt: skip
_DMT = {  # further standard timings that are in everyday use, VESA DMT 1.13: pixel clock in kHz
    (1280, 720, 60): 74250, (1366, 768, 60): 85500, (1600, 900, 60): 108000, (1920, 1080, 60): 148500,
    (2048, 1152, 60): 162000, (1280, 800, 60): 83500, (1280, 800, 75): 106500, (2560, 1600, 60): 348500,
}  # fmt: skip


def _row(words: str, said_by: str) -> Mode:
    size, rate, clock = words.split()
    match = re.fullmatch(r"(\d+)x(\d+)(i?)", size)
    assert match is not None
    return Mode(int(match[1]), int(match[2]), float(rate), bool(match[3]), int(clock), said_by)


def _bits(data: bytes, rows: tuple[str, ...], said_by: str) -> list[Mode]:
    told = [bool(data[at // 8] & (0x80 >> at % 8)) for at in range(min(len(rows), 8 * len(data)))]
    return [_row(words, said_by) for words, on in zip(rows, told, strict=False) if on]


def established(data: bytes) -> list[Mode]:
    """Bytes 35 to 37 (E-EDID A2, 3.8)."""
    return _bits(data, _ESTABLISHED, "established timing")


def established_3(data: bytes) -> list[Mode]:
    """Bytes 6 to 11 of the descriptor F7h (E-EDID A2, 3.10.3.9)."""
    return _bits(data, _ESTABLISHED_3, "established timing III")


def known_clock(width: int, height: int, rate: int) -> int:
    if (width, height, rate) in _DMT:
        return _DMT[width, height, rate]
    for words in (*_ESTABLISHED, *reversed(_ESTABLISHED_3)):  # without reduced blanking, which is listed first
        one = _row(words, "")
        if (one.width, one.height, round(one.refresh), one.interlaced) == (width, height, rate, False):
            return one.clock
    return 0


def cvt_clock(width: int, height: int, rate: float, *, reduced: bool = False) -> int:
    """The pixel clock in kHz by the formula of VESA CVT 1.1 (5.2 to 5.4), for progressive pictures without margins."""
    cells = width - width % 8
    step = 0.25
    if reduced:
        period = (1e6 / rate - 460) / height
        if period <= 0:
            return 0
        lines = height + max(math.floor(460 / period) + 1, 3 + 4 + 6)
        return round(math.floor(rate * lines * (cells + 160) / 1e6 / step) * step * 1000)
    period = (1e6 / rate - 550) / (height + 3)
    if period <= 0:
        return 0
    lines = height + max(math.floor(550 / period) + 1, 4 + 6) + 3
    duty = max(30 - 300 * period / 1000, 20)
    blank = math.floor(cells * duty / (100 - duty) / 16) * 16
    return round(math.floor((cells + blank) / period / step) * step * 1000) if lines else 0


def standard(data: bytes, version: tuple[int, int], said_by: str = "standard timing") -> Mode | None:
    """Two bytes of a standard timing (E-EDID A2, 3.9). None where the place is unused."""
    if data in (b"\x01\x01", b"\x00\x00") or data[0] == 0:
        return None
    width = (data[0] + 31) * 8
    shape = data[1] >> 6
    rate = (data[1] & 0x3F) + 60
    if shape == 0:  # 16:10 since EDID 1.3, 1:1 before
        height = width * 10 // 16 if version >= (1, 3) else width
    else:
        height = width * {1: 3, 2: 4, 3: 9}[shape] // {1: 4, 2: 5, 3: 16}[shape]
    if width == 1360 and shape == 3:  # VESA DMT: 1360x768 and 1366x768 cannot be said exactly
        width, height = 1360, 768
    clock = known_clock(width, height, rate)
    reckoned = not clock
    return Mode(width, height, float(rate), False, clock or cvt_clock(width, height, rate), said_by, reckoned=reckoned)


def detailed(data: bytes, said_by: str, *, preferred: bool = False, native: bool = False) -> Mode | None:
    """Eighteen bytes of a detailed timing (E-EDID A2, 3.10.2). None where its numbers make no picture."""
    clock = int.from_bytes(data[0:2], "little") * 10
    across = data[2] | (data[4] & 0xF0) << 4
    blank = data[3] | (data[4] & 0x0F) << 8
    down = data[5] | (data[7] & 0xF0) << 4
    gap = data[6] | (data[7] & 0x0F) << 8
    interlaced = bool(data[17] & 0x80)
    if not clock or not across or not down or not (across + blank) or not (down + gap):
        return None
    # An interlaced picture is told by the lines of one field; the odd half line of blanking is not told.
    lines = down + gap + (0.5 if interlaced else 0)
    refresh = clock * 1000 / ((across + blank) * lines)
    height = down * 2 if interlaced else down
    return Mode(across, height, round(refresh, 3), interlaced, clock, said_by, preferred=preferred, native=native)


def size_mm(data: bytes) -> tuple[int, int]:
    return data[12] | (data[14] & 0xF0) << 4, data[13] | (data[14] & 0x0F) << 8


_SHAPES = ((4, 3), (16, 9), (16, 10), (15, 9))
_RATES = ((0x10, 50.0, False), (0x08, 60.0, False), (0x04, 75.0, False), (0x02, 85.0, False), (0x01, 60.0, True))


def cvt_codes(data: bytes) -> list[Mode]:
    """Up to four codes of three bytes in the descriptor F8h (E-EDID A2, 3.10.3.8)."""
    found = []
    for at in range(0, len(data) - 2, 3):
        one = data[at : at + 3]
        if one == b"\x00\x00\x00":
            continue
        height = ((one[0] | (one[1] & 0xF0) << 4) + 1) * 2
        across, down = _SHAPES[one[1] >> 2 & 3]
        width = height * across // down // 8 * 8
        for bit, rate, reduced in _RATES:
            if one[2] & bit:
                clock = cvt_clock(width, height, rate, reduced=reduced)
                found.append(Mode(width, height, rate, False, clock, "CVT code", reckoned=True))
    return found
