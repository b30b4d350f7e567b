"""The neighbour table: who answered ARP, with MAC address and the maker that registered its prefix."""

from __future__ import annotations

import asyncio
from functools import lru_cache

from netaddr import EUI, AddrFormatError, NotRegisteredError

from netloom_core.links.interfaces import neighbours
from netloom_core.sweep.base import Look, Method

LOOKS = 6
EVERY_S = 1.0


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
    title = "Neighbour table"
    needs = "An Ethernet interface of this computer on the line."
    sends = "Nothing: what the other methods send makes the system ask for MAC addresses."

    async def run(self, look: Look) -> None:
        if look.line.loopback:
            look.note("Left out: loopback has no MAC addresses.")
            return
        told: dict[str, str] = {}
        for number in range(LOOKS):
            await asyncio.sleep(EVERY_S)
            for address, mac in neighbours(look.line.interface).items():
                # An entry that changes while we look is two devices that claim one address.
                if told.get(address) != mac and look.line.holds(address):
                    told[address] = mac
                    maker = look.library.maker_of_mac(mac) or registered_maker(mac)
                    look.sight(address, self.name, mac=mac, mac_maker=maker)
            look.progress(number + 1, LOOKS)
