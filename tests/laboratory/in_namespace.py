"""Run inside a network namespace by test_interfaces.py: sweeps a real Ethernet and asks why; prints JSON."""

from __future__ import annotations

import asyncio
import json
import sys
from pathlib import Path

from netloom_core.absence.case import Case
from netloom_core.absence.explain import explain
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.sweep.finding import Known
from netloom_core.sweep.methods.artnet import ArtNetPoll
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.echo import Echo
from netloom_core.sweep.methods.http import HttpIdentify
from netloom_core.sweep.methods.neighbour import NeighbourTable
from netloom_core.sweep.sweep import sweep

ROOT = Path(__file__).resolve().parents[2]
LINE = Line("net", "Net", "ip", network="10.77.1.0/29", source="10.77.1.1", interface="here")
METHODS = (ConnectScan(), HttpIdentify(), Echo(), NeighbourTable(), ArtNetPoll())


async def look(library: Library) -> object:
    result = await sweep([LINE], [], library, Owners(), SystemClock(), methods=METHODS)
    return {
        "found": [{"address": f.address, "methods": f.methods, "facts": f.facts} for f in result.findings],
        "troubles": result.troubles,
    }


async def why(library: Library, address: str) -> object:
    known = Known("d", "hallvane|hv-1", "hallvane-rx8", "net", address)
    absent = await explain(Case(known, "Box", LINE, [], [], library, [LINE]))
    return [[reason.reason, reason.weight] for reason in absent.reasons]


def main() -> None:
    library = Library.read(ROOT / "profiles")
    work = look(library) if sys.argv[1] == "sweep" else why(library, sys.argv[2])
    print(json.dumps(asyncio.run(work)))


if __name__ == "__main__":
    main()
