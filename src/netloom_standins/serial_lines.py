"""A serial line without a unit: silent, or one that only makes noise."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from netloom_standins.pty_port import PtyPort

NOISE_BYTES = 9


class NoisyLine(PtyPort):
    def __init__(self, link: Path, *, noisy: bool = False, **adapter: Any) -> None:
        """`noisy`: whatever is said, bytes without sense come back, at any speed."""
        super().__init__(link, **adapter)
        self._noisy = noisy

    def received(self, data: bytes) -> None:
        if self._noisy:
            self.work(self.send(bytes(b | 0x80 for b in os.urandom(NOISE_BYTES)), self.speed() or 9600))
