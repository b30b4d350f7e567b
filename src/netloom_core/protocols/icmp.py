"""ICMP echo, RFC 792."""

from __future__ import annotations

from netloom_core.errors import ProtocolError

ECHO, ECHO_REPLY = 8, 0


def checksum(data: bytes) -> int:
    """One's complement sum of RFC 1071."""
    if len(data) % 2:
        data += b"\x00"
    total = sum(int.from_bytes(data[i : i + 2], "big") for i in range(0, len(data), 2))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF


def echo(ident: int, sequence: int, payload: bytes) -> bytes:
    head = bytes((ECHO, 0, 0, 0)) + ident.to_bytes(2, "big") + sequence.to_bytes(2, "big")
    return head[:2] + checksum(head + payload).to_bytes(2, "big") + head[4:] + payload


def parse_reply(data: bytes, payload: bytes, *, with_header: bool) -> None:
    """Checks that it answers an echo with that payload. Raises ProtocolError when not.

    Raw sockets give the IP header too (`with_header`); datagram ones do not, and put an
    identifier of their own, so only the payload tells whose it is.
    """
    if with_header:
        data = data[(data[0] & 0x0F) * 4 :] if data else b""
    if len(data) < 8 or data[0] != ECHO_REPLY or data[8 : 8 + len(payload)] != payload:
        raise ProtocolError("not our echo")
