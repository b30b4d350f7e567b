"""sACN: who sends which universes. Only listened to, never sent by a sweep.

Source: ANSI E1.31-2018, clauses 5 (root layer), 6 (framing), 8 (universe discovery),
9.3.1 (addresses).
"""

from __future__ import annotations

import uuid
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

PORT = 5568
DISCOVERY_UNIVERSE = 64214
DISCOVERY_INTERVAL_S = 10.0  # E131_UNIVERSE_DISCOVERY_INTERVAL, annex A; listening for less misses sources
ROOT = b"\x00\x10\x00\x00ASC-E1.17\x00\x00\x00"
DATA, EXTENDED = 4, 8
DISCOVERY = 2
UNIVERSE_LIST = 1


@dataclass(frozen=True)
class Source:
    """A source as one packet shows it: its CID, its name, and universes that it sends."""

    cid: str
    name: str
    universes: tuple[int, ...]


def group(universe: int) -> str:
    """Multicast address of a universe, clause 9.3.1."""
    return f"239.255.{universe >> 8}.{universe & 0xFF}"


def parse(data: bytes) -> Source:
    """A data or a universe discovery packet. Raises ProtocolError for anything else."""
    if len(data) < 112 or data[:16] != ROOT:
        raise ProtocolError("not an sACN packet")
    vector = int.from_bytes(data[18:22], "big")
    framing = int.from_bytes(data[40:44], "big")
    cid = str(uuid.UUID(bytes=data[22:38]))
    name = clean(data[44:108].split(b"\x00", 1)[0].decode("utf-8", "replace"), 64)
    if vector == DATA and framing == 2 and len(data) >= 126:
        return Source(cid, name, (int.from_bytes(data[113:115], "big"),))
    if vector == EXTENDED and framing == DISCOVERY and len(data) >= 120:
        if int.from_bytes(data[114:118], "big") != UNIVERSE_LIST:
            raise ProtocolError("an sACN discovery packet without a universe list")
        listed = data[120 : 120 + 2 * 512]
        return Source(cid, name, tuple(int.from_bytes(listed[i : i + 2], "big") for i in range(0, len(listed) - 1, 2)))
    raise ProtocolError(f"an sACN packet with vectors {vector} and {framing}")


def _length(data: bytearray, start: int) -> None:
    data[start : start + 2] = (0x7000 | (len(data) - start)).to_bytes(2, "big")


def build_discovery(source: Source) -> bytes:
    """A universe discovery packet; for stand-ins and tests."""
    data = bytearray(ROOT + bytes(2) + EXTENDED.to_bytes(4, "big") + uuid.UUID(source.cid).bytes)
    data += bytes(2) + DISCOVERY.to_bytes(4, "big") + source.name.encode()[:63].ljust(64, b"\x00") + bytes(4)
    data += bytes(2) + UNIVERSE_LIST.to_bytes(4, "big") + bytes((0, 0))
    data += b"".join(u.to_bytes(2, "big") for u in sorted(source.universes))
    for start in (16, 38, 112):
        _length(data, start)
    return bytes(data)
