"""From what is wanted to steps: order, stores, moves, nothing to do, ways back."""

import copy

import pytest

from netloom_core.errors import OutOfRange, WrongModel
from netloom_core.model.change import Change
from netloom_core.model.work import StepState
from netloom_core.plan.documents import put
from netloom_core.plan.planner import number, plan_back, plan_changes, plan_intended, plan_restore, unkept_paths
from netloom_core.testing.memory import MemoryDevice


def intended_plan(box: MemoryDevice, intended: dict, **more: bool):  # type: ignore[no-untyped-def]
    return plan_intended(box.profile, "dev1", intended, box.running, box.startup, **more)


def test_nothing_to_do_is_an_empty_plan(box: MemoryDevice) -> None:
    assert intended_plan(box, {"relays": {"1": {"idle": "open"}}}).steps == []


def test_write_then_store_then_move(box: MemoryDevice) -> None:
    intended = {"network": {"address": "127.20.10.14"}, "relays": {"1": {"idle": "closed"}}}
    steps = intended_plan(box, intended).steps
    assert [step.action for step in steps] == ["write", "store", "move"]
    assert steps[0].params["disturbs"] == ["relay"]
    assert steps[2].params["disturbs"] == ["link"]
    assert steps[2].params["changes"] == [{"path": "/network/address", "from": "127.20.10.11", "to": "127.20.10.14"}]


def test_a_mode_comes_before_what_depends_on_it(box: MemoryDevice) -> None:
    changes = [Change("/relays/2/pulse_ms", 500, 700), Change("/relays/2/action", "latch", "pulse")]
    step = plan_changes(box.profile, "dev1", changes, box.running, box.startup).steps[0]
    assert [c["path"] for c in step.params["changes"]] == ["/relays/2/action", "/relays/2/pulse_ms"]


def test_a_value_that_does_nothing_is_remarked(box: MemoryDevice) -> None:
    plan = intended_plan(box, {"relays": {"2": {"pulse_ms": 700}}})
    assert "does nothing" in plan.remarks[0]
    assert plan.steps, "it is still written"


def test_without_keeping_there_is_no_store(box: MemoryDevice) -> None:
    steps = intended_plan(box, {"name": "x"}, keep=False).steps
    assert [step.action for step in steps] == ["write"]


def test_loose_values_are_stored_even_when_nothing_changes(box: MemoryDevice) -> None:
    put(box.running, "/relays/4/idle", "closed")
    plan = intended_plan(box, {})
    assert [step.action for step in plan.steps] == ["store"]
    assert plan.steps[0].params["unkept"] == ["/relays/4/idle"]


def test_unkept_needs_a_startup_to_compare_with(box: MemoryDevice) -> None:
    put(box.running, "/relays/4/idle", "closed")
    assert unkept_paths(box.profile, box.running, {}) == []


def test_a_plan_with_a_bad_value_is_refused_whole(box: MemoryDevice) -> None:
    with pytest.raises(OutOfRange):
        intended_plan(box, {"name": "fine", "relays": {"1": {"pulse_ms": 1}}})


def test_restore_brings_back_what_differs_and_only_that(box: MemoryDevice) -> None:
    backup = copy.deepcopy(box.running)
    put(box.running, "/inputs/3/rest", "closed")
    plan = plan_restore(box.profile, "dev1", box.profile.id, backup, box.running, box.startup)
    assert plan.steps[0].params["changes"] == [{"path": "/inputs/3/rest", "from": "closed", "to": "open"}]


def test_restore_refuses_another_model(box: MemoryDevice) -> None:
    with pytest.raises(WrongModel, match="dunmarrow-dm24"):
        plan_restore(box.profile, "dev1", "dunmarrow-dm24", {}, box.running, box.startup)


def test_taking_back_goes_to_the_first_value_before(box: MemoryDevice) -> None:
    done = [
        StepState(0, "dev1", "write", {"changes": [{"path": "/name", "from": "a", "to": "b"}]}, state="done"),
        StepState(1, "dev1", "write", {"changes": [{"path": "/name", "from": "b", "to": "c"}]}, state="done"),
        StepState(
            2, "dev1", "write", {"changes": [{"path": "/relays/1/idle", "from": "x", "to": "y"}]}, state="failed"
        ),
        StepState(3, "other", "write", {"changes": [{"path": "/name", "from": "q", "to": "r"}]}, state="done"),
    ]
    put(box.running, "/name", "c")
    plan = plan_back(box.profile, "dev1", done, box.running, box.startup)
    assert plan.steps[0].params["changes"] == [{"path": "/name", "from": "c", "to": "a"}]


def test_steps_are_numbered_through(box: MemoryDevice) -> None:
    plans = [intended_plan(box, {"name": "x"}), intended_plan(box, {"name": "y"})]
    assert [step.ordinal for step in number(plans)] == [0, 1, 2, 3]
