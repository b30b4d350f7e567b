"""A million random or spoiled replies, 40,000 for each decoder of a sweep: typed errors or values, nothing else."""

from __future__ import annotations

import sys
import time

from tests.core import replies

from netloom_core.errors import NetloomError

COUNT = 40_000


def main() -> None:
    count = COUNT
    for name, (decode, good) in replies.DECODERS.items():
        begun, refused, slowest = time.perf_counter(), 0, 0.0
        for data in replies.spoiled(good, count, seed=2026):
            at = time.perf_counter()
            try:
                decode(data)
            except NetloomError:
                refused += 1
            slowest = max(slowest, time.perf_counter() - at)
        took = time.perf_counter() - begun
        words = f"{count} replies in {took:5.1f} s, {refused} refused, slowest {slowest * 1000:.1f} ms"
        print(f"fuzz     {name:18} {words}")
        sys.stdout.flush()
