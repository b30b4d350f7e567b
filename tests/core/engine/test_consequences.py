"""What a device changes by itself, when something is written to it, is told as such."""

from __future__ import annotations

from netloom_core.library.load import Library
from netloom_core.testing.rig import Rig, device, states


async def test_what_it_changed_by_itself_is_told_and_goes_back_with_ours(library: Library) -> None:
    rig = Rig(library, [device(library.need("hallvane-rx8"))])
    rig.box.follows["/relays/1/action"] = ("/relays/1/pulse_ms", 250)
    run = await rig.set({"/relays/1/action": "pulse"})
    step = run.steps[0]
    assert step.state == "done"
    said = "With that also changed Relay 1 pulse time from 500 to 250; that was not written from here."
    assert step.message == said
    assert step.evidence["consequences"] == [{"path": "/relays/1/pulse_ms", "from": 500, "to": 250}]
    assert [change["path"] for change in step.evidence["changes"]] == ["/relays/1/action"]
    plan = await rig.plan("undo", run=run.id)
    assert [c["path"] for c in plan.steps[0].params["changes"]] == ["/relays/1/action", "/relays/1/pulse_ms"]
    told = next(one["message"] for one in plan.remarks if one["code"] == "by-itself")
    assert "Relay 1 pulse time: changed with it by the device itself" in told


async def test_nothing_is_said_where_nothing_else_changed(library: Library) -> None:
    rig = Rig(library, [device(library.need("hallvane-rx8"))])
    run = await rig.set({"/relays/1/action": "pulse", "/relays/1/pulse_ms": 300})
    assert set(states(run)) == {"done"}
    assert run.steps[0].message == ""
    assert "consequences" not in run.steps[0].evidence
