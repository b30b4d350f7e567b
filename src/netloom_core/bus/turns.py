"""Turns: who may speak now, by urgency, then in order of asking. A wait for one is bounded."""

from __future__ import annotations

import asyncio
import heapq
import itertools
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from enum import IntEnum

from netloom_core.errors import Busy


class Priority(IntEnum):
    """Smaller goes first."""

    DRIVE = 0  # somebody pressed it and waits
    CONSOLE = 1
    RUN = 2
    WATCH = 3
    SWEEP = 4


@dataclass(order=True)
class Waiter:
    priority: Priority
    order: int
    given: asyncio.Future[None] = field(compare=False)
    wait: float = field(compare=False)
    until: float = field(compare=False)  # of the loop's time


class Turns:
    """One has the turn; the others wait, the most urgent first."""

    def __init__(self, what: str) -> None:
        """`what` names in an error what is taken turns at."""
        self._what = what
        self._waiting: list[Waiter] = []
        self._order = itertools.count()
        self._taken = False
        self._task: asyncio.Task[object] | None = None  # whose turns are all parts of one that it holds
        self.holder = ""

    @property
    def free(self) -> bool:
        return not self._taken

    @property
    def mine(self) -> bool:
        """Whether this task holds it."""
        return self._task is not None and self._task is asyncio.current_task()

    @asynccontextmanager
    async def turn(self, priority: Priority, who: str, wait: float) -> AsyncIterator[None]:
        """Have the turn inside. Raises Busy, that names who has it, after `wait` seconds: of one who stands before it
        and waits, in all; else of those in which nobody who asked before had ended."""
        if self.mine:
            yield
            return
        await self.take(priority, who, wait)
        try:
            yield
        finally:
            self.give()

    async def hold(self, priority: Priority, who: str, wait: float) -> None:
        """As `take`; until it is given back, each further turn of this task is a part of this one."""
        await self.take(priority, who, wait)
        self._task = asyncio.current_task()

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
        self.holder, self._task = "", None
        self._pass_on()

    async def _wait(self, priority: Priority, wait: float) -> None:
        loop = asyncio.get_running_loop()
        mine = Waiter(priority, next(self._order), loop.create_future(), wait, loop.time() + wait)
        heapq.heappush(self._waiting, mine)
        try:
            while not mine.given.done():
                left = mine.until - loop.time()
                if left <= 0:
                    raise Busy(
                        f"{self.holder or 'Somebody'} has {self._what} now.",
                        "Wait until that has ended, or stop it, then try again. Nothing was sent.",
                        outcome="not_sent",
                    )
                await asyncio.wait([mine.given], timeout=left)
        except BaseException:
            if mine.given.done():
                self._pass_on()  # it was given in the very moment in which we gave up
            mine.given.cancel()
            raise

    def _pass_on(self) -> None:
        while self._waiting:
            first = heapq.heappop(self._waiting)
            if first.given.done():
                continue
            first.given.set_result(None)
            now = asyncio.get_running_loop().time()
            for other in self._waiting:
                # However long the queue was, it has an end; those that push in do not make anybody wait for ever.
                if other.priority is not Priority.DRIVE and first.order < other.order:
                    other.until = now + other.wait
            return
        self._taken = False
