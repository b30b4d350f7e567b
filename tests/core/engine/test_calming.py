"""A point that chatters is brought back in step: what a person does at the device, and then the proof that it rests."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest

from netloom_core.library.load import Library
from netloom_core.plan.procedures import out_of_step, remedy
from netloom_core.testing.rig import Rig, device, somebody, states


@pytest.fixture
def rig(library: Library) -> Rig:
    return Rig(library, [device(library.need("hallvane-rx8"))])


async def calm(rig: Rig, point: str = "relay-3") -> Any:
    plan = await rig.plan("procedure", devices=["dev1"], procedure=f"calm {point}")
    return plan, await rig.apply(plan, "procedure")


async def fluttering(rig: Rig, every: float = 1.0) -> None:
    while True:
        await asyncio.sleep(every)
        rig.box.points["relay-3"] = "off" if rig.box.points["relay-3"] == "on" else "on"


async def test_steps_at_the_device_and_then_the_proof(rig: Rig) -> None:
    task = asyncio.ensure_future(fluttering(rig))
    async with somebody(rig, does=lambda box, number: task.cancel()) as asked:
        plan, run = await calm(rig)
    assert [step.action for step in plan.steps] == ["by-hand", "quiet"]
    assert asked == ["Pull the wire of the input that follows the relay and put it back."]
    assert states(run) == ["done", "done"]
    assert run.steps[1].evidence["quiet_s"] == 30
    assert "Relay 3 stood still for 30 s" in run.steps[1].message
    assert rig.entries() == [], "nothing was written"


async def test_one_that_goes_on_is_told_with_how_often(rig: Rig) -> None:
    task = asyncio.ensure_future(fluttering(rig, 2.0))
    async with somebody(rig):
        _, run = await calm(rig)
    task.cancel()
    assert states(run) == ["done", "failed"]
    assert run.steps[1].message.startswith("Relay 3 of Box 1 changed ")
    assert "and does still" in run.steps[1].message


async def test_a_change_begins_the_time_anew(rig: Rig) -> None:
    async def once() -> None:
        await asyncio.sleep(20)
        rig.box.points["relay-3"] = "on"

    loop = asyncio.get_running_loop()
    async with somebody(rig):
        begun = loop.time()
        asyncio.ensure_future(once())  # noqa: RUF006
        _, run = await calm(rig)
    assert states(run) == ["done", "done"]
    assert run.steps[1].evidence["changes"] == 1
    assert loop.time() - begun >= 50


async def test_it_is_not_proven_where_it_falls_silent_or_is_stopped(rig: Rig) -> None:
    async with somebody(rig, does=lambda box, number: setattr(box, "silent", True)):
        _, run = await calm(rig)
    assert states(run)[1] == "failed"
    rig.box.silent = False
    plan = await rig.plan("procedure", devices=["dev1"], procedure="calm relay-3")
    run = rig.store.begin("procedure", plan.steps)
    async with somebody(rig):
        await rig.engine.do({"do": "carry out", "run": run.id})
        await asyncio.sleep(10)
        await rig.engine.do({"do": "stop", "run": run.id})
        await rig.ended(run.id)
    assert states(rig.store.all_runs[run.id])[1] != "done"


async def test_what_no_profile_knows_is_only_watched(rig: Rig, library: Library) -> None:
    plan, run = await calm(rig, "input-2")
    assert [remark["code"] for remark in plan.remarks] == ["no-steps"]
    assert states(run) == ["done"]
    plan = await rig.plan("procedure", devices=["dev1"], procedure="calm nowhere")
    assert [remark["code"] for remark in plan.remarks] == ["left-out"]
    assert plan.steps == []


def test_the_light_that_says_so_leads_to_the_point(library: Library) -> None:
    box = library.need("hallvane-rx8")
    assert out_of_step(box) == "relay-1"
    assert out_of_step(library.need("belisar-d55")) == ""
    beats = remedy(box, "relay-3", "beats")
    assert beats is not None
    assert beats.steps
    assert remedy(box, "relay-3", "flutters") is None
    assert remedy(box, "nowhere") is None
