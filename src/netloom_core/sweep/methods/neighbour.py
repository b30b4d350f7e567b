"""Who answers ARP, with MAC address and the maker that registered its prefix.

Where this user may, each address is asked by ARP itself, and every answer is heard: two that claim one
address are seen at once. The system's table is left aside then: within a second of any change of an entry
Linux takes another one's answer as a proof of the old MAC address.

Else an empty datagram makes the system ask, and its table tells who answered. An entry of that table counts
only when it was confirmed after this sweep began, or when what was sent there during this sweep was answered:
it may outlive its device by hours. Who answers neither cannot be there, so the other methods are spared
asking it.
"""

from __future__ import annotations

import asyncio
import contextlib
import ipaddress
from functools import lru_cache

from netaddr import EUI, AddrFormatError, NotRegisteredError

from netloom_core.errors import LinkError
from netloom_core.links import neighbours
from netloom_core.links.arp import ArpLink
from netloom_core.links.interfaces import interface_of, is_ethernet
from netloom_core.links.udp import UdpLink
from netloom_core.protocols.arp import Arp
from netloom_core.sweep.base import Look, Method

ROUNDS_S = (0.6, 0.8, 1.0)  # how long each round of questions is listened to
KNOCK_PORT = 9  # discard (RFC 863); whoever has no such service throws it away
KNOCKS = 200  # by one socket: more would fill what the system holds back for it
KNOCK_S = 0.8
ASKED_S = 3.3  # the system asks three times, a second apart
UNSURE_S = 9.0  # until it is sure of an old entry that is in use again
EVERY_S = 0.2
TICK_S = 0.02  # the system counts ages in clock ticks, and rounds them down
AFTER_S = 1.5  # listened for so long after the questions, since others go on asking
MAX_OUTSIDE = 256


@lru_cache(4096)
def registered_maker(mac: str) -> str:
    """Who registered the prefix with the IEEE; empty for locally administered and unknown ones."""
    try:
        address = EUI(mac)
        if int(mac[:2], 16) & 2:
            return ""
        return str(address.oui.registration().org)[:80]
    except (AddrFormatError, NotRegisteredError, ValueError):
        return ""


class NeighbourTable(Method):
    name = "neighbour"
    title = "ARP and the neighbour table"
    needs = "An Ethernet interface of this computer on the line; the right to send ARP (CAP_NET_RAW) makes it surer."
    sends = "Up to three ARP requests to each address; without that right an empty UDP datagram to port 9 of each."
    probes = True

    async def run(self, look: Look) -> None:
        if look.line.loopback:
            look.note("Left out: loopback has no MAC addresses.")
            return
        interface = look.line.interface or interface_of(look.line.source)
        try:
            if not is_ethernet(interface):
                look.note(f"Left out: {interface or 'its interface'} is no Ethernet, so there is no ARP.")
                return
            await Asking(look, interface).run()
        finally:
            look.presence.settle(look.presence.proven)


class Asking:
    """One line being asked."""

    def __init__(self, look: Look, interface: str) -> None:
        self._look, self._interface = look, interface
        self._told: set[tuple[str, str]] = set()
        self._outside: set[str] = set()
        self._own_mac = ""

    async def run(self) -> None:
        look = self._look
        hosts = look.hosts()
        try:
            with ArpLink(self._interface, self._heard) as link:
                self._own_mac = link.mac.hex(":")
                await self._by_arp(link, hosts)
                look.presence.settle(proven=True)
                await asyncio.sleep(AFTER_S)
        except LinkError as error:
            look.note(f"{error.message} Two devices with one address may go unseen. {error.hint}")
            await self._by_knocking(hosts)
        look.progress(len(hosts), len(hosts))

    # By ARP of our own

    async def _by_arp(self, link: ArpLink, hosts: list[str]) -> None:
        look = self._look
        for number, seconds in enumerate(ROUNDS_S):
            for count, host in enumerate(host for host in hosts if number == 0 or host not in look.heard):
                await look.pace.take()
                for _ in range(5):
                    if link.ask(look.line.source, host):
                        break
                    look.pace.slow()
                    await asyncio.sleep(EVERY_S)
                if count % 64 == 0:
                    look.progress(number * len(hosts) + count, len(ROUNDS_S) * len(hosts))
            await asyncio.sleep(seconds)

    def _heard(self, packet: Arp) -> None:
        line = self._look.line
        if packet.mac == self._own_mac:
            return
        if packet.address == line.source:
            self._look.note(f"Another device, {packet.mac}, claims this computer's own address {line.source}.")
        elif line.holds(packet.address):
            self._tell(packet.address, packet.mac)
        elif packet.address not in self._outside and len(self._outside) < MAX_OUTSIDE and _usual(packet.address):
            self._outside.add(packet.address)
            self._tell(packet.address, packet.mac)

    # By the system's own questions

    async def _by_knocking(self, hosts: list[str]) -> None:
        look, loop = self._look, asyncio.get_running_loop()
        await asyncio.sleep(2 * TICK_S)  # so that an answer is told from one of the moment before this sweep
        old = {one.address for one in neighbours.table(self._interface) if one.mac}
        for host in hosts:
            if host in old:  # perhaps there; only its answer will tell, but it is worth asking first
                look.presence.met(host)
        with contextlib.ExitStack() as links:
            link: UdpLink | None = None
            for number, host in enumerate(hosts):
                if link is None or number % KNOCKS == 0:
                    if link is not None:
                        await self._watch(loop.time() + KNOCK_S)
                    link = links.enter_context(UdpLink(look.line.source))
                await look.send(link, b"", host, KNOCK_PORT)
                if number % 64 == 0:
                    look.progress(number, len(hosts))
            await self._watch(loop.time() + ASKED_S)
        entries = neighbours.table(self._interface)
        look.presence.settle(proven=bool(entries) or not hosts)
        await self._watch(look.begun + UNSURE_S if not look.only else loop.time())

    async def _watch(self, until: float) -> None:
        loop = asyncio.get_running_loop()
        while True:
            self._look_at_table()
            left = until - loop.time()
            if left <= 0:
                return
            await asyncio.sleep(min(EVERY_S, left))

    def _look_at_table(self) -> None:
        since = asyncio.get_running_loop().time() - self._look.begun - TICK_S
        for one in neighbours.table(self._interface):
            proven = one.age_s <= since or (one.address in self._look.answered and one.state & neighbours.VALID)
            if one.mac and proven and self._look.line.holds(one.address):
                self._tell(one.address, one.mac)

    def _tell(self, address: str, mac: str) -> None:
        """Each pair once: an address with two MACs is two devices that claim it."""
        if (address, mac) in self._told or not (self._look.wanted(address)):
            return
        self._told.add((address, mac))
        self._look.claimed.setdefault(address, set()).add(mac)
        look = self._look
        maker = look.library.maker_of_mac(mac) or registered_maker(mac)
        look.sight(address, NeighbourTable.name, mac=mac, mac_maker=maker, **look.outside(address))


def _usual(address: str) -> bool:
    parsed = ipaddress.ip_address(address)
    return not (parsed.is_multicast or parsed.is_unspecified or parsed.is_loopback or parsed.is_reserved)
