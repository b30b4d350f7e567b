"""The walk over the places of a line with many units: each is asked shortly at first, since most places are empty.

Who takes longer is heard while others are asked, or in the pause before the speed is changed, and asked again in
peace. Last those that should be there and were not heard at any speed are asked again, with all the time that their
standard gives them: nobody is called missing who is only slow.
"""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Iterable, Sequence
from typing import NamedTuple, Protocol

from netloom_core.sweep.base import Look
from netloom_core.sweep.noise import Noise

MOST_MISSING = 12  # that are asked in peace at other speeds than their own: where more are away, the line is
MOST_SUSPECTED = 48  # in vain, by spoiled bytes: on a line with much noise those tell nothing
SLOWER = 1.5  # the next are asked with so much more time when one was late: on a line are many of a kind
LINE_S = 0.1  # that a short question and its answer may take on the wire
RECENT = 32
PROGRESS_EACH = 8


class Place(NamedTuple):
    address: int
    speed: int  # in baud


def expected_on(look: Look) -> list[Place]:
    """Where units of this line should be, by the records."""
    return [Place(int(a), speed or look.line.speed) for a, speed in look.expected if look.line.holds(a)]


def seconds_for_missing(look: Look, full: float, speeds: int) -> float:
    """How long the questions in peace take where nobody is there who should be."""
    expected = len(look.expected)
    return 2 * full * (expected + min(expected, MOST_MISSING) * speeds)


class Bus(Protocol):
    """What the walk needs of a protocol. `usual` seconds are enough for most units, `full` for all.

    Who spoke when somebody else was asked, and when bytes came that make no sense, is in the line's owner.
    """

    usual: float
    full: float

    async def ask(self, place: Place, seconds: float) -> bool:
        """Whether anything came back; sightings are made of it."""
        ...

    async def listen(self, seconds: float) -> None:
        """Say nothing, and note who speaks."""
        ...


class Walk:
    """One walk. `expected` are the places on record, `factory` the addresses of units as they come from the factory."""

    def __init__(self, look: Look, bus: Bus, noise: Noise, expected: Sequence[Place], factory: Iterable[int]) -> None:
        self._look, self._bus, self._noise = look, bus, noise
        self._owner = look.owners.serial(look.line)
        self._expected = [place for place in expected if look.wanted(str(place.address))]
        self._factory = sorted(address for address in factory if look.wanted(str(address)))
        self._answered: set[Place] = set()
        self._in_peace: set[Place] = set()
        self._recent: deque[tuple[float, Place]] = deque(maxlen=RECENT)
        self._suspected = 0
        self._usual = bus.usual

    async def walk(self, places: Iterable[Place], speeds: Sequence[int]) -> None:
        """`speeds` are those at which a missing one may be, the line's own first."""
        wanted = [place for place in dict.fromkeys(places) if self._look.wanted(str(place.address))]
        speed, own = self._look.line.speed, self._own()
        for count, place in enumerate(wanted, 1):
            if place.speed != speed:
                await self._hear_out()
                speed = place.speed
            self._recent.append((asyncio.get_running_loop().time(), place))
            await self._ask(place, self._usual)
            await self._strays()
            if count % PROGRESS_EACH == 0:
                self._look.progress(count, len(wanted) + len(own))
        await self._hear_out()
        again = self._again(own, speeds)
        for count, place in enumerate(again, 1):
            if place in own or not self._there(place.address):
                await self._peace(place)
                await self._strays()
            self._look.progress(len(wanted) + count, len(wanted) + len(again))
        self._look.progress(len(wanted) + len(again), len(wanted) + len(again))
        self._line()

    @property
    def heard(self) -> bool:
        """Whether anybody was, or bytes that make no sense."""
        return bool(self._answered)

    def _line(self) -> None:
        """What was seen of the line itself."""
        if self._owner.echoes:
            self._look.note("The adapter gives back what is sent; that was told apart from answers.")
        if self._owner.crackle.often:
            self._look.note(
                "After questions that nobody answered a few bytes came, as drivers leave them on a line when they are "
                "switched; they were told apart from answers. Look at the termination, and whether something holds the "
                "line's level while nobody speaks."
            )

    def _own(self) -> list[Place]:
        """Where somebody should be, or comes to be."""
        factory = (Place(address, self._look.line.speed) for address in self._factory)
        return list(dict.fromkeys([*self._expected, *factory]))

    def _again(self, own: list[Place], speeds: Sequence[int]) -> list[Place]:
        missing = list(dict.fromkeys(place.address for place in self._expected if not self._there(place.address)))
        if len(missing) > MOST_MISSING and len(speeds) > 1:
            self._look.note(
                f"{len(missing)} units that should be there did not answer; {len(missing) - MOST_MISSING} of them were "
                "asked only shortly at other speeds."
            )
        others = (Place(a, speed) for speed in speeds for a in missing[:MOST_MISSING])
        return [place for place in dict.fromkeys([*own, *others]) if place not in self._answered | self._in_peace]

    def _there(self, address: int) -> bool:
        return any(place.address == address for place in self._answered)

    async def _ask(self, place: Place, seconds: float) -> bool:
        if self._noise.at(place.speed):
            return False
        if not await self._bus.ask(place, seconds):
            return False
        self._answered.add(place)
        return True

    async def _peace(self, place: Place) -> None:
        """With all its time, and a second time: the first question may have met a late answer of another."""
        self._in_peace.add(place)
        if not await self._ask(place, self._bus.full):
            await self._ask(place, self._bus.full)

    async def _hear_out(self) -> None:
        """Before the speed is changed, or at the end: what comes after that nobody understands."""
        await self._bus.listen(self._bus.full - self._usual)
        await self._strays()

    async def _strays(self) -> None:
        """Who spoke late is asked in peace."""
        while self._owner.strays or self._owner.spoiled:
            found = {Place(*one) for one in self._owner.strays}
            self._owner.strays.clear()
            found |= self._suspects()
            for place in sorted(found - self._answered - self._in_peace):
                await self._peace(place)
                if place in self._answered:
                    self._suspected, self._usual = 0, min(self._usual * SLOWER, self._bus.full)

    def _suspects(self) -> set[Place]:
        """Two answers at once, or one that met a question: who was asked within that time may be there."""
        within = self._bus.full + LINE_S
        found = {place for at in self._owner.spoiled for begun, place in self._recent if 0 <= at - begun <= within}
        self._owner.spoiled.clear()
        found -= self._answered | self._in_peace
        self._suspected += len(found)
        return found if self._suspected <= MOST_SUSPECTED else set()
