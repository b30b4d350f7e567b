"""Listening to one universe on a line, while somebody looks. Nothing is sent but the joining of a multicast group."""

from __future__ import annotations

import asyncio
from typing import Any

from netloom_core.clock import Clock
from netloom_core.errors import CannotDo, LinkError, NetloomError, ProtocolError
from netloom_core.levels.heard import Protocol, Universe
from netloom_core.links.udp import UdpLink
from netloom_core.model.line import Line
from netloom_core.protocols import artnet, sacn
from netloom_core.protocols.dmx_data import parse_artdmx, parse_sacn

LEASE_S = 12.0
ROUND_S = 1.0
MOST = 16  # universes at once
HEARD = {
    "artnet": "What is broadcast, or sent to this computer; what goes to nodes one by one is not heard here.",
    "sacn": "What is multicast; the switch has to let it through to this computer.",
}


class Listening:
    """All that is listened to now: each ends by itself when nobody asked for a while."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._open: dict[tuple[str, Protocol, int], tuple[Universe, asyncio.Task[None]]] = {}
        self._until: dict[tuple[str, Protocol, int], float] = {}
        self._trouble: dict[tuple[str, Protocol, int], str] = {}

    def look_at(self, line: Line, protocol: Protocol, number: int) -> dict[str, Any]:
        """What is heard; begins to listen. Raises CannotDo where that line carries none, or too many are open."""
        if line.kind != "ip" or not line.source:
            raise CannotDo("Levels are heard on a network of this computer.", "Choose the lighting network.")
        key = line.id, protocol, number
        self._until[key] = asyncio.get_running_loop().time() + LEASE_S
        if key not in self._open:
            if len(self._open) >= MOST:
                raise CannotDo(f"{MOST} universes are listened to already.", "Close one of them first.")
            universe = Universe(protocol, number)
            self._trouble.pop(key, None)
            task = asyncio.ensure_future(self._listen(key, line, universe))
            self._open[key] = universe, task
            task.add_done_callback(lambda _: (self._open.pop(key, None), self._until.pop(key, None)))
        universe = self._open[key][0]
        told = {"hears": HEARD[protocol], "trouble": self._trouble.get(key, "")}
        return universe.shown(self._clock.now()) | told

    async def _listen(self, key: tuple[str, Protocol, int], line: Line, universe: Universe) -> None:
        groups = (sacn.group(universe.number),) if universe.protocol == "sacn" else ()
        port = sacn.PORT if universe.protocol == "sacn" else artnet.PORT
        parse = parse_sacn if universe.protocol == "sacn" else parse_artdmx
        loop = asyncio.get_running_loop()
        try:
            with UdpLink(line.source, port=port, anywhere=True, interface=line.interface, groups=groups) as link:
                while loop.time() < self._until[key]:
                    async for data, address, _ in link.answers(ROUND_S):
                        if line.loopback and not line.holds(address):
                            continue  # there all networks are one
                        try:
                            universe.take(parse(data), address, self._clock.now())
                        except ProtocolError:
                            continue
        except LinkError as error:
            await self._told(key, error)

    async def _told(self, key: tuple[str, Protocol, int], error: NetloomError) -> None:
        """Nobody is listened to; why stands there while somebody looks."""
        loop = asyncio.get_running_loop()
        self._trouble[key] = error.message
        while (left := self._until[key] - loop.time()) > 0:  # noqa: ASYNC110 - it is put off whenever somebody looks
            await asyncio.sleep(left)
        self._trouble.pop(key, None)

    def universe(self, line: Line, protocol: Protocol, number: int) -> Universe:
        """What is listened to already. Raises CannotDo where it is not."""
        found = self._open.get((line.id, protocol, number))
        if found is None:
            raise CannotDo("That universe is not listened to.", "Look at its levels first.")
        return found[0]

    async def stop(self) -> None:
        tasks = [task for _, task in self._open.values()]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
