"""A device's power is taken at the switch that feeds it, and given back whatever happens."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest

from netloom_core.documents.tree import merged
from netloom_core.engine.ports import Order
from netloom_core.errors import NoAnswer, Refused
from netloom_core.library.load import Library
from netloom_core.model.work import RunState
from netloom_core.testing.rig import Rig, device, states

FED = {"device": "dev2", "name": "Box 2", "point": "power-7", "label": "Port 7 power"}


@pytest.fixture
def rig(library: Library, monkeypatch: pytest.MonkeyPatch) -> Rig:
    """A camera's stand-in at port 7 of a switch: it has power only while the port gives some."""
    camera, switch = device(library.need("hallvane-rx8"), 1), device(library.need("marrowby-sw24"), 2)
    made = Rig(library, [camera, switch])
    switch.points |= {f"power-{n}": "on" for n in range(1, 25)}

    async def before(name: str) -> None:
        if name.startswith("after drive"):
            camera.silent = switch.points["power-7"] != "on" and getattr(made, "fed", True)

    switch.before = before
    plain = made.store.orders

    async def orders(run: Any) -> list[Order]:
        return [Order(one.device, one.name, version=one.version, fed=FED) for one in await plain(run)]

    monkeypatch.setattr(made.store, "orders", orders)
    return made


async def cycle(rig: Rig) -> Any:
    plan = await rig.plan("procedure", devices=["dev1"], procedure="power-cycle")
    return plan, await rig.apply(plan, "procedure")


def port(rig: Rig) -> str:
    return rig.devices[1].points["power-7"]


async def test_it_goes_and_returns_as_itself(rig: Rig) -> None:
    plan, run = await cycle(rig)
    assert [step.action for step in plan.steps] == ["power-cycle"]
    assert plan.remarks[0]["code"] == "not-kept"
    assert states(run) == ["done"]
    assert run.steps[0].message == "It went, and answers again as itself."
    told = [(e.device, e.action, e.kind, e.outcome) for e in rig.entries()]
    assert told == [
        ("dev1", "power-cycle", "intent", ""),
        ("dev2", "drive", "intent", ""), ("dev2", "drive", "outcome", "done"),
        ("dev2", "drive", "intent", ""), ("dev2", "drive", "outcome", "done"),
        ("dev1", "power-cycle", "outcome", "done"),
    ]  # fmt: skip
    assert port(rig) == "on"


async def test_what_the_power_cut_took_back_is_told(rig: Rig) -> None:
    """Some values fall back at each power cut: they are looked at after each."""
    camera, told = rig.devices[0], rig.devices[1]
    plain = told.before

    async def cut(name: str) -> None:
        await plain(name)
        if camera.silent:
            camera.running = merged(camera.running, {"/relays/2/name": "Relay two"})

    told.before = cut
    camera.running = merged(camera.running, {"/relays/2/name": "Gate"})
    _, run = await cycle(rig)
    assert states(run) == ["done"]
    assert run.steps[0].evidence["fell_back"] == [{"path": "/relays/2/name", "was": "Gate", "now": "Relay two"}]
    assert "The power cut took back: Relay 2 name is Relay two, was Gate." in run.steps[0].message


async def test_one_that_has_power_from_elsewhere_is_not_called_cycled(rig: Rig) -> None:
    rig.fed = False  # type: ignore[attr-defined]
    _, run = await cycle(rig)
    assert states(run) == ["unproven"]
    assert "does not hang on Port 7 power of Box 2" in run.steps[0].message
    assert port(rig) == "on"


async def test_one_that_hung_is_cycled_without_being_read(rig: Rig) -> None:
    rig.box.silent = True
    _, run = await cycle(rig)
    assert states(run) == ["done"]
    assert run.steps[0].message == "It did not answer before, and answers now again as itself."


async def test_one_that_stays_away_is_told(rig: Rig) -> None:
    async def broken(name: str) -> None:
        rig.box.silent = True

    rig.devices[1].before = broken
    _, run = await cycle(rig)
    assert states(run) == ["failed"]
    assert "does not answer after" in run.steps[0].message
    assert port(rig) == "on"


async def test_a_switch_that_refuses_leaves_all_as_it_is(rig: Rig) -> None:
    async def refuse(name: str) -> None:
        if name.startswith("drive"):
            raise Refused("Not allowed.", "Sign in.")

    rig.devices[1].before = refuse
    rig.devices[1].refuses = True
    run = rig.store.begin("procedure", (await rig.plan("procedure", devices=["dev1"], procedure="power-cycle")).steps)
    await rig.carry_out(run)
    assert states(rig.store.all_runs[run.id])[0] in ("failed", "unknown")
    assert port(rig) == "on"
    rig.every_intent_has_its_outcome()


async def test_power_is_given_back_though_the_switch_falls_silent_for_a_while(rig: Rig) -> None:
    calls = []

    async def before(name: str) -> None:
        if name.startswith("drive"):
            calls.append(name)
            if 1 < len(calls) < 6:
                raise NoAnswer("It does not answer.", "Wait.")
        if name.startswith("after drive"):
            rig.box.silent = port(rig) != "on"

    rig.devices[1].before = before
    _, run = await cycle(rig)
    assert port(rig) == "on"
    assert states(run) == ["done"]


async def switched_off(rig: Rig) -> RunState:
    plan = await rig.plan("procedure", devices=["dev1"], procedure="power-cycle")
    run = await rig.begin(plan, "procedure")
    while port(rig) == "on":
        await asyncio.sleep(0.05)
    return run


async def test_a_crash_while_it_is_off_gives_power_back(rig: Rig) -> None:
    run = await switched_off(rig)
    await rig.start_again()
    assert port(rig) == "on"
    ended = rig.store.all_runs[run.id]
    assert states(ended) == ["failed"]
    assert "gave it back. It answers as itself" in ended.steps[0].message
    assert rig.entries("outcome")[-1].outcome in ("unknown", "done")


async def test_stopped_in_the_middle_it_has_power_all_the_same(rig: Rig) -> None:
    run = await switched_off(rig)
    await rig.engine.do({"do": "stop", "run": run.id})
    await rig.ended(run.id)
    assert port(rig) == "on"


async def test_a_fence_around_the_port_keeps_it(rig: Rig) -> None:
    rig.record("dev2").fences = {"power-7": "somebody works at port 7"}
    _, run = await cycle(rig)
    assert states(run) == ["failed"]
    assert "somebody works at port 7" in run.steps[0].message
    assert rig.entries() == []


async def test_where_nothing_is_known_to_feed_it_nothing_is_done(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    async def orders(run: Any) -> list[Order]:
        return [Order("dev1", "Box 1")]

    monkeypatch.setattr(rig.store, "orders", orders)
    plan = await rig.plan("procedure", devices=["dev1"], procedure="power-cycle")
    assert (plan.steps, [one["code"] for one in plan.remarks]) == ([], ["left-out"])
