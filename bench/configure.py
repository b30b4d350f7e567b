"""Setting up: planning 200 devices with ten edits each; searching 2,000 devices of 400 values; what recording 200
points costs; the nearest that is allowed."""

from __future__ import annotations

import asyncio
import os
import tempfile
import time
from pathlib import Path
from typing import Any

from bench.field import ROOT
from netloom_core.documents.tree import put
from netloom_core.engine.pointwatch import PointWatch
from netloom_core.library.load import Library
from netloom_core.profiles.conditions import Clause, Condition, Conditions
from netloom_core.profiles.item import Item
from netloom_core.testing.rig import Rig, device
from netloom_core.testing.store import MemoryEvents, MemoryStore
from netloom_core.testing.virtual_time import VirtualClock, run

PLANNED, EDITS, PLAN_S = 200, 10, 0.3
SEARCHED, SEARCH_S = 2000, 0.15
POINTS, SECONDS, SHARE = 200, 2000, 0.05
ROUNDS = 5


async def _planned(library: Library) -> float:
    profile = library.need("hallvane-rx8")
    boxes = []
    for n in range(PLANNED):
        one = device(profile, 1)
        one.address = f"127.40.{n // 200}.{n % 200 + 2}"
        one.identity = type(one.identity)(profile.maker, profile.model, f"S-{n:05}")
        for document in (one.running, one.startup):
            put(document, "/network/address", one.address)
        boxes.append(one)
    rig = Rig(library, boxes)
    for record in rig.store.records.values():
        for n in range(EDITS):
            put(
                record.intended, f"/relays/{n % 8 + 1}/{'pulse_ms' if n < 8 else 'name'}", 600 + n if n < 8 else f"x{n}"
            )
    begun = time.process_time()
    plan = await rig.plan()
    took = time.process_time() - begun
    assert len({step.device for step in plan.steps}) == PLANNED
    await rig.engine.stop()
    return took


async def _recorded(library: Library) -> float:
    """The processor's share of 200 points that are asked for each second and change every tenth time."""
    watch = PointWatch(library, VirtualClock(), MemoryStore(library, []), MemoryEvents(), _nothing, _nobody)
    devices = [f"d{n}" for n in range(POINTS // 8)]
    watch._wanted = {one: frozenset(f"relay-{n}" for n in range(1, 9)) for one in devices}
    begun = time.process_time()
    for second in range(SECONDS):
        for at, one in enumerate(devices):
            states = {f"relay-{n}": "on" if (second + n + at) // 10 % 2 else "off" for n in range(1, 9)}
            watch.states(one, states, "")
        await asyncio.sleep(1)
        if second % 5 == 0:
            await watch._find()
    return (time.process_time() - begun) / SECONDS


async def _nothing(device: str) -> None:
    return None


async def _nobody(devices: list[str]) -> dict[str, tuple[str, str]]:
    return {}


def _searched() -> tuple[float, int]:
    """In records of their own: every device has another document."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "tests.settings")
    with tempfile.TemporaryDirectory() as folder:
        os.environ["NETLOOM_DATA"] = folder
        import django

        django.setup()
        from django.core.management import call_command
        from django.db import transaction

        call_command("migrate", verbosity=0)
        from netloom_server.backups.models import Document
        from netloom_server.installation.models import Device, Line
        from netloom_server.installation.services.fitting import unit_of
        from netloom_server.installation.services.search import find_settings

        library = Library.read(ROOT / "profiles")
        profile = library.need("severin-da8")
        paths = [path for path, item in profile.by_path.items() if not item.secret]
        line = Line.objects.create(name="Net", kind="ip", network="127.40.0.0/16")
        with transaction.atomic():
            for n in range(SEARCHED):
                document: dict[str, Any] = {}
                for at, path in enumerate(paths[:400]):
                    kind = profile.by_path[path].type
                    put(document, path, f"d{n} {at}" if kind.name == "text" else kind.default())
                digest = Document.keep(document)
                at = f"127.40.{n // 250}.{n % 250}"
                made = Device.objects.create(name=f"D{n}", profile=profile.id, line=line, address=at, taken_in=True)
                unit = unit_of(made)
                unit.running = digest
                unit.save(update_fields=["running"])
        find_settings("name", library)
        slowest, count = 0.0, 0
        for text in ("level = 0", "gain", "d77 12", "nothing like that"):
            times = []
            for _ in range(ROUNDS):
                begun = time.perf_counter()
                _, found = find_settings(text, library)
                times.append(time.perf_counter() - begun)
            slowest, count = max(slowest, min(times)), count + found
        return slowest, count


def _nearest() -> float:
    items = {
        f"/{n}": Item.model_validate({"path": f"/{n}", "label": str(n), "type": {"is": "integer", "maximum": 9}})
        for n in range(40)
    }
    rules = [
        Condition(when=[Clause(path=f"/{n}", at_least=5)], then=Clause(path=f"/{n + 1}", at_most=4), why="x")
        for n in range(39)
    ]
    known = Conditions(rules, items)
    begun = time.perf_counter()
    found = known.nearest({path: 9 if path in ("/3", "/4", "/20", "/21") else 0 for path in items}, ["/3"])
    assert found is not None
    return time.perf_counter() - begun


def main() -> None:
    library = Library.read(Path(ROOT) / "profiles")
    took = min(run(_planned(library)) for _ in range(ROUNDS))
    print(f"{'plan':<10} {took:8.3f} s for {PLANNED} devices with {EDITS} edits each, wanted under {PLAN_S:g} s")
    share = run(_recorded(library))
    print(f"{'points':<10} {share:8.2%} of a core for {POINTS} points that are recorded, wanted under {SHARE:.0%}")
    print(f"{'nearest':<10} {_nearest() * 1000:8.1f} ms for the nearest that 39 conditions allow")
    took, count = _searched()
    said = f"over {SEARCHED} devices, the slowest of four queries with {count} hits, wanted under {SEARCH_S:g} s"
    print(f"{'search':<10} {took:8.3f} s {said}")
