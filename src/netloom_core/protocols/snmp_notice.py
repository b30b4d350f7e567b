"""SNMP notifications: what an agent says unasked. Not what they say is believed, only that there is something to see.

A trap names no connection and proves nobody, so its values are no readings, and are not decoded: a datagram full of
them would hold up everybody else. Source: RFC 1157 clause 4.1.6 (v1), RFC 3416 clauses 3, 4.2.6 and 4.2.7 (v2c),
RFC 3412 clause 6 (v3, of which only the version is looked at), X.690 clause 8.1 for tags and lengths.
"""

from __future__ import annotations

from dataclasses import dataclass

from netloom_core.errors import ProtocolError

SEQUENCE, INTEGER, OCTETS = 0x30, 0x02, 0x04
RESPONSE, TRAP_V1, INFORM, TRAP_V2 = 0xA2, 0xA4, 0xA6, 0xA7
V1, V2C, V3 = 0, 1, 3  # msgVersion
KINDS = {V1: (TRAP_V1,), V2C: (TRAP_V2, INFORM)}


@dataclass(frozen=True)
class Notice:
    """`answer` is the response that an inform of v2c waits for, empty for a trap. An inform of v3 gets none: it could
    only come from an engine with a user of its own.
    """

    version: int
    answer: bytes = b""


def notice(data: bytes) -> Notice:
    """Raises ProtocolError for what is no notification."""
    start, end = _part(data, 0, SEQUENCE)
    if end != len(data):
        raise ProtocolError("not an SNMP message")
    at, after = _part(data, start, INTEGER)
    version = int.from_bytes(data[at:after], "big")
    if version == V3:
        return Notice(version)
    _, pdu = _part(data, after, OCTETS)
    kind = data[pdu] if pdu < len(data) else 0
    if kind not in KINDS.get(version, ()) or _part(data, pdu, kind)[1] != len(data):
        raise ProtocolError("no notification of SNMP")
    # A response has the same number, no error, and the same bindings: an inform with another tag.
    return Notice(version, data[:pdu] + bytes((RESPONSE,)) + data[pdu + 1 :] if kind == INFORM else b"")


def _part(data: bytes, at: int, tag: int) -> tuple[int, int]:
    """Where the contents of an element with that tag begin and end. Raises ProtocolError."""
    if data[at : at + 1] != bytes((tag,)) or at + 2 > len(data):
        raise ProtocolError("not an SNMP message")
    length, start = data[at + 1], at + 2
    if length & 0x80:
        count = length & 0x7F
        if not 1 <= count <= 4:
            raise ProtocolError("not an SNMP message")
        length, start = int.from_bytes(data[start : start + count], "big"), start + count
    if start + length > len(data):
        raise ProtocolError("an SNMP message that was cut off")
    return start, start + length
