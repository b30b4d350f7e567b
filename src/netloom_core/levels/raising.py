"""A test of fixtures one after the other: sACN above everybody else's priority, all other slots as they were heard.

Afterwards the levels that were heard go out for a moment, and the stream is ended as such (ANSI E1.31-2018, 6.2.6), so
that receivers go back to whom they had before.
"""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from netloom_core.errors import CannotDo, NobodyThere
from netloom_core.levels.heard import Universe
from netloom_core.links.udp import UdpLink
from netloom_core.model.line import Line
from netloom_core.protocols import sacn
from netloom_core.protocols.dmx_data import MOST_PRIORITY, SLOTS, Frame, build_sacn

EVERY_S = 0.04
BACK_S, ENDED_TIMES = 0.6, 3
HEAR_S = 1.5  # a source that sends sends at least each second (E1.31, 6.6.1)
USUAL_PRIORITY = 150
LONGEST_S = 3600.0


@dataclass(frozen=True)
class Fixture:
    """`start` counts from 1."""

    name: str
    start: int
    slots: int


class Raising:
    """`at` is the one that is up now, -1 before and after. `goes_on` is asked before each frame."""

    def __init__(
        self, line: Line, universe: Universe, fixtures: Sequence[Fixture], seconds: float, now: Callable[[], float]
    ) -> None:
        for one in fixtures:
            if not (1 <= one.start <= SLOTS and one.slots >= 1 and one.start + one.slots - 1 <= SLOTS):
                raise CannotDo(f"{one.name} does not lie within the 512 slots.", "Look at its start address.")
        self.line, self.universe, self.fixtures, self.seconds = line, universe, list(fixtures), seconds
        self._now = now
        self._cid, self._sequence = str(uuid.uuid4()), 0
        self.at = -1
        self.priority = 0
        self._raised, self._left, self._back = 0, 0, False

    def account(self) -> str:
        """What came of it, in words."""
        if not self._left:
            return "Nothing was sent."
        of = f"{self._raised} of {len(self.fixtures)} fixtures were raised."
        return (
            f"{of} {'The levels before were sent once more, and the stream was ended.' if self._back else ''}".strip()
        )

    async def run(self, goes_on: Callable[[], bool]) -> None:
        """Raises CannotDo where nobody could be outvoted, LinkError where nothing goes out at all.

        Ended, or cancelled, the levels before are given back all the same.
        """
        await self._hear_first(goes_on)
        base = bytes(self.universe.levels(self._now()))
        top = max((one.priority for one in self.universe.senders(self._now())), default=0)
        if top >= MOST_PRIORITY:
            raise CannotDo(
                f"A source sends universe {self.universe.number} with priority {top}: there is none above it.",
                "Lower it at that source for the time of the test.",
            )
        self.priority = max(USUAL_PRIORITY, top + 1)
        with UdpLink(self.line.source, interface=self.line.interface) as link:
            try:
                for number, fixture in enumerate(self.fixtures):
                    self.at = number
                    lit = bytearray(base)
                    lit[fixture.start - 1 : fixture.start - 1 + fixture.slots] = b"\xff" * fixture.slots
                    if not await self._hold(link, bytes(lit), self.seconds, goes_on):
                        break
                    if not self._left:
                        raise NobodyThere(
                            f"Nothing left this computer for universe {self.universe.number}.",
                            "Look at its network card and the address of the line.",
                        )
                    self._raised += 1
            finally:
                self.at = -1
                await asyncio.shield(self._end(link, base))

    async def _hear_first(self, goes_on: Callable[[], bool]) -> None:
        """What is there is what is given back: it has to be known."""
        loop = asyncio.get_running_loop()
        until = loop.time() + HEAR_S
        while loop.time() < until and goes_on() and not self.universe.senders(self._now()):  # noqa: ASYNC110 - or ends
            await asyncio.sleep(EVERY_S)

    async def _hold(self, link: UdpLink, levels: bytes, seconds: float, goes_on: Callable[[], bool]) -> bool:
        loop = asyncio.get_running_loop()
        until = loop.time() + min(seconds, LONGEST_S)
        while loop.time() < until:
            if not goes_on():
                return False
            await self._send(link, levels)
            await asyncio.sleep(EVERY_S)
        return True

    async def _end(self, link: UdpLink, base: bytes) -> None:
        await self._hold(link, base, BACK_S, lambda: True)
        for _ in range(ENDED_TIMES):
            await self._send(link, base, ended=True)
        self._back = self._left > 0

    async def _send(self, link: UdpLink, levels: bytes, *, ended: bool = False) -> None:
        self._sequence = (self._sequence + 1) % 256
        frame = Frame(
            self.universe.number, levels, self._cid, "Netloom test", self.priority, self._sequence, terminated=ended
        )
        self._left += await link.send(build_sacn(frame), sacn.group(self.universe.number), sacn.PORT)
