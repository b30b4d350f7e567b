"""A run over 2,000 devices in memory against the same calls made bare; and how long planning them takes.

The devices answer at once, so what is measured is all that the engine adds: sessions, proofs of who
is there, steps, journal, events. `bare` makes the calls of one write and store by hand, as many at once.
"""

from __future__ import annotations

import asyncio
import gc
import time
from typing import Any

from bench.field import ROOT, told
from netloom_core.documents.tree import put
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.run.supervisor import DEVICES_AT_ONCE
from netloom_core.testing.devices import MemoryDevice, MemoryDriver
from netloom_core.testing.rig import Rig, device

COUNT = 2000
ROUNDS = 5
PLAN_S = 2.0
PATH = "/relays/1/idle"


def field(library: Library) -> list[MemoryDevice]:
    profile = library.need("hallvane-rx8")
    made = []
    for n in range(COUNT):
        one = device(profile, 1)
        one.address = f"127.{40 + n // 60_000}.{n // 250}.{n % 250 + 2}"
        one.identity = type(one.identity)(profile.maker, profile.model, f"S-{n:05}")
        for document in (one.running, one.startup):
            put(document, "/network/address", one.address)
        made.append(one)
    return made


class Direct:
    """Opens a driver to one device without looking for it among 2,000: a wire finds its own."""

    def __init__(self, devices: list[MemoryDevice]) -> None:
        self._by_address = {one.address: one for one in devices}
        self._abilities = devices[0].abilities

    def abilities(self, profile: str, line_kind: str):  # type: ignore[no-untyped-def]
        return self._abilities

    def shared(self, target) -> None:  # type: ignore[no-untyped-def]
        return None

    async def open(self, target):  # type: ignore[no-untyped-def]
        return MemoryDriver(target, [self._by_address[target.address]])


async def bare(rig: Rig, source: Direct, value: str, before: str) -> float:
    """The calls that write, prove and keep one value on each device."""
    gate = asyncio.Semaphore(DEVICES_AT_ONCE)
    held: dict[str, dict[str, Any]] = {}  # what was read last of each, as anybody would keep it

    async def both(driver: MemoryDriver, ident: str) -> None:
        held[ident] = {which: await driver.read(which) for which in ("running", "startup")}

    async def one(ident: str) -> None:
        async with gate:
            driver = await source.open(rig.record(ident).target)
            await driver.identify()
            driver.trust(driver.connection)
            await both(driver, ident)
            await driver.write([Change(PATH, before, value)])
            await both(driver, ident)
            await both(driver, ident)
            await driver.store()
            await both(driver, ident)

    _settle()
    begun = time.process_time()
    await asyncio.gather(*(one(ident) for ident in rig.store.records))
    return time.process_time() - begun


def _settle() -> None:
    """What was made before is not looked through again and again by the collector, on either side."""
    gc.collect()
    gc.freeze()


async def measure() -> tuple[float, float, float]:
    library = Library.read(ROOT / "profiles")
    runs, plain, plans = [], [], []
    for _ in range(ROUNDS):
        boxes = field(library)
        rig = Rig(library, boxes)
        source = Direct(boxes)
        rig.drivers = source  # type: ignore[assignment]
        rig.engine = rig._engine()
        plain.append(await bare(rig, source, "closed", "open"))
        plain.append(await bare(rig, source, "open", "closed"))
        for record in rig.store.records.values():
            put(record.intended, PATH, "closed")
        _settle()
        begun = time.process_time()
        plan = await rig.plan()
        plans.append(time.process_time() - begun)
        run = rig.store.begin("apply", plan.steps)
        _settle()
        begun = time.process_time()
        await rig.engine.do({"do": "carry out", "run": run.id})
        await rig.engine._runs[run.id]
        runs.append(time.process_time() - begun)
        assert rig.store.all_runs[run.id].state == "done"
        await rig.engine.stop()
    return min(runs), min(plain), min(plans)


def main() -> None:
    mine, plain, plan = asyncio.run(measure())
    told("run", mine, plain, 1.25, f"{COUNT} devices in memory, write and store, all read back")
    print(f"{'plan':<10} {plan:8.2f} s for {COUNT} devices, wanted under {PLAN_S:g} s")
