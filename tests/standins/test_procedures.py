"""What models can be told to do as a whole, told by the engine on real sockets, and what the stand-in then has."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from pathlib import Path

import pytest

from netloom_core.documents.tree import get, leaves
from netloom_core.library.load import Library
from netloom_core.model.work import RunState
from netloom_core.plan.procedures import PERFORMED, SETS_BACK
from tests.conftest import shipped
from tests.standins.live import Live
from tests.standins.models import another, bench, described_models

NETWORK = "127.43.{n}"
LIBRARY = shipped()
# Of each protocol one, and all that are set back; that a restart is one is held in test_models.
TOLD = [
    ("harrack-h2", "restart"),
    *(
        (model, name)
        for name in PERFORMED
        if name != "restart"
        for model in sorted(
            {
                (LIBRARY.need(model).protocol, model if name in SETS_BACK else ""): model
                for model in described_models()
                if any(LIBRARY.need(model).calls(name, channel) for channel in LIBRARY.need(model).channels)
            }.values()
        )
    ),
]


async def answered(rig: Live, *, came: bool) -> None:
    """Somebody stands before it."""
    while True:
        await asyncio.sleep(0.1)
        for run in rig.store.all_runs.values():
            for step in run.steps:
                if step.state == "acting" and step.evidence.get("asks"):
                    told = {"do": "answer", "run": run.id, "step": step.ordinal, "came": came, "by": "Mara"}
                    await rig.engine.do(told)
                    return


async def perform(rig: Live, name: str) -> RunState:
    task = asyncio.ensure_future(answered(rig, came=True))
    try:
        return await rig.apply(await rig.plan("procedure", ["dev1"], procedure=name), "procedure")
    finally:
        task.cancel()


@pytest.mark.parametrize(("model", "name"), TOLD)
async def test_it_does_what_it_is_told(library: Library, tmp_path: Path, model: str, name: str) -> None:
    at = NETWORK.format(n=10 + TOLD.index((model, name)))
    async with bench(library, model, tmp_path, at) as here:
        rig = Live(library, here.unit, replace(here.target, device="dev1", found=True), here.owners)
        await rig.engine.start()
        memory, changed = here.unit.memory, {}
        for path, item in rig.profile.by_path.items():
            if not (item.secret or item.reserved or item.role) and item.default is not None:
                changed[path] = another(item, get(memory.running, path))
                memory.begin(path, changed[path])
        run = await perform(rig, name)
        assert {step.state for step in run.steps} <= {"done", "unproven"}, [step.message for step in run.steps]
        if name in SETS_BACK:
            assert [step.state for step in run.steps] == ["done", "done"], [step.message for step in run.steps]
            now = {path: get(memory.running, path) for path in changed}
            assert now == {path: rig.profile.by_path[path].default for path in changed}
            told = {change["path"] for change in run.steps[-1].evidence["changes"]}
            assert told >= set(changed)
        else:
            assert {path: get(memory.running, path) for path in changed} == changed
        assert dict(leaves(rig.record().documents["running"])) or name == "identify"
        rig.every_intent_has_its_outcome()
        await rig.engine.stop()


async def test_one_that_refuses_its_reset_is_told(library: Library, tmp_path: Path) -> None:
    async with bench(library, "thornby-vx44", tmp_path, NETWORK.format(n=9)) as here:
        rig = Live(library, here.unit, replace(here.target, device="dev1", found=True), here.owners)
        await rig.engine.start()
        here.unit.memory.begin("/inputs/1/name", "Player")
        here.unit.faults.refuse_writes = True
        run = await perform(rig, "factory-reset")
        assert [step.state for step in run.steps] == ["done", "failed"]
        assert "did not happen" in run.steps[1].message
        assert get(here.unit.memory.running, "/inputs/1/name") == "Player"
        await rig.engine.stop()
