"""A second address on an interface of this computer, for a while: the system takes it away itself when its time is
over, so that none is left after a crash (rtnetlink(7), ifa_cacheinfo). Blocking: call it in a thread.
"""

from __future__ import annotations

import asyncio
import errno
import ipaddress
from typing import TYPE_CHECKING

from netloom_core.errors import LinkError
from netloom_core.links.arp import ArpLink
from netloom_core.protocols import arp

if TYPE_CHECKING:
    from pyroute2 import IPRoute

PROBES, PROBE_S = 2, 0.3  # a host answers an ARP probe (RFC 5227 clause 2.1.1) within milliseconds
TRIES = 16
NOBODY = str(ipaddress.IPv4Address(0))


def put(interface: str, address: str, bits: int, seconds: int, by_hand: str = "") -> None:
    """Add it, or let it stay for so long from now on. Raises LinkError; `by_hand` is how a person does it."""
    from pyroute2 import IPRoute  # loaded only for this: few need it, and it takes its time
    from pyroute2.netlink.exceptions import NetlinkError

    try:
        with IPRoute() as system:
            index = _index_of(system, interface)
            system.addr(
                "replace", index=index, address=address, prefixlen=bits, preferred_lft=seconds, valid_lft=seconds
            )
    except NetlinkError as error:
        if error.code in (errno.EPERM, errno.EACCES):
            raise LinkError(
                f"This user may not give {interface} a second address. Nothing was changed.",
                f"As root, type: {by_hand}. Then add that network as a line." if by_hand else "",
            ) from error
        raise LinkError(f"{interface} takes no second address: {error}.", "Look at this computer's network.") from error


def take_away(interface: str, address: str, bits: int) -> None:
    """One that is gone already is no trouble. Raises LinkError."""
    from pyroute2 import IPRoute
    from pyroute2.netlink.exceptions import NetlinkError

    try:
        with IPRoute() as system:
            system.addr("del", index=_index_of(system, interface), address=address, prefixlen=bits)
    except NetlinkError as error:
        if error.code not in (errno.EADDRNOTAVAIL, errno.ENODEV):
            raise LinkError(f"{address} could not be taken from {interface}: {error}.", "It ends by itself.") from error


def _index_of(system: IPRoute, interface: str) -> int:
    found = list(system.link_lookup(ifname=interface))
    if not found:
        raise LinkError(f"This computer has no interface {interface}.", "Look at this computer's network.")
    return int(found[0])


async def free_in(interface: str, network: ipaddress.IPv4Network, but: set[str]) -> str:
    """An address there that nobody answers for, from the end. Raises LinkError where none of some is, or where
    that cannot be asked."""
    heard: set[str] = set()

    def hear(packet: arp.Arp) -> None:
        heard.update((packet.address, packet.target if packet.address == NOBODY else packet.address))

    candidates = [str(host) for host in network.hosts() if str(host) not in but][-TRIES:]
    with ArpLink(interface, hear) as link:
        for _ in range(PROBES):
            for candidate in candidates:
                link.ask(NOBODY, candidate)
            await asyncio.sleep(PROBE_S)
    free = [candidate for candidate in reversed(candidates) if candidate not in heard]
    if not free:
        raise LinkError(f"No free address was found in {network}.", "Give this computer one there by hand.")
    return free[0]
