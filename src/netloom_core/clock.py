"""The core's only source of wall-clock time, handed in so that tests can set it."""

from __future__ import annotations

import time
from typing import Protocol


class Clock(Protocol):
    def now(self) -> float:
        """Unix time in seconds."""
        ...


BACK_S = 2.0  # as far as a clock is put back by its usual corrections
TICK_S = 0.000_001


class SystemClock:
    """The computer's, but for small corrections backwards: what is asked for later has the later time, so that no newer
    reading is taken for an older one. Put back by more, it is believed."""

    def __init__(self) -> None:
        self._last = 0.0

    def now(self) -> float:
        told = time.time()
        if self._last - BACK_S <= told <= self._last:
            told = self._last + TICK_S
        self._last = told
        return told
