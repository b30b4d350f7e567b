"""Waiting for something outside, in time that this program had: while the computer held it up, nothing was waited for.

A busy computer comes back late to a wait of a fifth of a second. What came meanwhile, or would have come, is not there
yet when the time seems to be over, and a device that is well would be called silent.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

PIECE_S = 0.1  # waited at a time, so that being held up shows
USUAL_S = 0.01  # as late a timer usually is
MOST_HELD_S = 10.0  # given back in all


class Patience:
    """So many seconds from now on; where something is under way by then, at `most` so many."""

    def __init__(self, seconds: float, most: float = 0.0) -> None:
        self._clock = asyncio.get_running_loop().time
        self._last = self._clock()
        self._until = self._first = self._last + seconds
        self._end = self._last + max(seconds, most)
        self._asked = self._given = 0.0

    def piece(self) -> float:
        """Seconds to be waited next; 0 when the time is over. Asked before each wait, and not between two."""
        now = self._clock()
        held = min(now - self._last - self._asked, MOST_HELD_S - self._given)
        if held > USUAL_S:
            self._until += held
            self._first += held
            self._end += held
            self._given += held
        self._last = now
        self._asked = min(max(self._until - now, 0.0), PIECE_S)
        return self._asked

    def rest(self, seconds: float) -> Patience:
        """For what is under way: so long, and not beyond the end."""
        return Patience(max(min(seconds, self._end - self._clock()), 0.0))

    def back(self) -> None:
        """What came was nothing that one waits for: as long as before it came."""
        self._until = self._first

    def go_on(self, seconds: float = float("inf")) -> None:
        """Something came: so long from now on, if that is later; to the end at the most."""
        self._until = min(max(self._until, self._clock() + seconds), self._end)


async def heard(read: Callable[[float], Awaitable[bytes]], patience: Patience) -> bytes:
    """What comes next; empty when nothing did. `read` waits for at most so many seconds."""
    while (piece := patience.piece()) > 0:
        if data := await read(piece):
            return data
    return b""
