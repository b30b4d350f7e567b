"""Many crosspoints of several devices at once: each has its word, and none says more than was seen."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest

from netloom_core.errors import Locked, NoAnswer, OutOfRange, Refused
from netloom_core.library.load import Library
from netloom_core.model.lock import Lock
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import Rig, device, states

KEPT = Lock("/outputs/1/source", "Output 1 is locked by ann: live show.")


@pytest.fixture
def rig(library: Library) -> Rig:
    profile = library.need("corrain-mx88")
    made = Rig(library, [device(profile, 1), device(profile, 2)])
    for box in made.devices:
        box.points |= {f"output-{n}": "1" for n in range(1, 9)}
    return made


async def take(rig: Rig, *cells: tuple[str, str, str]) -> list[dict[str, Any]]:
    wanted = [{"device": one, "point": point, "state": state} for one, point, state in cells]
    done = await rig.engine.do({"do": "take", "cells": wanted, "by": "ann"})
    rig.every_intent_has_its_outcome()
    return list(done["cells"])


def words(cells: list[dict[str, Any]]) -> list[str]:
    return [cell["word"] for cell in cells]


async def test_several_devices_side_by_side_with_one_intent_each(rig: Rig) -> None:
    begun: dict[str, float] = {}
    for box in rig.devices:

        async def slow(name: str, box: MemoryDevice = box) -> None:
            if name.startswith("drive "):
                begun.setdefault(box.address, asyncio.get_running_loop().time())
                await asyncio.sleep(1)

        box.before = slow
    cells = await take(
        rig, ("dev1", "output-1", "2"), ("dev2", "/outputs/3/source", "4"), ("dev1", "output-2", "1"),
        ("dev1", "output-5", "8"),
    )  # fmt: skip
    assert words(cells) == ["taken", "taken", "same", "taken"]
    assert [(one["device"], one["point"], one["before"], one["now"]) for one in cells] == [
        ("dev1", "output-1", "1", "2"), ("dev2", "output-3", "1", "4"), ("dev1", "output-2", "1", "1"),
        ("dev1", "output-5", "1", "8"),
    ]  # fmt: skip
    assert abs(begun[rig.devices[0].address] - begun[rig.devices[1].address]) < 0.5, "none waits for the other"
    intents = rig.entries("intent")
    assert [(one.device, [c["path"] for c in one.changes]) for one in sorted(intents, key=lambda e: e.device)] == [
        ("dev1", ["point:output-1", "point:output-5"]), ("dev2", ["point:output-3"])
    ]  # fmt: skip
    told = {data["device"]: data["states"] for kind, data in rig.events.told if kind == "points"}
    assert told["dev1"]["output-5"] == "8"


async def test_what_is_so_already_is_not_sent(rig: Rig) -> None:
    assert words(await take(rig, ("dev1", "output-1", "1"))) == ["same"]
    assert rig.entries() == []


async def test_one_devices_trouble_is_told_at_its_own_cells(rig: Rig) -> None:
    rig.devices[1].silent = True
    cells = await take(rig, ("dev1", "output-1", "2"), ("dev2", "output-1", "2"), ("gone", "output-1", "2"))
    assert words(cells) == ["taken", "not-sent", "not-sent"]
    assert cells[1]["message"]
    assert "no such device" in cells[2]["message"]


async def test_one_that_does_not_follow_is_told_with_what_it_is(rig: Rig) -> None:
    rig.box.lies_about = "output-2"
    cells = await take(rig, ("dev1", "output-1", "2"), ("dev1", "output-2", "3"))
    assert words(cells) == ["taken", "not-followed"]
    assert "is '1' after it was driven to '3'" in cells[1]["message"]
    assert rig.entries("outcome")[0].outcome == "failed"


async def test_a_refusal_does_not_keep_the_others_from_being_taken(rig: Rig) -> None:
    calls = []

    async def refuse(name: str) -> None:
        if name.startswith("drive "):
            calls.append(name)
            if len(calls) == 1:
                raise Refused("It does not want to.", "Ask again.")

    rig.box.before = refuse
    cells = await take(rig, ("dev1", "output-1", "2"), ("dev1", "output-2", "3"))
    assert words(cells) == ["refused", "taken"]
    assert cells[0]["message"] == "It does not want to."


async def test_one_that_falls_silent_is_told_nothing_more(rig: Rig) -> None:
    async def cut(name: str) -> None:
        if name.startswith("drive "):
            rig.box.silent = True
            raise NoAnswer("It fell silent.", "Look at its cable.")

    rig.box.before = cut
    cells = await take(rig, ("dev1", "output-1", "2"), ("dev1", "output-2", "3"), ("dev2", "output-1", "4"))
    assert words(cells) == ["unknown", "not-sent", "taken"]
    assert rig.entries("outcome")[0].outcome == "unknown"


async def test_what_is_locked_is_left_out_and_told(rig: Rig) -> None:
    rig.record().locks = [KEPT, Lock("/outputs/2/source", "Cameras are kept away from output 2.", "2")]
    cells = await take(
        rig, ("dev1", "output-1", "2"), ("dev1", "output-2", "2"), ("dev1", "output-3", "2"), ("dev2", "output-1", "2")
    )
    assert words(cells) == ["locked", "locked", "taken", "taken"]
    assert cells[0]["message"] == KEPT.why
    assert rig.box.points["output-1"] == "1"
    assert words(await take(rig, ("dev1", "output-2", "3"), ("dev1", "output-1", "1"))) == ["taken", "same"]


async def test_a_fence_keeps_all_of_a_device(rig: Rig) -> None:
    rig.record().fences = {"": "somebody is on the ladder"}
    cells = await take(rig, ("dev1", "output-1", "2"), ("dev2", "output-1", "2"))
    assert words(cells) == ["locked", "taken"]
    assert cells[0]["message"] == "somebody is on the ladder"


async def test_a_locked_point_is_not_driven_by_other_ways_either(rig: Rig) -> None:
    rig.record().locks = [KEPT]
    with pytest.raises(Locked, match="live show"):
        await rig.engine.do({"do": "drive", "device": "dev1", "point": "output-1", "state": "3", "by": "bob"})
    plan = await rig.plan(devices=["dev1"])
    assert plan.steps == []
    run = await rig.set({"/outputs/1/source": 4, "/outputs/2/source": 4})
    assert set(states(run)) == {"done"}
    assert [c["path"] for c in run.steps[0].params["changes"]] == ["/outputs/2/source"], "the locked one is left out"
    remarks = (await rig.plan(devices=["dev1"])).remarks
    assert [(one["code"], "live show" in one["message"]) for one in remarks] == [("locked", True)]


async def test_a_locked_output_is_not_cut_off_either(rig: Rig) -> None:
    rig.record().locks = [KEPT, Lock("/outputs/2/source", "Cameras are kept away from output 2.", "2")]
    rig.box.points |= {f"on-{n}": "on" for n in range(1, 9)}
    cells = await take(rig, ("dev1", "on-1", "off"), ("dev1", "on-2", "off"), ("dev1", "on-1", "off"))
    assert words(cells) == ["locked", "taken", "locked"]
    assert cells[0]["message"] == "Nothing would go out there any more. Output 1 is locked by ann: live show."
    with pytest.raises(Locked):
        await rig.engine.do({"do": "hold", "device": "dev1", "point": "on-1", "state": "off", "by": "b", "seconds": 3})
    run = await rig.set({"/outputs/1/on": False, "/outputs/3/on": False})
    assert [c["path"] for c in run.steps[0].params["changes"]] == ["/outputs/3/on"]
    rig.box.points["on-1"] = "off"
    assert words(await take(rig, ("dev1", "on-1", "on"))) == ["taken"], "that brings the picture back"
    await rig.engine.stop()


async def test_a_route_that_changes_at_the_front_meanwhile_is_told_as_it_is(rig: Rig) -> None:
    async def somebody(name: str) -> None:
        if name == "after drive":
            rig.box.points["output-1"] = "6"

    rig.box.before = somebody
    cells = await take(rig, ("dev1", "output-1", "2"))
    assert [(one["word"], one["now"]) for one in cells] == [("not-followed", "6")]


async def test_a_lock_that_comes_between_plan_and_run_stops_the_step(rig: Rig) -> None:
    rig.record().intended = {"outputs": {"1": {"source": 4}}}
    plan = await rig.plan(devices=["dev1"])
    rig.record().locks = [KEPT]
    run = await rig.apply(plan)
    assert states(run)[0] == "failed"
    assert "live show" in run.steps[0].message
    assert rig.box.running["outputs"]["1"]["source"] == 1


async def test_a_preset_in_the_device_is_recalled_only_if_it_leaves_what_is_locked(rig: Rig) -> None:
    rig.record().locks = [KEPT]
    drive = {"do": "drive", "device": "dev1", "point": "recall", "by": "bob"}
    for name in [name for name in rig.box.points if name.startswith("preset-")]:
        del rig.box.points[name]
    with pytest.raises(Locked, match="not known"):
        await rig.engine.do({**drive, "state": "2"})
    rig.box.points |= {"preset-2-1": "5", "preset-3-1": "1"}
    with pytest.raises(Locked, match="Preset 2 would change it"):
        await rig.engine.do({**drive, "state": "2"})
    await rig.engine.do({**drive, "state": "3"})
    assert rig.box.points["recall"] == "3"


async def test_what_is_no_state_is_refused_before_anything_is_sent(rig: Rig) -> None:
    cells = await take(rig, ("dev1", "output-1", "99"), ("dev1", "output-2", "3"))
    assert words(cells) == ["not-sent", "not-sent"], "a device's cells go together, or none of them"
    assert rig.box.points["output-2"] == "1"
    twice = await take(rig, ("dev1", "output-1", "2"), ("dev1", "/outputs/1/source", "3"))
    assert words(twice) == ["not-sent", "not-sent"]
    assert "two states at once" in twice[0]["message"]
    with pytest.raises(OutOfRange):
        await rig.engine.do({"do": "drive", "device": "dev1", "point": "output-1", "state": "99", "by": "bob"})


async def test_known_states_of_many_are_told_at_once(rig: Rig) -> None:
    rig.devices[1].silent = True
    at_once, rig.box.before = rig.box.before, lambda name: asyncio.sleep(5.0 if name == "states" else 0.0)
    told = await rig.engine.do({"do": "look", "devices": ["dev1", "dev2"], "ask": True})
    rig.box.before = at_once
    assert told["states"]["dev1"]["output-1"] == "1"
    assert told["states"]["dev2"] == {}
    assert set(told["troubles"]) == {"dev2"}
    assert (await rig.engine.do({"do": "look", "devices": ["dev1"]}))["states"] == {"dev1": {}}, "nobody asked yet"
    await asyncio.sleep(1)
    assert (await rig.engine.do({"do": "look", "devices": ["dev1"]}))["states"]["dev1"]["output-1"] == "1"
    await rig.engine.stop()


async def test_one_that_was_as_wanted_is_judged_by_the_last_states(rig: Rig) -> None:
    box = rig.devices[0]

    async def interlocked(name: str) -> None:
        if name == "after drive":
            box.points["output-2"] = "7"

    box.before = interlocked
    cells = await take(rig, ("dev1", "output-2", "1"), ("dev1", "output-1", "2"))
    assert words(cells) == ["not-followed", "taken"]
    assert (cells[0]["now"], cells[0]["message"]) == (
        "7", "output-2 of Box 1 was '1' and is '7' since others were driven with it.",
    )  # fmt: skip


async def test_one_that_follows_late_is_waited_for(rig: Rig) -> None:
    box, wanted = rig.devices[0], "5"

    async def late(name: str) -> None:
        if name == "after drive":
            box.points["output-1"] = "1"
            asyncio.get_running_loop().call_later(1.0, box.points.__setitem__, "output-1", wanted)

    box.before = late
    assert words(await take(rig, ("dev1", "output-1", wanted))) == ["taken"]
