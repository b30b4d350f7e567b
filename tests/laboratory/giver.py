"""Gives addresses on a wire's desk, as the engine does: python -m tests.laboratory.giver NETWORK SOURCE PLAN TOLD

PLAN is a JSON file of addresses by MAC, read anew for each question; TOLD is written whenever something happened.
A line `accept MAC ADDRESS` on standard input names one that the plan does not.
"""

from __future__ import annotations

import asyncio
import json
import sys
import time
from pathlib import Path

from netloom_core.clock import SystemClock
from netloom_core.errors import RequestError
from netloom_core.leases.giving import Giver, LeasePlan
from netloom_core.leases.responder import Lease
from netloom_core.model.line import Line


async def main(network: str, source: str, plan: Path, told: Path) -> None:
    line = Line("net", "Net", "ip", network=network, source=source, interface="eth0")

    async def planned() -> LeasePlan:
        return LeasePlan(line, {mac: Lease(to, "Box") for mac, to in json.loads(plan.read_text()).items()})

    def tell() -> None:
        part = told.with_suffix(".part")
        part.write_text(json.dumps(giver.shown()))
        part.replace(told)

    giver = Giver(line, planned, SystemClock(), time.time() + 300, "tester", tell)
    run = asyncio.ensure_future(giver.run())
    print("ready", flush=True)
    loop = asyncio.get_running_loop()
    while words := (await loop.run_in_executor(None, sys.stdin.readline)).split():
        try:
            giver.accept(words[1], words[2])
        except RequestError as error:
            giver.notes.append(error.message)
            tell()
    run.cancel()


asyncio.run(main(sys.argv[1], sys.argv[2], Path(sys.argv[3]), Path(sys.argv[4])))
