"""An OSDP scan of addresses 0 to 126 at one speed, against its frames' line time and reply time-outs."""

from __future__ import annotations

import asyncio
import tempfile
import time
from pathlib import Path

from bench.field import UNITS, field, library, told
from netloom_core.bus.owner import Owners
from netloom_core.bus.timing import line_time
from netloom_core.clock import SystemClock
from netloom_core.model.line import Line
from netloom_core.protocols.osdp.constants import IDLE_CHARACTERS, MAX_ADDRESS, SCAN_TIMEOUT_S
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.sweep.sweep import sweep

SPEED = 9600
ASK, ANSWER = 9, 20  # characters of an ID command and of its reply
MORE = ((9, 20), (8, 10))  # of what a unit that answered is asked besides: CAP, LSTAT
TURNAROUND_S = 0.002


def main() -> None:
    async def scan(link: Path) -> float:
        line = Line("bus", "Bus", "serial", path=str(link), speed=SPEED, protocol="osdp")
        begun = time.perf_counter()
        result = await sweep([line], [], library(), Owners(), SystemClock(), methods=[OsdpScan(())])
        assert len(result.findings) == UNITS
        return time.perf_counter() - begun

    with tempfile.TemporaryDirectory() as folder:
        link = Path(folder) / "bus"
        with field(0, link):
            mine = asyncio.run(scan(link))
    silent = MAX_ADDRESS + 1 - UNITS
    plain = silent * (line_time(ASK + IDLE_CHARACTERS, SPEED) + SCAN_TIMEOUT_S)
    for asked, answered in ((ASK, ANSWER), *MORE):
        plain += UNITS * (line_time(asked + answered + IDLE_CHARACTERS, SPEED) + TURNAROUND_S)
    told("osdp", mine, plain, 1.2, f"{MAX_ADDRESS + 1} addresses at {SPEED} baud, {UNITS} units")
