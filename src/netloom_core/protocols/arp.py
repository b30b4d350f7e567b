"""ARP for IPv4 on Ethernet: questions and what is said of who has which address. Source: RFC 826."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from netloom_core.errors import ProtocolError

ETHERNET, IPV4 = 1, 0x0800
REQUEST, REPLY = 1, 2
LENGTH = 28
HEAD = ETHERNET.to_bytes(2, "big") + IPV4.to_bytes(2, "big") + bytes((6, 4))


@dataclass(frozen=True)
class Arp:
    """One packet: `mac` says that it has `address`; a request asks who has `target`."""

    operation: int
    mac: str
    address: str
    target: str


def request(mac: bytes, source: str, target: str) -> bytes:
    """The packet without its Ethernet header. `mac` is the asker's, 6 bytes."""
    asker, asked = ipaddress.IPv4Address(source).packed, ipaddress.IPv4Address(target).packed
    return HEAD + REQUEST.to_bytes(2, "big") + mac + asker + bytes(6) + asked


def parse(data: bytes) -> Arp:
    """A request or reply; what pads it to Ethernet's least size is passed over. Raises ProtocolError."""
    if len(data) < LENGTH or data[:6] != HEAD:
        raise ProtocolError("not ARP for IPv4 on Ethernet")
    operation = int.from_bytes(data[6:8], "big")
    mac = data[8:14]
    if operation not in (REQUEST, REPLY) or not any(mac) or mac[0] & 1:
        raise ProtocolError("an ARP packet of nobody")
    address, target = (str(ipaddress.IPv4Address(data[at : at + 4])) for at in (14, 24))
    return Arp(operation, mac.hex(":"), address, target)
