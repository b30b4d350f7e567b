"""sACN: listening for who sends which universes; nothing is sent."""

from __future__ import annotations

from netloom_core.errors import ProtocolError
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import sacn
from netloom_core.sweep.base import Look, Method

LISTEN_S = sacn.DISCOVERY_INTERVAL_S + 0.3


class SacnListen(Method):
    name = "sacn"
    title = "sACN universe discovery"
    needs = "UDP port 5568, shared with other programs; ten seconds, since sources tell no oftener."
    sends = "Nothing; it joins the discovery group."
    wait_s = LISTEN_S

    async def run(self, look: Look) -> None:
        told: set[tuple[str, str, tuple[int, ...]]] = set()
        group = sacn.group(sacn.DISCOVERY_UNIVERSE)
        with UdpLink(
            look.line.source, port=sacn.PORT, anywhere=True, interface=look.line.interface, groups=(group,)
        ) as link:
            async for data, address, _ in link.answers(LISTEN_S):
                if not look.accepts(address):
                    continue
                try:
                    source = sacn.parse(data)
                except ProtocolError:
                    continue
                key = (address, source.cid, source.universes)
                if key not in told:
                    told.add(key)
                    universes = " ".join(map(str, source.universes))
                    look.sight(address, self.name, uuid=source.cid, title=source.name, sends_universes=universes,
                               **look.outside(address))  # fmt: skip
