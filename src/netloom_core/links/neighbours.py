"""The system's neighbour table: which MAC address answers for which address, and when it last did.

Read by rtnetlink(7), which any user may: unlike /proc/net/arp it tells how old an entry is. An entry may
outlive its device by hours, so only its age says anything about now.
"""

from __future__ import annotations

import contextlib
import os
import socket
import struct
from dataclasses import dataclass
from functools import cache

RTM_NEWNEIGH, RTM_GETNEIGH = 28, 30
NLM_F_REQUEST, NLM_F_DUMP = 0x1, 0x300
NLMSG_ERROR, NLMSG_DONE = 2, 3
NDA_DST, NDA_LLADDR, NDA_CACHEINFO = 1, 2, 3
INCOMPLETE, REACHABLE, STALE, DELAY, PROBE, FAILED = 0x01, 0x02, 0x04, 0x08, 0x10, 0x20
VALID = REACHABLE | STALE | DELAY | PROBE  # what is sent goes to the entry's MAC address
HEADER, MESSAGE, ATTRIBUTE = struct.Struct("=IHHII"), struct.Struct("=BxxxiHBB"), struct.Struct("=HH")
CONFIRMED = struct.Struct("=I")  # the first of nda_cacheinfo, in clock ticks since
RECEIVE_BYTES = 65_536
ANSWER_S = 1.0
MAX_ENTRIES = 16_384


@dataclass(frozen=True)
class Neighbour:
    """One entry. `mac` is empty while nobody answered; `age_s` is how long ago somebody last did for sure."""

    address: str
    mac: str
    state: int
    age_s: float


def table(interface: str, family: int = socket.AF_INET) -> list[Neighbour]:
    """The entries of one interface, an empty name for all; nothing where the system does not tell.

    `family` is AF_INET for ARP (RFC 826) or AF_INET6 for neighbour discovery (RFC 4861).
    """
    try:
        only = socket.if_nametoindex(interface) if interface else 0
        with socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, socket.NETLINK_ROUTE) as sock:
            sock.settimeout(ANSWER_S)
            sock.bind((0, 0))
            request = MESSAGE.pack(family, 0, 0, 0, 0)
            size = HEADER.size + len(request)
            sock.sendto(HEADER.pack(size, RTM_GETNEIGH, NLM_F_REQUEST | NLM_F_DUMP, 1, 0) + request, (0, 0))
            return _dump(sock, only, family)
    except (OSError, AttributeError):
        return []


def _dump(sock: socket.socket, only: int, family: int) -> list[Neighbour]:
    found: list[Neighbour] = []
    while len(found) < MAX_ENTRIES:
        data = sock.recv(RECEIVE_BYTES)
        at = 0
        while at + HEADER.size <= len(data):
            size, kind, _, _, _ = HEADER.unpack_from(data, at)
            if kind in (NLMSG_DONE, NLMSG_ERROR) or size < HEADER.size:
                return found
            if kind == RTM_NEWNEIGH and (one := _entry(data[at + HEADER.size : at + size], only, family)):
                found.append(one)
            at += size + 3 & ~3
    return found


def _entry(data: bytes, only: int, family: int) -> Neighbour | None:
    if len(data) < MESSAGE.size:
        return None
    of, index, state, _, _ = MESSAGE.unpack_from(data)
    if of != family or (only and index != only):
        return None
    parts: dict[int, bytes] = {}
    at = MESSAGE.size
    while at + ATTRIBUTE.size <= len(data):
        size, kind = ATTRIBUTE.unpack_from(data, at)
        if size < ATTRIBUTE.size:
            break
        parts[kind & 0x3FFF] = data[at + ATTRIBUTE.size : at + size]
        at += size + 3 & ~3
    length = 4 if family == socket.AF_INET else 16
    if len(parts.get(NDA_DST, b"")) != length or len(parts.get(NDA_CACHEINFO, b"")) < CONFIRMED.size:
        return None
    mac = parts.get(NDA_LLADDR, b"")
    (ticks,) = CONFIRMED.unpack_from(parts[NDA_CACHEINFO])
    return Neighbour(
        socket.inet_ntop(family, parts[NDA_DST]),
        mac.hex(":") if len(mac) == 6 and any(mac) else "",
        state,
        ticks / _ticks(),
    )


@cache
def _ticks() -> int:
    with contextlib.suppress(OSError, ValueError):
        return os.sysconf("SC_CLK_TCK")
    return 100


def confirmed(interface: str, within_s: float, family: int = socket.AF_INET) -> dict[str, str]:
    """MAC address by address, of those who answered within the last so many seconds."""
    return {one.address: one.mac for one in table(interface, family) if one.mac and one.age_s <= within_s}
