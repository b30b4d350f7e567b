"""Art-Net: one poll by broadcast; nodes may answer to the asker or by broadcast to port 6454."""

from __future__ import annotations

import asyncio

from netloom_core.errors import LinkError, ProtocolError
from netloom_core.links.udp import UdpLink, broadcast_of
from netloom_core.protocols import artnet
from netloom_core.sweep.base import Look, Method

LISTEN_S = 3.2  # a node answers within a random second, and a poll is to be waited for 2.5 to 3 s


class ArtNetPoll(Method):
    name = "artnet"
    title = "Art-Net poll"
    needs = "UDP port 6454, shared with other programs."
    sends = "One ArtPoll by broadcast."
    wait_s = LISTEN_S

    async def run(self, look: Look) -> None:
        line = look.line
        try:
            shared = UdpLink(line.source, port=artnet.PORT, anywhere=True, interface=line.interface)
        except LinkError as error:
            look.note(f"Answers by broadcast cannot be heard: {error.message}")
            with UdpLink(line.source) as own:
                await self._ask(look, own)
                await self._hear(look, own)
            return
        # Answers go to the port that asked: 6454 on the line's own address hears those.
        with shared, UdpLink(line.source, port=artnet.PORT) as own:
            await self._ask(look, own)
            await asyncio.gather(self._hear(look, own), self._hear(look, shared))

    async def _ask(self, look: Look, link: UdpLink) -> None:
        await look.pace.take()
        await link.send(artnet.poll(), broadcast_of(look.line.source, look.line.network), artnet.PORT)

    async def _hear(self, look: Look, link: UdpLink) -> None:
        async for data, address, _ in link.answers(LISTEN_S):
            if look.accepts(address):
                try:
                    reply = artnet.parse_reply(data)
                except ProtocolError:
                    continue
                look.sight(address, self.name, **reply.facts(), **look.outside(address))
