"""How fast a sweep may send, and how much it sent.

The rate is halved when the system takes no more (its buffers or its neighbour table are full), and
comes back step by step while it does.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

RATE = 3000  # packets a second on one line: some 2 % of a 100 Mbit/s network, and small switches stay calm
BURST_S = 0.05
LEAST = 50  # packets a second, however full this computer is
SLOWER, FASTER = 0.5, 1.25
CALM_S = 0.5  # without trouble for so long, and it goes faster again; nor is it slowed oftener


class Pace:
    """One line's allowance. Whoever sends takes first, and waits when the line is ahead of it."""

    def __init__(self, rate: int = RATE, now: Callable[[], float] | None = None) -> None:
        """`rate` is in packets a second. In no second more than `rate` x (1 + BURST_S) are given out."""
        self.rate = self._most = rate
        self.sent = 0
        self.slowed = 0
        self._now = now or asyncio.get_running_loop().time
        self._free_at = 0.0
        self._since = 0.0

    def delay(self, packets: int = 1) -> float:
        """Take so many; returns how many seconds the caller has to wait before it sends."""
        now = self._now()
        if self.rate < self._most and now - self._since >= CALM_S:
            self.rate, self._since = min(self._most, int(self.rate * FASTER)), now
        self._free_at = max(self._free_at, now - BURST_S) + packets / self.rate
        self.sent += packets
        return max(0.0, self._free_at - now)

    def slow(self) -> None:
        """This computer took no more: half as fast from here on, once for each such time."""
        now = self._now()
        if not self.slowed or now - self._since >= CALM_S:
            self.rate, self._since = max(LEAST, int(self.rate * SLOWER)), now
            self.slowed += 1

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
        self.sent = 0

    @property
    def rate(self) -> int:
        return self._pace.rate

    def slow(self) -> None:
        self._pace.slow()

    async def take(self, packets: int = 1) -> None:
        self.sent += packets
        await self._pace.take(packets)
