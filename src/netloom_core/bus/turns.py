"""Turns: who may speak now, by urgency, then in order of asking. A wait for one is bounded."""

from __future__ import annotations

import asyncio
import heapq
import itertools
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from enum import IntEnum

from netloom_core.errors import Busy


class Priority(IntEnum):
    """Smaller goes first."""

    DRIVE = 0  # somebody pressed it and waits
    CONSOLE = 1
    RUN = 2
    WATCH = 3
    SWEEP = 4


class Turns:
    """One has the turn; the others wait, the most urgent first."""

    def __init__(self, what: str) -> None:
        """`what` names in an error what is taken turns at."""
        self._what = what
        self._waiting: list[tuple[int, int, asyncio.Future[None]]] = []
        self._order = itertools.count()
        self._taken = False
        self.holder = ""

    @property
    def free(self) -> bool:
        return not self._taken

    @asynccontextmanager
    async def turn(self, priority: Priority, who: str, wait: float) -> AsyncIterator[None]:
        """Have the turn inside. Raises Busy, that names who has it, after `wait` seconds."""
        await self.take(priority, who, wait)
        try:
            yield
        finally:
            self.give()

    async def take(self, priority: Priority, who: str, wait: float) -> None:
        """As `turn`, for those that `give` it back themselves, whatever happens."""
        if not self.take_free(who):
            await self._wait(priority, wait)
            self.holder = who

    def take_free(self, who: str) -> bool:
        """Take it where nobody has it, which is the usual case; whether that was so."""
        if self._taken:
            return False
        self._taken, self.holder = True, who
        return True

    def give(self) -> None:
        self.holder = ""
        self._pass_on()

    async def _wait(self, priority: Priority, wait: float) -> None:
        mine = asyncio.get_running_loop().create_future()
        heapq.heappush(self._waiting, (priority, next(self._order), mine))
        try:
            async with asyncio.timeout(wait):
                await mine
        except BaseException as error:
            if mine.done() and not mine.cancelled():
                self._pass_on()  # it was given in the very moment in which we gave up
            mine.cancel()
            if isinstance(error, TimeoutError):
                raise Busy(
                    f"{self.holder or 'Somebody'} has {self._what} now.",
                    "Wait until that has ended, or stop it, then try again. Nothing was sent.",
                    outcome="not_sent",
                ) from None
            raise

    def _pass_on(self) -> None:
        while self._waiting:
            _, _, waiter = heapq.heappop(self._waiting)
            if not waiter.done():
                waiter.set_result(None)
                return
        self._taken = False
