"""The extension of CTA-861-H, chapter 7.5: modes by their codes, sound, colour, HDR, and the blocks of HDMI.

What HDMI's own blocks mean is by HDMI 1.4b (8.3.2) and 2.1 (10.3.2).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from netloom_core.edid import displayid, timings
from netloom_core.edid.building import Building
from netloom_core.edid.model import Hdmi, Hdr, Sound
from netloom_core.edid.vics import HDMI_VICS, table

_FORMS = {
    1: "LPCM", 2: "AC-3", 3: "MPEG-1", 4: "MP3", 5: "MPEG-2", 6: "AAC LC", 7: "DTS", 8: "ATRAC", 9: "One Bit Audio",
    10: "Enhanced AC-3", 11: "DTS-HD", 12: "MAT", 13: "DST", 14: "WMA Pro",
}  # fmt: skip
_MORE_FORMS = {
    4: "MPEG-4 HE AAC", 5: "MPEG-4 HE AAC v2", 6: "MPEG-4 AAC LC", 7: "DRA", 8: "MPEG-4 HE AAC + MPEG Surround",
    10: "MPEG-4 AAC LC + MPEG Surround", 11: "MPEG-H 3D Audio", 12: "AC-4", 13: "L-PCM 3D Audio",
}  # fmt: skip
_RATES = (32.0, 44.1, 48.0, 88.2, 96.0, 176.4, 192.0)
_SPEAKERS = (
    "FL/FR", "LFE1", "FC", "BL/BR", "BC", "FLc/FRc", "RLC/RRC", "FLw/FRw",
    "TpFL/TpFR", "TpC", "TpFC", "LS/RS", "LFE2", "TpBC", "SiL/SiR", "TpSiL/TpSiR",
    "TpBL/TpBR", "BtFC", "BtFL/BtFR",
)  # fmt: skip
_COLORIMETRY = ("xvYCC601", "xvYCC709", "sYCC601", "opYCC601", "opRGB", "BT2020cYCC", "BT2020YCC", "BT2020RGB")
_CURVES = ("SDR", "traditional HDR", "PQ (ST 2084)", "HLG")
_FRL = {0: 0, 1: 9, 2: 18, 3: 24, 4: 32, 5: 40, 6: 48}
_HDMI, _FORUM, _DOLBY, _HDR10P = 0x000C03, 0xC45DD8, 0x00D046, 0x90848B


def read_cta(block: bytes, into: Building) -> None:
    revision, end = block[1], block[2]
    into.add("blocks", f"CTA-861, revision {revision}")
    if end and not 4 <= end <= 127:
        into.error("CTA-861", f"its detailed timings are said to begin at byte {end}, which is not in it")
        return
    if revision >= 2:
        flags = block[3]
        if flags & 0x40:
            into.told["basic_audio"] = True
        into.add(
            "colours", "RGB", *(["YCbCr 4:4:4"] if flags & 0x20 else []), *(["YCbCr 4:2:2"] if flags & 0x10 else [])
        )
    if revision >= 3 and end > 4:
        _collection(block[4:end], into)
    if end:
        _detailed(block, end, block[3] & 0x0F if revision >= 2 else 0, into)
    if revision in (0, 2) or revision > 3:
        into.warn("CTA-861", f"revision {revision} is not the present one, 3")


def _detailed(block: bytes, start: int, natives: int, into: Building) -> None:
    at = start
    while at + 18 <= 127 and (block[at] or block[at + 1]):
        mode = timings.detailed(block[at : at + 18], "detailed timing", native=(at - start) // 18 < natives)
        if mode is None:
            into.error("CTA-861", "the numbers of a detailed timing make no picture")
        else:
            into.mode(mode)
        at += 18
    if any(block[at:127]):
        into.warn("CTA-861", "the bytes behind its last timing are not zero")


def _blocks(data: bytes, into: Building) -> Iterator[tuple[int, bytes]]:
    """(tag, payload) of each data block; an extended one as 256 + its own tag."""
    at = 0
    while at < len(data):
        tag, length = data[at] >> 5, data[at] & 0x1F
        body = data[at + 1 : at + 1 + length]
        if len(body) < length:
            into.error("CTA-861", "a data block is longer than the place for all of them")
            return
        at += 1 + length
        if tag == 7:
            if not body:
                into.error("CTA-861", "an extended data block has no tag")
                continue
            yield 256 + body[0], body[1:]
        elif tag:
            yield tag, body
        else:
            into.error("CTA-861", "a data block has the reserved tag 0")


def read_collection(data: bytes, into: Building) -> None:
    """Data blocks wherever they stand: in this extension, or inside a DisplayID section."""
    _collection(data, into)


def _collection(data: bytes, into: Building) -> None:
    later: list[bytes] = []
    for tag, body in _blocks(data, into):
        name, read, least = _READERS.get(tag, ("", None, 0))
        if not name:
            reserved = f"data block {tag:d}" if tag < 256 else f"extended data block {tag - 256:d}"
            into.add("blocks", f"{reserved} (not known)")
            continue
        into.add("blocks", name)
        if len(body) < least:
            into.error("CTA-861", f"the data block {name!r} is too short")
        elif tag == 256 + 15:
            later.append(body)  # it is about the codes of all video data blocks
        elif read is not None:
            read(body, into)
    for body in later:
        _map_of_420(body, into)


def _video(body: bytes, into: Building) -> None:
    for byte in body:
        native = 129 <= byte <= 192
        code = byte & 0x7F if native else byte
        into.codes.append(code)
        if code not in table():
            into.error("video", f"code {byte} is reserved")
            continue
        into.mode(replace(table()[code], native=native))


def _audio(body: bytes, into: Building) -> None:
    if len(body) % 3:
        into.error("audio", "its length is no multiple of three")
    for at in range(0, len(body) - 2, 3):
        sound = _descriptor(body[at : at + 3])
        if sound is None:
            into.error("audio", f"form {body[at] >> 3 & 15} is reserved")
        else:
            into.add("sounds", sound)


def _descriptor(one: bytes) -> Sound | None:
    """A Short Audio Descriptor (7.5.2)."""
    code, channels = one[0] >> 3 & 15, (one[0] & 7) + 1
    rates = tuple(rate for bit, rate in enumerate(_RATES) if one[1] & 1 << bit)
    depths = tuple(bits for bit, bits in enumerate((16, 20, 24)) if one[2] & 1 << bit)
    if code == 15:
        form = _MORE_FORMS.get(one[2] >> 3)
        if form is None:
            return None
        if form == "L-PCM 3D Audio":
            channels = 1 + ((one[0] & 7) | (one[0] >> 7) << 3 | (one[1] >> 7) << 4)
            return Sound(form, channels, rates, depths)
        return Sound(form, channels, rates)
    if code not in _FORMS:
        return None
    if code == 1:
        return Sound("LPCM", channels, rates, depths)
    return Sound(_FORMS[code], channels, rates, most_kbit=one[2] * 8 if 2 <= code <= 8 else 0)


def _speakers(body: bytes, into: Building) -> None:
    bits = int.from_bytes(body[:3], "little")
    into.add("speakers", *(name for bit, name in enumerate(_SPEAKERS) if bits & 1 << bit))


def _vendor(body: bytes, into: Building) -> None:
    owner = int.from_bytes(body[:3], "little")
    if owner == _HDMI:
        _hdmi(body, into)
    elif owner == _FORUM:
        _forum(body[3:], into)


def _hdmi(body: bytes, into: Building) -> None:
    if len(body) < 5:
        into.error("HDMI", "its block has no physical address")
        return
    port = ".".join(str(n) for byte in body[3:5] for n in (byte >> 4, byte & 15))
    flags = body[5] if len(body) > 5 else 0
    deep = tuple(bits for bit, bits in ((4, 10), (5, 12), (6, 16)) if flags & 1 << bit)
    clock = body[6] * 5000 if len(body) > 6 else 0
    known = into.told.get("hdmi") or Hdmi()
    most = known.most_clock if known.forum else clock
    into.told["hdmi"] = replace(known, port=port, deep_colour=deep, deep_444=bool(flags & 8), most_clock=most or clock)
    if port.startswith("0"):
        into.note("HDMI", "its physical address is 0.0.0.0, that of a display's root")
    if len(body) > 7:
        _hdmi_video(body, into)


def _hdmi_video(body: bytes, into: Building) -> None:
    at = 8 + (2 if body[7] & 0x80 else 0) + (2 if body[7] & 0xC0 == 0xC0 else 0)
    if not body[7] & 0x20:
        return
    if len(body) < at + 2:
        into.error("HDMI", "its block ends before the modes that it is said to have")
        return
    for code in body[at + 2 : at + 2 + (body[at + 1] >> 5)]:
        if code in HDMI_VICS:
            into.mode(replace(table()[HDMI_VICS[code]], said_by=f"HDMI VIC {code}"))
        else:
            into.error("HDMI", f"mode {code} is reserved")


def _forum(data: bytes, into: Building) -> None:
    """HDMI 2.1, 10.3.2; `data` begins at the version, also in the block of its own tag (79h)."""
    if len(data) < 4:
        into.error("HDMI Forum", "its block is too short")
        return
    known = into.told.get("hdmi") or Hdmi()
    speed = data[3] >> 4
    if speed not in _FRL:
        into.error("HDMI Forum", f"its rate {speed} is reserved")
    vrr = (0, 0)
    if len(data) > 6:
        vrr = (data[5] & 0x3F, (data[5] & 0xC0) << 2 | data[6])
    into.told["hdmi"] = replace(
        known,
        forum=True,
        most_clock=data[1] * 5000 or known.most_clock,
        scrambling=bool(data[2] & 0x80),
        deep_420=tuple(bits for bit, bits in enumerate((10, 12, 16)) if data[3] & 1 << bit),
        frl=_FRL.get(speed, 0),
        allm=len(data) > 4 and bool(data[4] & 2),
        vrr=vrr,
    )


def _forum_extended(body: bytes, into: Building) -> None:
    _forum(body[2:], into)


def _colorimetry(body: bytes, into: Building) -> None:
    into.add("colorimetry", *(name for bit, name in enumerate(_COLORIMETRY) if body[0] & 1 << bit))
    if len(body) > 1 and body[1] & 0x80:
        into.add("colorimetry", "DCI-P3")


def _hdr(body: bytes, into: Building) -> None:
    curves = tuple(name for bit, name in enumerate(_CURVES) if body[0] & 1 << bit)
    levels = body[2:5]
    most = 50 * 2 ** (levels[0] / 32) if levels and levels[0] else 0.0
    average = 50 * 2 ** (levels[1] / 32) if len(levels) > 1 and levels[1] else 0.0
    least = most * (levels[2] / 255) ** 2 / 100 if len(levels) > 2 else 0.0
    into.told["hdr"] = Hdr(curves, round(most, 1), round(average, 1), round(least, 4))


def _dynamic(body: bytes, into: Building) -> None:
    at = 0
    while at < len(body):
        length = body[at]
        if length < 2 or at + 1 + length > len(body):
            into.error("HDR dynamic metadata", "an entry is longer than its block")
            return
        kind = int.from_bytes(body[at + 1 : at + 3], "little")
        into.add(
            "dynamic",
            {1: "ST 2094-10", 2: "ETSI TS 103 433", 3: "ITU-T H.265", 4: "ST 2094-40"}.get(kind, f"type {kind}"),
        )
        at += 1 + length


def _vendor_video(body: bytes, into: Building) -> None:
    owner = int.from_bytes(body[:3], "little")
    into.add("dynamic", {_DOLBY: "vendor 00-D0-46", _HDR10P: "vendor 90-84-8B"}.get(owner, f"vendor {owner:06X}h"))


def _only_420(body: bytes, into: Building) -> None:
    for code in body:
        if code not in table():
            into.error("4:2:0 video", f"code {code} is reserved")
            continue
        into.mode(replace(table()[code], only_420=True))
    into.add("colours", "YCbCr 4:2:0")


def _map_of_420(body: bytes, into: Building) -> None:
    """Which of the video data blocks' codes may be sent as 4:2:0, too; all where the map is empty (7.5.11)."""
    if len(body) * 8 >= len(into.codes) + 8:
        into.warn("4:2:0 map", "it is longer than there are codes")
    chosen = {
        code for at, code in enumerate(into.codes) if not body or (at // 8 < len(body) and body[at // 8] & 1 << at % 8)
    }
    into.modes = [
        replace(m, also_420=True) if m.vic in chosen and m.said_by.startswith("VIC") else m for m in into.modes
    ]
    into.add("colours", "YCbCr 4:2:0")


def _preference(body: bytes, into: Building) -> None:
    into.preference.extend(body)


_READERS: dict[int, tuple[str, Callable[[bytes, Building], None] | None, int]] = {
    1: ("audio", _audio, 0),
    2: ("video", _video, 0),
    3: ("vendor specific", _vendor, 3),
    4: ("speakers", _speakers, 3),
    5: ("VESA transfer characteristic", None, 0),
    256 + 0: ("video capability", None, 1),
    256 + 1: ("vendor specific video", _vendor_video, 3),
    256 + 2: ("VESA display device", None, 0),
    256 + 5: ("colorimetry", _colorimetry, 1),
    256 + 6: ("HDR static metadata", _hdr, 2),
    256 + 7: ("HDR dynamic metadata", _dynamic, 0),
    256 + 8: ("native video resolution", None, 0),
    256 + 13: ("video format preference", _preference, 0),
    256 + 14: ("4:2:0 video", _only_420, 0),
    256 + 15: ("4:2:0 map", None, 0),
    256 + 17: ("vendor specific audio", None, 3),
    256 + 18: ("HDMI audio", None, 0),
    256 + 19: ("room configuration", None, 0),
    256 + 20: ("speaker locations", None, 0),
    256 + 32: ("InfoFrames", None, 0),
    256 + 34: ("DisplayID Type VII timing", displayid.read_type_7_of_cta, 0),
    256 + 35: ("DisplayID Type VIII timing", None, 0),
    256 + 42: ("DisplayID Type X timing", None, 0),
    256 + 0x78: ("HDMI Forum number of blocks", None, 1),
    256 + 0x79: ("HDMI Forum capabilities", _forum_extended, 2),
}
