"""The whole round on models that chance made: read, plan, write, store, power cut, verify, restore.

Whatever Netloom says of a value at the end is held against what its stand-in has in mind.
"""

from __future__ import annotations

import os
import random
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

import pytest

from netloom_core.documents.tree import get, leaves, put
from netloom_core.library.load import Library
from netloom_core.library.read import profile_of
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.model.work import RunState, StepState
from netloom_standins.described import faces  # noqa: F401 - what units show registers itself
from netloom_standins.described.description import Description, descriptions
from netloom_standins.described.memory import Memory
from netloom_standins.described.unit import DescribedUnit
from tests.made_up.profiles import WAYS, Maker
from tests.made_up.standins import description_of
from tests.standins.live import Live
from tests.standins.models import another

ROUNDS = int(os.environ.get("NETLOOM_ROUNDS", "2"))
NETWORK = "127.29.{n}"


@asynccontextmanager
async def live(way: str, seed: int, tmp_path: Path) -> AsyncIterator[Live]:
    data = Maker(way, seed).profile()
    profile = profile_of(data, "made-up.yaml", {})
    description = Description.model_validate(description_of(data))
    network = NETWORK.format(n=80 + WAYS.index(way))
    line = Line("net", "Net", "ip", network=f"{network}.0/24", source=f"{network}.1", interface="lo")
    behind = "#7ff200007777" if way == "rdm" else ""
    library = Library([*Library.read(Path("profiles")), profile])
    unit = DescribedUnit(profile, "MU-0007", "1.0", {}, {}, description=description, address=f"{network}.9{behind}")
    node = DescribedUnit(library.need("lumenfold-n4"), "N", "2.3", {}, {}, description=descriptions()["lumenfold-n4"],
                         address=f"{network}.9", memory=Memory({}))  # fmt: skip
    units = [unit, node] if behind else [unit]
    for one in units:
        one.begin({})
        await one.start()
    key = () if profile.speaks("rdm") else (f"chance|{unit.serial.casefold()}",)
    target = Target("dev1", "Made up", profile.id, line, unit.address, keys=key, maker=profile.maker,
                    models=(profile.model,))  # fmt: skip
    rig = Live(library, unit, target)
    await rig.engine.start()
    try:
        yield rig
    finally:
        await rig.engine.stop()
        rig.owners.close()
        for one in units:
            await one.stop()


def has(unit: DescribedUnit, paths: list[str], *, kept: bool = False) -> dict[str, Any]:
    memory = unit.memory.startup if kept else unit.memory.running
    return {path: get(memory, path) for path in paths}


def words(run: RunState) -> list[tuple[str, str, str]]:
    return [(step.action, step.state, step.message) for step in run.steps]


def what_is_said_is_so(rig: Live, run: RunState, intended: dict[str, Any]) -> None:
    """Each step that ends as done is shown by the device itself; none fails on one that is well."""
    assert {step.state for step in run.steps} <= {"done", "unproven"}, words(run)
    told = {step.action: step.state for step in run.steps}
    paths = list(intended)
    assert has(rig.unit, paths) == intended, words(run)
    stored = [path for path in paths if rig.profile.by_path[path].kept == "when-stored"]
    if told.get("store") == "done" or "restart" in told:
        assert has(rig.unit, stored, kept=True) == {path: intended[path] for path in stored}


@pytest.mark.parametrize("seed", range(ROUNDS))
@pytest.mark.parametrize("way", WAYS)
async def test_the_whole_round(way: str, seed: int, tmp_path: Path) -> None:
    chance = random.Random(f"round {way} {seed}")
    async with live(way, seed, tmp_path) as rig:
        items = rig.profile.by_path
        before = dict(leaves(await rig.read()))
        assert before == has(rig.unit, list(items)), "what is read is what it has"

        intended = {path: another(item, before[path]) for path, item in items.items() if chance.random() < 0.8}
        for path, value in intended.items():
            put(rig.record().intended, path, value)
        plan = await rig.plan(devices=["dev1"])
        assert {remark["code"] for remark in plan.remarks} <= {"keeps-all", "keeps-untold", "not-kept"}, plan.remarks
        run = await rig.apply(plan)
        what_is_said_is_so(rig, run, intended)
        assert not (await rig.plan(devices=["dev1"])).steps, "nothing is pending any more"

        kept = {path: value for path, value in has(rig.unit, list(items)).items() if items[path].kept != "never"}
        approved: dict[str, Any] = {}
        for path, value in has(rig.unit, list(items)).items():
            put(approved, path, value)
        rig.record().baseline = approved
        assert (await rig.verify())[1] == set()

        await rig.power_cut()
        now = dict(leaves(await rig.read()))
        assert {path: now[path] for path in kept} == kept, "what was called kept is there after a power cut"
        gone = {path for path, value in has(rig.unit, list(items)).items() if value != get(approved, path)}
        result, differences = await rig.verify()
        assert differences == gone
        assert result == ("match" if not gone else "drift") or result == "unproven"

        path = chance.choice([p for p in items if items[p].kept != "never"] or list(items))
        rig.unit.memory.set(path, another(items[path], get(rig.unit.memory.running, path)))
        if items[path].takes == "at-once":
            assert path in (await rig.verify())[1], "what somebody changes is seen"
        run = await rig.apply(await rig.plan("restore", devices=["dev1"]), "restore")
        assert {step.state for step in run.steps} <= {"done", "unproven"}, words(run)
        assert dict(leaves(approved)) == has(rig.unit, list(items)), "and put back"
        rig.every_intent_has_its_outcome()


@pytest.mark.parametrize("way", ["dialogue", "http"])
async def test_a_value_that_makes_no_sense_is_told_and_costs_the_others_nothing(way: str, tmp_path: Path) -> None:
    async with live(way, 4, tmp_path) as rig:
        items = rig.profile.by_path
        path = next(path for path, item in items.items() if item.type.name in ("integer", "decimal", "choice"))
        approved = await rig.read()
        rig.record().baseline = approved
        put(rig.unit.memory.running, path, "?!")
        run = await rig.carry_out(rig.store.begin("backup", [StepState(0, "dev1", "backup")]))
        assert run.steps[0].message.startswith(f"1 value could not be read and will be missing: {path}: it tells '?!'")
        assert set(dict(leaves(rig.record().documents["running"]))) == set(items) - {path}
        assert list(rig.record().unreadable) == [path]
        run = await rig.carry_out(rig.store.begin("verify", [StepState(0, "dev1", "read")]))
        [told] = run.result["devices"]
        [one] = told["differences"]
        assert (told["result"], one["kind"], one["path"]) == ("unproven", "unproven", path)
        assert one["why"].startswith("it tells '?!'")
        rig.unit.memory.restart()
        tells = bool(rig.record().documents.get("startup"))  # else nobody knows what it keeps
        good = "match" if tells else "unproven"
        assert (await rig.verify())[0] == good, "and it is forgotten when it makes sense again"
