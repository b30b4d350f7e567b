"""DHCP servers on the line: who gives addresses there, and how many do."""

from __future__ import annotations

import random

from netloom_core.errors import LinkError, ProtocolError
from netloom_core.links.interfaces import interface_of, mac_of
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import dhcp
from netloom_core.sweep.base import Look, Method

LISTEN_S = 3.0
EVERYBODY = "255.255.255.255"


class DhcpServers(Method):
    name = "dhcp"
    title = "DHCP servers"
    needs = "The right to use UDP port 68, while no DHCP client of this computer holds it for itself."
    sends = "One DHCPINFORM and one DHCPDISCOVER by broadcast; no address is taken."
    wait_s = LISTEN_S

    async def run(self, look: Look) -> None:
        line = look.line
        if look.only:
            return
        if line.loopback:
            look.note("Left out: loopback has no broadcasts of this kind.")
            return
        interface = line.interface or interface_of(line.source)
        mac = mac_of(interface)
        transaction = random.randint(1, 2**32 - 2)  # noqa: S311 - only to tell answers apart
        try:
            link = UdpLink(line.source, port=dhcp.CLIENT_PORT, anywhere=True, interface=interface)
        except LinkError as error:
            look.note(f"Left out: {error.message}")
            return
        told: set[str] = set()
        with link:
            inform = dhcp.question(dhcp.INFORM, transaction, mac, line.source)
            await look.send(link, inform, EVERYBODY, dhcp.SERVER_PORT)
            await look.send(link, dhcp.question(dhcp.DISCOVER, transaction + 1, mac), EVERYBODY, dhcp.SERVER_PORT)
            async for data, address, _ in link.answers(LISTEN_S):
                try:
                    answer = dhcp.parse_answer(data)
                except ProtocolError:
                    continue
                if answer.transaction not in (transaction, transaction + 1) or not look.accepts(address):
                    continue
                offered = {"offers": answer.offered, "offers_router": answer.router, "offers_mask": answer.subnet}
                look.sight(address, self.name, dhcp_server="yes", **offered, **look.outside(address))
                told.add(answer.server)
        if len(told) > 1:
            look.note(f"{len(told)} DHCP servers answer: {', '.join(sorted(told))}. Devices may get either's address.")
