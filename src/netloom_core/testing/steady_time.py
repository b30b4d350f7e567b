"""A loop whose clock stands still while its process is kept from running: for tests with both ends in one process.

    asyncio.Runner(loop_factory=SteadyLoop)

On a busy computer a process may be kept waiting for seconds. Whoever answers within 50 ms and whoever waits 200 ms for
that then wake at the same moment, and the answer is late by no fault of either. Here only that time passes in which the
process could run, or waited of its own accord. To another process it is slower than the time on the wall, never faster.
"""

from __future__ import annotations

import asyncio
import selectors
import time

SLACK_S = 0.002  # a wait ends so much too late at any time


class _Selector(selectors.DefaultSelector):
    """Counts for how long it was `lost`: what a wait took beyond its end, and work beyond its time on the processor."""

    def __init__(self) -> None:
        super().__init__()
        self._lost = 0.0
        self._worked()

    def _worked(self) -> None:
        self._since, self._used = time.monotonic(), time.thread_time()

    def at(self, now: float) -> float:
        """The loop's time at that monotonic time, which is now."""
        kept = now - self._since - (time.thread_time() - self._used) - SLACK_S
        return now - self._lost - max(kept, 0.0)

    def select(self, timeout: float | None = None) -> list[tuple[selectors.SelectorKey, int]]:
        begun = time.monotonic()
        self._lost = begun - self.at(begun)
        ready = super().select(timeout)
        if timeout is not None:
            self._lost += max(time.monotonic() - begun - max(timeout, 0.0) - SLACK_S, 0.0)
        self._worked()
        return ready


class SteadyLoop(asyncio.SelectorEventLoop):
    def __init__(self) -> None:
        self._steady = _Selector()
        super().__init__(self._steady)

    def time(self) -> float:
        return self._steady.at(time.monotonic())
