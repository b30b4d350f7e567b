"""Levels as they go over a network: ArtDmx, and sACN data packets. Both are read, and sACN is built.

Source: Art-Net 4 Protocol Release, ArtDmx; ANSI E1.31-2018, clauses 5 to 7 (a data packet), 6.2.3 (priority), 6.2.6
(options), 9.3.1 (addresses).
"""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols import artnet, sacn
from netloom_core.protocols.xml import clean

SLOTS = 512
OP_DMX = 0x5000
START_CODE, PER_SLOT_PRIORITY = 0x00, 0xDD
PREVIEW, TERMINATED = 0x80, 0x40
MOST_PRIORITY = 200
FIRST_SACN, LAST_SACN = 1, 63999


@dataclass(frozen=True)
class Frame:
    """One packet of levels. `who` is its source's CID, empty where the protocol tells none; `universe` as that
    protocol counts: a port address from 0 (Art-Net), a universe from 1 (sACN). `start` is the start code."""

    universe: int
    levels: bytes
    who: str = ""
    name: str = ""
    priority: int = 0
    sequence: int = 0
    start: int = START_CODE
    terminated: bool = False
    preview: bool = False


def parse_artdmx(data: bytes) -> Frame:
    """Raises ProtocolError for whatever is no ArtDmx. An odd length is taken as it is: some send one."""
    if len(data) < 20 or data[:8] != artnet.ID or int.from_bytes(data[8:10], "little") != OP_DMX:
        raise ProtocolError("not an ArtDmx packet")
    length = int.from_bytes(data[16:18], "big")
    if not 1 <= length <= SLOTS or len(data) < 18 + length:
        raise ProtocolError(f"an ArtDmx packet that says {length} slots and has {len(data) - 18}")
    universe = (data[15] & 0x7F) << 8 | data[14]
    return Frame(universe, data[18 : 18 + length], sequence=data[12])


def parse_sacn(data: bytes) -> Frame:
    """Raises ProtocolError for whatever is no data packet of sACN."""
    if len(data) < 126 or data[:16] != sacn.ROOT:
        raise ProtocolError("not an sACN packet")
    vectors = int.from_bytes(data[18:22], "big"), int.from_bytes(data[40:44], "big")
    if vectors != (sacn.DATA, 2):
        raise ProtocolError(f"an sACN packet with vectors {vectors[0]} and {vectors[1]}")
    if (data[117], data[118]) != (0x02, 0xA1) or data[119:123] != b"\x00\x00\x00\x01":
        raise ProtocolError("an sACN data packet of another form than E1.31's")
    count = int.from_bytes(data[123:125], "big")
    universe = int.from_bytes(data[113:115], "big")
    if not 1 <= count <= SLOTS + 1 or len(data) < 125 + count:
        raise ProtocolError(f"an sACN data packet that says {count} values and has {len(data) - 125}")
    if not FIRST_SACN <= universe <= LAST_SACN or data[108] > MOST_PRIORITY:
        raise ProtocolError(f"an sACN data packet of universe {universe} and priority {data[108]}")
    return Frame(
        universe,
        data[126 : 125 + count],
        str(uuid.UUID(bytes=data[22:38])),
        clean(data[44:108].split(b"\x00", 1)[0].decode("utf-8", "replace"), 64),
        data[108],
        data[111],
        data[125],
        bool(data[112] & TERMINATED),
        bool(data[112] & PREVIEW),
    )


def build_sacn(frame: Frame) -> bytes:
    """A data packet of sACN with all its lengths."""
    data = bytearray(sacn.ROOT + bytes(2) + sacn.DATA.to_bytes(4, "big") + uuid.UUID(frame.who).bytes)
    data += bytes(2) + (2).to_bytes(4, "big") + frame.name.encode()[:63].ljust(64, b"\x00")
    options = (TERMINATED if frame.terminated else 0) | (PREVIEW if frame.preview else 0)
    data += bytes((frame.priority, 0, 0, frame.sequence & 0xFF, options)) + frame.universe.to_bytes(2, "big")
    data += bytes(2) + bytes((0x02, 0xA1, 0, 0, 0, 1)) + (len(frame.levels) + 1).to_bytes(2, "big")
    data += bytes((frame.start,)) + frame.levels
    for start in (16, 38, 115):
        data[start : start + 2] = (0x7000 | (len(data) - start)).to_bytes(2, "big")
    return bytes(data)


def build_artdmx(frame: Frame) -> bytes:
    """An ArtDmx packet; levels are filled up to an even number, as it has to be."""
    levels = frame.levels + b"\x00" * (len(frame.levels) % 2)
    head = artnet.ID + OP_DMX.to_bytes(2, "little") + bytes((0, artnet.PROTOCOL, frame.sequence & 0xFF, 0))
    where = bytes((frame.universe & 0xFF, frame.universe >> 8 & 0x7F))
    return head + where + len(levels).to_bytes(2, "big") + levels
