"""How fast a sweep may send, and how much it sent."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

RATE = 3000  # packets a second on one line: some 2 % of a 100 Mbit/s network, and small switches stay calm
BURST_S = 0.05


class Pace:
    """One line's allowance. Whoever sends takes first, and waits when the line is ahead of it."""

    def __init__(self, rate: int = RATE, now: Callable[[], float] | None = None) -> None:
        """`rate` is in packets a second. In no second more than `rate` x (1 + BURST_S) are given out."""
        self.rate = rate
        self.sent = 0
        self._now = now or asyncio.get_running_loop().time
        self._free_at = 0.0

    def delay(self, packets: int = 1) -> float:
        """Take so many; returns how many seconds the caller has to wait before it sends."""
        now = self._now()
        self._free_at = max(self._free_at, now - BURST_S) + packets / self.rate
        self.sent += packets
        return max(0.0, self._free_at - now)

    async def take(self, packets: int = 1) -> None:
        delay = self.delay(packets)
        if delay > 0:
            await asyncio.sleep(delay)

    def share(self) -> Share:
        return Share(self)


class Share:
    """One method's part of a line's pace: the allowance is common, the count its own."""

    def __init__(self, pace: Pace) -> None:
        self._pace = pace
        self.rate = pace.rate
        self.sent = 0

    async def take(self, packets: int = 1) -> None:
        self.sent += packets
        await self._pace.take(packets)
