"""The proof of a plan at its end: what its steps leave together, on devices that undo, forget, clamp or come late."""

from __future__ import annotations

from typing import Any

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.library.load import Library
from netloom_core.profiles.profile import Profile
from netloom_core.testing.rig import Rig, device, states

IDLE, ADDRESS, PULSE = "/relays/1/idle", "/network/address", "/relays/1/pulse_ms"


@pytest.fixture
def rig(library: Library) -> Rig:
    return Rig(library, [device(library.need("hallvane-rx8"))])


def with_items(library: Library, **of: dict[str, Any]) -> Rig:
    base = library.need("hallvane-rx8").model_dump()
    number = {"is": "integer", "maximum": 9}
    base["items"] = [
        {"path": f"/{name}", "label": name.upper(), "type": number, "default": 1, **more} for name, more in of.items()
    ]
    base["items"].append(
        {"path": "/network/address", "label": "Address", "type": "ipv4", "takes": "on-restart", "role": "address"}
    )
    profile = Profile.model_validate({**base, "id": "made", "views": []})
    return Rig(Library([profile]), [device(profile)])


async def test_a_restart_that_sets_a_value_back_is_seen_and_the_value_written_once_more(rig: Rig) -> None:
    rig.box.starts_with = {IDLE: "open"}
    run = await rig.set({IDLE: "closed", ADDRESS: "127.20.10.40"})
    assert get(rig.box.running, IDLE) == "closed"
    assert rig.box.log.count("write") == 3, "the write, the staging, and one write more"
    assert run.steps[0].state == "unproven"
    assert "outlives the next restart" in run.steps[0].message
    assert run.state == "done"
    rig.every_intent_has_its_outcome()


async def test_what_does_not_hold_at_the_end_is_not_done_and_is_not_written_twice_more(rig: Rig) -> None:
    rig.box.starts_with = {IDLE: "open"}
    writes = 0

    async def deaf(name: str) -> None:
        nonlocal writes
        if name == "after write" and (writes := writes + 1) > 2:
            put(rig.box.running, IDLE, "open")

    rig.box.before = deaf
    run = await rig.set({IDLE: "closed", ADDRESS: "127.20.10.40"})
    assert run.state == "failed"
    assert run.steps[0].state == "failed"
    assert "is 'open' at the end of the plan, not 'closed'" in run.steps[0].message
    assert run.steps[0].evidence["changes"][0]["read_back"] == "open"
    assert rig.box.log.count("write") == 3
    told = [entry for entry in rig.entries("act") if entry.action == "prove"]
    assert [(entry.outcome, entry.changes[0]["read_back"]) for entry in told] == [("failed", "open")]


async def test_without_the_plans_word_nothing_is_written_again(rig: Rig) -> None:
    rig.box.starts_with = {IDLE: "open"}
    put(rig.record().intended, IDLE, "closed")
    put(rig.record().intended, ADDRESS, "127.20.10.40")
    plan = await rig.plan()
    assert plan.steps[-1].params.pop("again") == ["write", "store"]
    run = await rig.apply(plan)
    assert run.steps[0].state == "failed"
    assert rig.box.log.count("write") == 2


async def test_kept_always_is_a_claim_that_the_reading_decides(library: Library) -> None:
    rig = with_items(library, a={"kept": "always"})
    rig.box.forgets = frozenset({"/a"})
    run = await rig.set({"/a": 5})
    assert run.state == "failed"
    assert "would be 1 after a power cut" in run.steps[0].message
    assert rig.box.log.count("store") == 1, "one store is tried, as the plan names it"


async def test_a_store_that_lacks_is_made_where_it_helps(library: Library) -> None:
    rig = with_items(library, a={"kept": "always"})
    rig.box.forgets = frozenset({"/a"})

    async def at_the_store(name: str) -> None:
        if name == "store":
            rig.box.forgets = frozenset()

    rig.box.before = at_the_store
    run = await rig.set({"/a": 5})
    assert run.state == "done"
    assert states(run) == ["done"]
    assert get(rig.box.startup, "/a") == 5


async def test_a_side_effect_that_the_profile_tells_does_not_keep_the_store_away(library: Library) -> None:
    rig = with_items(library, a={"brings": ["/b"]}, b={})
    rig.box.follows["/a"] = ("/b", 7)
    put(rig.record().intended, "/a", 5)
    plan = await rig.plan()
    assert [one["code"] for one in plan.remarks] == ["brings"], "it is shown before"
    run = await rig.apply(plan)
    assert states(run) == ["done", "done"]
    assert (get(rig.box.startup, "/a"), get(rig.box.startup, "/b")) == (5, 7)


async def test_one_that_nobody_told_is_not_kept_unshown(library: Library) -> None:
    rig = with_items(library, a={}, b={})
    rig.box.follows["/a"] = ("/b", 7)
    run = await rig.set({"/a": 5})
    assert states(run) == ["done", "failed"]
    assert "changed while this run wrote" in run.steps[1].hint
    assert states(await rig.apply(await rig.plan())) == ["done"], "shown now, it is stored"


async def test_what_changes_later_is_told_at_the_end(rig: Rig) -> None:
    async def later(name: str) -> None:
        if name == "after store":
            put(rig.box.running, "/relays/2/pulse_ms", 900)

    rig.box.before = later
    run = await rig.set({IDLE: "closed"})
    told = run.steps[0].evidence["consequences"]
    assert told == [{"path": "/relays/2/pulse_ms", "from": 500, "to": 900}]
    assert "By the end of the plan also changed Relay 2 pulse time" in run.steps[0].message


async def test_what_takes_effect_late_is_waited_for_where_it_said_yes(rig: Rig) -> None:
    rig.box.late_s = 2.0
    run = await rig.set({IDLE: "closed"})
    assert run.state == "done"
    assert states(run) == ["done", "done"]
    assert get(rig.box.startup, IDLE) == "closed"


async def test_what_is_not_told_at_the_end_is_unproven(rig: Rig) -> None:
    async def dumb(name: str) -> None:
        if name == "after store":
            rig.box.untold = {"running": frozenset({IDLE})}

    rig.box.before = dumb
    run = await rig.set({IDLE: "closed"})
    assert run.steps[0].state == "unproven"
    assert "at the end of the plan" in run.steps[0].message


async def test_one_that_falls_silent_before_the_end_is_not_called_done(rig: Rig) -> None:
    reads = 0

    async def silence(name: str) -> None:
        nonlocal reads
        if "store" in rig.box.log and name == "read running" and (reads := reads + 1) > 1:
            rig.box.silent = True

    rig.box.before = silence
    run = await rig.set({IDLE: "closed"})
    assert states(run) == ["done", "unproven"]
    assert "could not be read at the end of the plan" in run.steps[1].message
