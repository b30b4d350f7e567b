"""A loop whose clock jumps to the next timer instead of waiting: for work that touches no socket.

    asyncio.Runner(loop_factory=VirtualLoop)

Hours pass in milliseconds, and in the same order as in real time. Nothing in such a test may wait
for another thread, another process or the network: when nothing is due and nothing is ready, the
loop says so with an error instead of hanging.
"""

from __future__ import annotations

import asyncio
import selectors
from collections.abc import Coroutine
from typing import Any, TypeVar

Result = TypeVar("Result")


class Stuck(RuntimeError):
    """Everybody waits for something that nobody will do."""


class _Selector(selectors.SelectSelector):
    """Gives what is ready at once; a wait becomes a jump of the clock.

    The loop's own pipe only wakes it from a wait, and it never waits: the system is not asked for that alone.
    """

    def __init__(self) -> None:
        super().__init__()
        self.now = 0.0

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        if len(self.get_map()) > 1 and (ready := super().select(0)):
            return ready
        if timeout is None:
            raise Stuck("nothing is due and nothing is ready")
        self.now += max(timeout, 0.0)
        return []


class VirtualLoop(asyncio.SelectorEventLoop):
    def __init__(self) -> None:
        self._jumps = _Selector()
        super().__init__(self._jumps)

    def time(self) -> float:
        return self._jumps.now


class VirtualClock:
    """Wall-clock time that goes with the loop's."""

    def __init__(self, begin: float = 1_000_000.0) -> None:
        self._begin = begin

    def now(self) -> float:
        return self._begin + asyncio.get_running_loop().time()


def run(work: Coroutine[Any, Any, Result]) -> Result:
    """Like asyncio.run, in virtual time."""
    with asyncio.Runner(loop_factory=VirtualLoop) as runner:
        return runner.run(work)
