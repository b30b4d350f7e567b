"""A whole EDID: its blocks one after another, their checksums, and what its parts say against each other."""

from __future__ import annotations

import re

from netloom_core.edid.base_block import HEADER, outside, read_base
from netloom_core.edid.building import Building
from netloom_core.edid.cta import read_collection, read_cta
from netloom_core.edid.displayid import read_displayid
from netloom_core.edid.model import Edid, tmds_clock
from netloom_core.errors import RequestError

BLOCK = 128
MOST_BLOCKS = 256
_EXTENSIONS = {
    0x10: "video timing block", 0x20: "EDID 2.0", 0x40: "display information", 0x50: "localised text",
    0x60: "digital packet video link", 0xF0: "block map", 0xFF: "maker's own",
}  # fmt: skip


class NoEdid(RequestError):
    """What was given is no EDID at all."""

    code = "no-edid"


def parse(data: bytes) -> Edid:
    """What it says, with everything that is wrong with it among its `findings`; any bytes do.

    Raises NoEdid only where there is no first block with an EDID's header or that is one byte off it.
    """
    if len(data) < BLOCK:
        raise NoEdid(f"{len(data)} bytes are no EDID: its first block alone has 128.", "Read it, or choose it, anew.")
    if sum(a != b for a, b in zip(data[:8], HEADER, strict=True)) > 2:
        raise NoEdid("These bytes are no EDID: they do not begin with 00 FF FF FF FF FF FF 00.", "Choose another file.")
    into = Building()
    if len(data) % BLOCK:
        into.error("length", f"{len(data)} bytes are no whole blocks of 128")
    blocks = [data[at : at + BLOCK] for at in range(0, len(data) - BLOCK + 1, BLOCK)][:MOST_BLOCKS]
    for number, block in enumerate(blocks):
        if sum(block) % 256:
            right = (block[127] - sum(block)) % 256
            into.error("checksum", f"block {number} has the checksum {block[127]:02X}h, its bytes make {right:02X}h")
    read_base(blocks[0], into)
    _count(blocks, into)
    for number, block in enumerate(blocks[1:], 1):
        _extension(number, block, into)
    _against_each_other(into)
    return into.done()


def _count(blocks: list[bytes], into: Building) -> None:
    said = blocks[0][126]
    # HDMI 2.1, 10.3.6: the true number in an extension, for sources that would stumble over it in the first block.
    if len(blocks) > 1 and blocks[1][0] == 0x02 and blocks[1][4:6] == b"\xe2\x78":
        said = blocks[1][6]
    if said > len(blocks) - 1:
        into.error("blocks", f"it is said to have {said} further blocks, and has {len(blocks) - 1}")
    elif said < len(blocks) - 1:
        into.warn("blocks", f"{len(blocks) - 1 - said} of its blocks are not announced: a source does not read them")


def _extension(number: int, block: bytes, into: Building) -> None:
    tag = block[0]
    if tag == 0x02:
        read_cta(block, into)
    elif tag == 0x70:
        read_displayid(block, into, read_collection)
    elif tag in _EXTENSIONS:
        into.add("blocks", _EXTENSIONS[tag])
    else:
        into.warn("blocks", f"block {number} is of the kind {tag:02X}h, which is not known")


def _against_each_other(into: Building) -> None:
    limits, hdmi = into.told.get("limits"), into.told.get("hdmi")
    if not into.modes:
        into.error("modes", "it has no mode at all")
    if limits is not None:
        beyond = [mode.label for mode in into.detailed if outside(mode, limits)]
        if beyond:
            into.warn("limits", f"{', '.join(beyond[:4])} is outside the rates that it gives itself")
    sound = into.told.get("sounds") or into.told.get("basic_audio")
    if sound and hdmi is None and into.told["interface"] != "DisplayPort":
        into.warn("HDMI", "it tells sound and no HDMI block: a source takes it for DVI and sends none")
    if hdmi is not None and hdmi.most_clock and not hdmi.frl:
        told = [mode for mode in into.modes if not mode.reckoned and tmds_clock(mode) > hdmi.most_clock]
        if told:
            names = ", ".join(dict.fromkeys(mode.label for mode in told[:4]))
            into.warn("HDMI", f"{names} needs more than the {hdmi.most_clock / 1000:g} MHz that it takes")
    for at, code in enumerate(into.preference):
        if 129 <= code <= 144 and code - 128 > len(into.detailed):
            which = f"detailed timing {code - 128}"
            into.error("video format preference", f"its place {at + 1} is {which}, which it has not")


def from_text(text: str) -> bytes:
    """The bytes of a file of hexadecimal numbers, with or without spaces, `0x` and commas. Raises NoEdid."""
    bare = re.sub(r"0[xX]|[\s,:;-]", "", text)
    if not re.fullmatch(r"(?:[0-9a-fA-F]{2})+", bare):
        raise NoEdid("That is neither an EDID nor one in hexadecimal numbers.", "Choose another file.")
    return bytes.fromhex(bare)


def from_file(content: bytes) -> bytes:
    """An EDID out of a file of bytes or of hexadecimal numbers. Raises NoEdid."""
    if content[:2] == HEADER[:2] or HEADER in content[:9]:
        return content
    try:
        return from_text(content.decode("ascii"))
    except UnicodeDecodeError as error:
        raise NoEdid("That is neither an EDID nor one in hexadecimal numbers.", "Choose another file.") from error
