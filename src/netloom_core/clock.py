"""The core's only source of wall-clock time, handed in so that tests can set it."""

from __future__ import annotations

import time
from typing import Protocol


class Clock(Protocol):
    def now(self) -> float:
        """Unix time in seconds."""
        ...


class SystemClock:
    def now(self) -> float:
        return time.time()
