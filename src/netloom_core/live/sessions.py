"""All sessions, by device; and a look at who is at a place, which is nobody's session."""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from collections.abc import AsyncIterator, Hashable
from contextlib import asynccontextmanager
from dataclasses import dataclass
from enum import Enum
from weakref import WeakKeyDictionary

from netloom_core.bus.turns import Priority, Turns
from netloom_core.clock import Clock
from netloom_core.drivers.abilities import DriverSource
from netloom_core.errors import Busy, LinkError, NetloomError, NobodyThere, PortMissing
from netloom_core.identity.keys import Makers
from netloom_core.identity.proof import Verdict, judge
from netloom_core.live.session import WAIT_S, Session, Talk
from netloom_core.model.device import Identity, Target

MAX_OPEN = 4000  # sessions kept with their connections; the ones used longest ago are closed
LOOK_S = 12.0


class Presence(Enum):
    ITSELF = "itself"
    OTHER = "other"
    NOBODY = "nobody"  # silence, or a refused connection where that tells nothing
    UNCLEAR = "unclear"  # somebody is there, and who it is was not to be had
    UNSEEN = "unseen"  # this computer could not look, which tells nothing of who is there


@dataclass(frozen=True)
class Sight:
    """What a look at a place showed. `error` is why it stayed unclear or unseen, or what silence it was."""

    presence: Presence
    identity: Identity | None = None
    error: NetloomError | None = None


class Sessions:
    def __init__(self, source: DriverSource, makers: Makers, clock: Clock) -> None:
        self.source = source
        self.makers = makers
        self._clock = clock
        self._open: OrderedDict[str, Session] = OrderedDict()
        self._away: WeakKeyDictionary[Turns, asyncio.Lock] = WeakKeyDictionary()

    async def of(self, target: Target) -> Session:
        """The device's one session, aimed at where its record says it is."""
        session = self._open.get(target.device)
        if session is None:
            session = self._open[target.device] = Session(target, self.source, self.makers, self._clock)
            await self._close_old()
        else:
            self._open.move_to_end(target.device)
            session.aim(target)
        return session

    async def talk(self, target: Target, who: str, priority: Priority) -> Talk:
        return (await self.of(target)).talk(who, priority)

    async def lane(self, target: object) -> Hashable | None:
        """What it shares with others of which one speaks at a time, as `together` wants it; None where it is on its
        own, or no target."""
        return self.source.shared(target) if isinstance(target, Target) else None

    @asynccontextmanager
    async def away(self, target: Target) -> AsyncIterator[None]:
        """One at a time that is sent away, of those that share a line: while another is asked there in vain, one that
        goes and comes back would not be seen to."""
        shared = self.source.shared(target)
        if shared is None:
            yield
            return
        async with self._away.setdefault(shared, asyncio.Lock()):
            yield

    async def look(self, place: Target) -> Sight:
        """Who is at that place now, compared with who should be. Only asks for identity; never raises NetloomError.

        Of a device that is a port of its own, as on USB, that port is not there while it is away; any other trouble of
        this computer's own is no absence.
        """
        shared = self.source.shared(place)
        if shared is None or shared.mine:
            return await self._look(place)
        try:
            await shared.hold(Priority.RUN, place.name, WAIT_S)
        except Busy as error:
            return Sight(Presence.UNSEEN, error=error)
        try:
            return await self._look(place)
        finally:
            shared.give()

    async def _look(self, place: Target) -> Sight:
        driver = None
        try:
            async with asyncio.timeout(LOOK_S):
                driver = await self.source.open(place)
                identity: Identity = await driver.identify()
        except TimeoutError:
            return Sight(Presence.UNCLEAR, error=NetloomError(f"{place.address} talks without end."))
        except NobodyThere as error:
            # A host that refuses is a host; on loopback every free address refuses, so there it tells nothing.
            if error.refused and not place.line.loopback:
                return Sight(Presence.UNCLEAR, error=error)
            return Sight(Presence.NOBODY, error=error)
        except LinkError as error:
            away = isinstance(error, PortMissing) and self.source.abilities(place.profile, place.line).own_port
            return Sight(Presence.NOBODY if away else Presence.UNSEEN, error=error)
        except NetloomError as error:
            return Sight(Presence.UNCLEAR, error=error)
        finally:
            if driver is not None:
                await driver.close()
        verdict = judge(place, identity, self.makers)
        found = {Verdict.SAME: Presence.ITSELF, Verdict.OTHER: Presence.OTHER}.get(verdict, Presence.UNCLEAR)
        return Sight(found, identity)

    async def forget(self, device: str) -> None:
        session = self._open.pop(device, None)
        if session is not None:
            await session.drop()

    async def _close_old(self) -> None:
        for device, session in list(self._open.items()):
            if len(self._open) <= MAX_OPEN:
                return
            if session.idle:
                del self._open[device]
                await session.drop()

    async def close(self) -> None:
        for session in self._open.values():
            await session.drop()
        self._open.clear()
