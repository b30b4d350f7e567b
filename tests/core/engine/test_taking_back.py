"""Taking back goes by what came of a run: clamped, halfway, by itself, waiting, untold; and its decisions go back."""

from __future__ import annotations

from typing import Any

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.errors import NoAnswer
from netloom_core.library.load import Library
from netloom_core.profiles.profile import Profile
from netloom_core.testing.rig import Rig, device, states

PULSE, IDLE = "/relays/1/pulse_ms", "/relays/1/idle"


@pytest.fixture
def rig(library: Library) -> Rig:
    return Rig(library, [device(library.need("hallvane-rx8"))])


def codes(plan: Any) -> list[str]:
    return [one["code"] for one in plan.remarks]


async def test_what_the_device_made_of_a_value_is_ours(rig: Rig) -> None:
    rig.box.limits[PULSE] = (0, 2000)
    run = await rig.set({PULSE: 30000})
    assert run.state == "failed"
    assert get(rig.box.running, PULSE) == 2000
    back = await rig.undo(run)
    assert states(back) == ["done"]
    assert get(rig.box.running, PULSE) == 500
    assert get(rig.record().intended, PULSE) == 500


async def test_what_somebody_else_wrote_since_is_not(rig: Rig) -> None:
    rig.box.limits[PULSE] = (0, 2000)
    run = await rig.set({PULSE: 30000})
    rig.box.take(PULSE, 700)
    plan = await rig.plan("undo", run=run.id)
    assert not any(step.params["changes"] for step in plan.steps)
    assert "later" in codes(plan)


async def test_a_before_value_outside_the_range_leaves_out_itself_alone(rig: Rig) -> None:
    put(rig.box.running, PULSE, 99_999_999)
    run = await rig.set({PULSE: 300, IDLE: "closed"})
    plan = await rig.plan("undo", run=run.id)
    assert [c["path"] for c in plan.steps[0].params["changes"]] == [IDLE]
    assert any("Relay 1 pulse time" in one["message"] for one in plan.remarks if one["code"] == "left-out")
    rig.record().baseline = {"relays": {"1": {"pulse_ms": 99_999_999, "idle": "open"}}}
    plan = await rig.plan("restore", devices=["dev1"])
    assert [c["path"] for c in plan.steps[0].params["changes"]] == [IDLE]
    assert {"left-out", "not-in-backup"} <= set(codes(plan))


async def test_what_never_came_over_is_not_wanted_any_more(rig: Rig) -> None:
    rig.box.half_of_write = True
    run = await rig.set({IDLE: "closed", PULSE: 300})
    rig.box.half_of_write = False
    back = await rig.undo(run)
    assert states(back) == ["done", "done"]
    assert (get(rig.record().intended, IDLE), get(rig.record().intended, PULSE)) == ("open", 500)


async def test_over_what_it_does_not_tell_now_is_said(rig: Rig) -> None:
    run = await rig.set({IDLE: "closed"})
    rig.box.untold = {"running": frozenset({IDLE})}
    assert "untold" in codes(await rig.plan("undo", run=run.id))


async def test_a_value_that_waits_for_a_store_is_shown_and_taken_back(library: Library) -> None:
    base = library.need("hallvane-rx8").model_dump()
    number = {"is": "integer", "maximum": 9}
    base["items"] = [
        {"path": "/a", "label": "A", "type": number, "default": 1, "takes": "on-store"},
        {"path": "/b", "label": "B", "type": number, "default": 1},
    ]
    profile = Profile.model_validate({**base, "id": "made", "views": []})
    rig = Rig(Library([profile]), [device(profile)])
    fails = True

    async def no_store(name: str) -> None:
        if name == "store" and fails:
            raise NoAnswer("silence", outcome="not_sent")

    rig.box.before = no_store
    run = await rig.set({"/a": 5})
    assert run.state == "failed"
    fails = False
    put(rig.record().intended, "/a", 1)
    put(rig.record().intended, "/b", 3)
    plan = await rig.plan()
    assert "waiting" in codes(plan), "somebody else's store would make it work"
    assert {"path": "/a", "to": 5} in plan.steps[-1].params["keeps"]
    back = await rig.undo(run)
    assert back.state == "done"
    rig.box.keep()
    assert get(rig.box.running, "/a") == 1
