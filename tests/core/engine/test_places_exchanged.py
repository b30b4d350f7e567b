"""Devices that take one another's places: chains from the free end, rings by a spare place, and what goes wrong."""

import asyncio
import random
from dataclasses import replace

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.library.load import Library
from netloom_core.model.work import RunState
from netloom_core.profiles.abilities import Ability
from netloom_core.run.supervisor import DEVICES_AT_ONCE
from netloom_core.testing.rig import ALL, BUS, NET, Rig, device, states


def of(library: Library, count: int, model: str = "hallvane-rx8") -> Rig:
    on_bus = model.startswith("dun")
    can = replace(ALL, can=ALL.can | {Ability.READDRESS}) if on_bus else ALL
    boxes = [device(library.need(model), n, abilities=can) for n in range(1, count + 1)]
    return Rig(library, boxes, BUS if on_bus else NET)


async def move(rig: Rig, places: dict[int, int]) -> RunState:
    """Box n goes to the place that box places[n] has now, or to the free one of that number."""
    for number, to in places.items():
        item = rig.devices[number - 1].profile.with_role("address")
        assert item is not None
        there = to if item.type.name == "integer" else f"127.20.10.{10 + to}"
        put(rig.record(f"dev{number}").intended, item.path, there)
    plan = await rig.plan(devices=[f"dev{n}" for n in places])
    assert not [r for r in plan.remarks if r["code"] == "left-out"], plan.remarks
    return await rig.apply(plan)


def at(rig: Rig) -> list[int]:
    return [int(box.address.rpartition(".")[2]) - (10 if "." in box.address else 0) for box in rig.devices]


def as_recorded(rig: Rig) -> None:
    for number, box in enumerate(rig.devices, 1):
        assert rig.record(f"dev{number}").target.address == box.address
        item = box.profile.with_role("address")
        assert item is not None
        assert str(get(box.startup, item.path)) == box.address, "and a power cut leaves it there"
    assert len({box.address for box in rig.devices}) == len(rig.devices)
    rig.every_intent_has_its_outcome()


@pytest.mark.parametrize("model", ["hallvane-rx8", "dunmarrow-dm24"])
async def test_two_change_places(library: Library, model: str) -> None:
    rig = of(library, 2, model)
    run = await move(rig, {1: 2, 2: 1})
    assert set(states(run)) == {"done"}, [(step.action, step.state, step.message) for step in run.steps]
    assert at(rig) == [2, 1]
    as_recorded(rig)
    assert (await rig.plan(devices=["dev1", "dev2"])).steps == []


async def test_and_back_again(library: Library) -> None:
    rig = of(library, 2)
    run = await move(rig, {1: 2, 2: 1})
    back = await rig.undo(run)
    assert set(states(back)) == {"done"}, [(step.action, step.state, step.message) for step in back.steps]
    assert at(rig) == [1, 2]
    as_recorded(rig)


async def test_a_chain_goes_from_its_free_end_and_needs_no_spare_place(library: Library) -> None:
    rig = of(library, 4)
    run = await move(rig, {1: 2, 2: 3, 3: 4, 4: 9})
    assert set(states(run)) == {"done"}
    assert at(rig) == [2, 3, 4, 9]
    assert not [step for step in run.steps if "detour" in step.params]
    as_recorded(rig)


async def test_a_ring_with_others_that_wait_for_it(library: Library) -> None:
    rig = of(library, 5)
    run = await move(rig, {1: 2, 2: 3, 3: 1, 4: 9, 5: 4})
    assert set(states(run)) == {"done"}
    assert at(rig) == [2, 3, 1, 9, 4]
    assert len({step.params["detour"] for step in run.steps if "detour" in step.params}) == 1
    as_recorded(rig)


async def test_more_rings_than_devices_are_worked_on_at_once(library: Library) -> None:
    pairs = 3 * DEVICES_AT_ONCE
    rig = of(library, 2 * pairs)
    swaps = {n: n + pairs for n in range(1, pairs + 1)} | {n + pairs: n for n in range(1, pairs + 1)}
    async with asyncio.timeout(3600):
        run = await move(rig, swaps)
    assert set(states(run)) == {"done"}
    assert at(rig) == [swaps[n] for n in range(1, 2 * pairs + 1)]
    as_recorded(rig)


async def test_one_that_does_not_leave_keeps_the_others_where_they_are(library: Library) -> None:
    rig = of(library, 3)
    rig.devices[2].lies_about = "/network/address"
    run = await move(rig, {1: 2, 2: 3, 3: 9})
    by_device = {step.device: step.state for step in run.steps}
    assert (by_device["dev1"], by_device["dev2"]) == ("skipped", "skipped")
    assert "did not leave it" in next(step.message for step in run.steps if step.device == "dev2")
    assert at(rig) == [1, 2, 3]
    as_recorded(rig)


async def test_who_goes_by_a_spare_place_says_so_in_the_plan(library: Library) -> None:
    rig = of(library, 2)
    for number, to in ((1, 12), (2, 11)):
        put(rig.record(f"dev{number}").intended, "/network/address", f"127.20.10.{to}")
    plan = await rig.plan(devices=["dev1", "dev2"])
    words = [step.params["words"] for step in plan.steps if step.params.get("words")]
    assert words == [
        "By way of 127.20.10.254, which is free, since others take its place first.",
        "After Box 2 has left 127.20.10.12.",
        "After Box 1 has left 127.20.10.11.",
    ]
    assert not [remark for remark in plan.remarks if remark["code"] == "address-taken"]


async def test_killed_anywhere_it_goes_on_and_ends_in_order(library: Library) -> None:
    for after in range(0, 24, 2):
        rig = of(library, 2)
        for number, to in ((1, 12), (2, 11)):
            put(rig.record(f"dev{number}").intended, "/network/address", f"127.20.10.{to}")
        plan = await rig.plan(devices=["dev1", "dev2"])
        run = rig.store.begin("apply", plan.steps)
        left = after

        async def cut(what: str) -> None:
            nonlocal left
            left -= 1
            if left == 0:
                rig.killed = asyncio.ensure_future(rig.kill())  # type: ignore[attr-defined]  # noqa: B023
                await asyncio.sleep(30)

        for box in rig.devices:
            box.before = cut
        await rig.engine.do({"do": "carry out", "run": run.id})
        await asyncio.sleep(60)
        await rig.start_again()
        assert set(states(rig.store.all_runs[run.id])) == {"done"}, after
        assert at(rig) == [2, 1]
        as_recorded(rig)


async def test_any_exchange_at_all(library: Library) -> None:
    """Random permutations with some free places among them: everybody where he is to be, nobody on another's place."""
    chance = random.Random(2026)
    for _ in range(12):
        count = chance.randint(2, 9)
        rig = of(library, count)
        goals = chance.sample(range(1, count + 4), count)
        wanted = {n: goal for n, goal in enumerate(goals, 1) if goal != n}
        if not wanted:
            continue
        run = await move(rig, wanted)
        assert set(states(run)) == {"done"}, goals
        assert at(rig) == [wanted.get(n, n) for n in range(1, count + 1)]
        as_recorded(rig)
