"""DHCP messages: the questions that make servers tell themselves, and their answers. Source: RFC 2131, RFC 2132.

Neither question takes an address: DHCPINFORM asks for parameters only, and an offer to a DHCPDISCOVER that
nobody requests is forgotten by the server.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from netloom_core.errors import ProtocolError

CLIENT_PORT, SERVER_PORT = 68, 67
BOOTREQUEST, BOOTREPLY = 1, 2
COOKIE = bytes((99, 130, 83, 99))
HEAD = 236
BROADCAST = 0x8000
SUBNET, ROUTER, DNS, LEASE, KIND, SERVER, WANTED = 1, 3, 6, 51, 53, 54, 55
DISCOVER, OFFER, ACK, NAK, INFORM = 1, 2, 5, 6, 8
PAD, END = 0, 255
MAX_BYTES = 4096


@dataclass(frozen=True)
class Answer:
    """What a server said: `kind` is OFFER or ACK, `server` its address, `offered` the address that it would give."""

    transaction: int
    kind: int
    server: str
    offered: str
    router: str
    subnet: str
    lease_s: int


def question(kind: int, transaction: int, mac: bytes, own: str = "0.0.0.0") -> bytes:  # noqa: S104 - none yet
    """DISCOVER or INFORM; `own` is the asker's address, which INFORM is answered at."""
    head = bytes((BOOTREQUEST, 1, 6, 0)) + transaction.to_bytes(4, "big") + bytes(2)
    head += (BROADCAST if kind == DISCOVER else 0).to_bytes(2, "big") + ipaddress.IPv4Address(own).packed
    head += bytes(12) + mac.ljust(16, b"\0") + bytes(192)
    options = bytes((KIND, 1, kind, WANTED, 3, SUBNET, ROUTER, DNS, END))
    return (head + COOKIE + options).ljust(300, b"\0")


def parse_answer(data: bytes) -> Answer:
    """Raises ProtocolError when it is no answer of a DHCP server."""
    if not HEAD + 4 <= len(data) <= MAX_BYTES or data[0] != BOOTREPLY or data[HEAD : HEAD + 4] != COOKIE:
        raise ProtocolError("not an answer of a DHCP server")
    options: dict[int, bytes] = {}
    at = HEAD + 4
    while at < len(data) and data[at] != END:
        if data[at] == PAD:
            at += 1
            continue
        if at + 2 > len(data) or at + 2 + data[at + 1] > len(data):
            raise ProtocolError("a DHCP option is cut off")
        options[data[at]] = options.get(data[at], b"") + data[at + 2 : at + 2 + data[at + 1]]
        at += 2 + data[at + 1]
    kind = options.get(KIND, b"\0")[:1]
    if kind not in (bytes((OFFER,)), bytes((ACK,)), bytes((NAK,))) or len(options.get(SERVER, b"")) != 4:
        raise ProtocolError("a BOOTP answer that names no DHCP server")
    return Answer(
        transaction=int.from_bytes(data[4:8], "big"),
        kind=kind[0],
        server=_address(options[SERVER]),
        offered=_address(data[16:20]),
        router=_address(options.get(ROUTER, b"")[:4]),
        subnet=_address(options.get(SUBNET, b"")[:4]),
        lease_s=int.from_bytes(options.get(LEASE, b"")[:4], "big"),
    )


def _address(data: bytes) -> str:
    return str(ipaddress.IPv4Address(data)) if len(data) == 4 and any(data) else ""
