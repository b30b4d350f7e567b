"""500 changes of address on stand-ins, each staged, stored, restarted, found again and proven, against the time that
their own restarts alone would take, as many at once as a run works on.
"""

from __future__ import annotations

import asyncio
import ipaddress
import logging
import tempfile
import time
from pathlib import Path

from bench.field import NET, addresses, field, told
from bench.field import library as profiles
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.documents.tree import put
from netloom_core.drivers.registry import Drivers
from netloom_core.engine.engine import Engine
from netloom_core.identity.keys import serial_key
from netloom_core.model.device import Credentials, Target
from netloom_core.run.supervisor import DEVICES_AT_ONCE
from netloom_core.testing.store import MemoryEvents, MemoryJournal, MemoryStore

COUNT = 500
AT_ONCE_MAX = 1.3
BOOTS_S = 1.0 + 0.2  # of that stand-in: its start, and what it waits before it goes down


def next_to(address: str) -> str:
    return str(ipaddress.ip_address(address) + 1)


async def moved(hosts: list[str]) -> float:
    library = profiles()
    profile = library.need("hallvane-rx8")
    login = (Credentials(profile.factory.user, profile.factory.password),)
    targets = [
        Target(
            f"d{n}", f"Box {n}", profile.id, NET, host, 0,
            keys=(serial_key(profile.maker, f"HV-{n:05}"),), maker=profile.maker, models=(profile.model,),
            credentials=login,
        )
        for n, host in enumerate(hosts)
    ]  # fmt: skip
    store, owners = MemoryStore(library, targets), Owners()
    engine = Engine(library, Drivers(library, owners), owners, SystemClock(), store, MemoryJournal(), MemoryEvents())
    for target in targets:
        put(store.records[target.device].intended, "/network/address", next_to(target.address))
    plan = store.begin("plan", [], {"kind": "apply", "devices": [one.device for one in targets]})
    await _carried(engine, store, plan.id)
    run = store.begin("apply", store.all_plans[plan.id].steps)
    begun = time.perf_counter()
    await _carried(engine, store, run.id)
    took = time.perf_counter() - begun
    states = {step.state for step in store.all_runs[run.id].steps}
    assert states == {"done"}, states
    assert all(store.records[one.device].target.address == next_to(one.address) for one in targets)
    await engine.stop()
    return took


async def _carried(engine: Engine, store: MemoryStore, run: str) -> None:
    await engine.do({"do": "carry out", "run": run})
    while store.all_runs[run].state in ("waiting", "running"):
        await asyncio.sleep(0.02)


def main() -> None:
    logging.disable(logging.ERROR)
    with tempfile.TemporaryDirectory() as folder, field(COUNT, Path(folder) / "bus"):
        mine = asyncio.run(moved(addresses(COUNT)))
    logging.disable(logging.NOTSET)
    rounds = -(-COUNT // DEVICES_AT_ONCE)
    told("moving", mine, rounds * BOOTS_S, AT_ONCE_MAX, f"{COUNT} changes of address, {DEVICES_AT_ONCE} at once")
