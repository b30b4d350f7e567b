"""A sweep by all methods of 1,021 addresses with 300 devices, against the longest wait of one method alone."""

from __future__ import annotations

import asyncio
import tempfile
import time
from pathlib import Path

from bench.field import NET, field, library, told
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.sweep.methods.registry import METHODS
from netloom_core.sweep.sweep import SweepResult, sweep

COUNT = 300


async def look() -> tuple[float, SweepResult]:
    begun = time.perf_counter()
    result = await sweep([NET], [], library(), Owners(), SystemClock(), methods=METHODS)
    return time.perf_counter() - begun, result


def main() -> None:
    longest = max(method.wait_s for method in METHODS)
    with tempfile.TemporaryDirectory() as folder, field(COUNT, Path(folder) / "bus", mixed=True):
        took, result = asyncio.run(look())
    sent = sum(report.sent for report in result.reports)
    ran = len({report.method for report in result.reports})
    found = len(result.findings)
    told("survey", took, longest, 1.3, f"{ran} methods, {found} of {COUNT} devices, {sent / took:.0f} packets a second")
