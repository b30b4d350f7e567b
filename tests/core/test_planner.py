"""From what is wanted to steps: order, stores, moves, nothing to do, ways back."""

import copy
from typing import Any

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.errors import OutOfRange, WrongModel
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.model.work import StepState
from netloom_core.plan.planner import effect, number, plan_changes, plan_intended, plan_restore, unkept_paths
from netloom_core.plan.subject import Subject
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.run.undo import plan_back
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import ALL, device


@pytest.fixture
def box(library: Library) -> MemoryDevice:
    return device(library.need("hallvane-rx8"))


def subject(box: MemoryDevice) -> Subject:
    return Subject("dev1", box.profile, box.abilities, box.running, box.startup)


def intended_plan(box: MemoryDevice, intended: dict, **more: bool) -> Any:
    return plan_intended(subject(box), intended, **more)


def actions(plan: Any) -> list[str]:
    return [step.action for step in plan.steps]


def test_nothing_to_do_is_an_empty_plan(box: MemoryDevice) -> None:
    assert intended_plan(box, {"relays": {"1": {"idle": "open"}}}).steps == []


def test_write_stage_store_then_change_of_place(box: MemoryDevice) -> None:
    intended = {"network": {"address": "127.20.10.14"}, "relays": {"1": {"idle": "closed"}}}
    plan = intended_plan(box, intended)
    assert actions(plan) == ["write", "stage", "store", "readdress"]
    assert plan.steps[0].params["disturbs"] == ["relay"]
    assert plan.steps[3].params["disturbs"] == ["link"]
    assert plan.steps[3].params["changes"] == [
        {"path": "/network/address", "from": "127.20.10.11", "to": "127.20.10.14"}
    ]
    kept = {keep["path"]: keep["to"] for keep in plan.steps[2].params["keeps"]}
    assert kept == {"/relays/1/idle": "closed", "/network/address": "127.20.10.14"}


def test_what_waits_for_a_restart_alone_is_no_change_of_place(box: MemoryDevice) -> None:
    assert actions(intended_plan(box, {"network": {"mask": "255.255.0.0"}})) == ["stage", "store", "restart"]


def test_a_command_of_its_own_changes_the_place_without_a_store(library: Library) -> None:
    module = device(library.need("dunmarrow-dm24"), 4)
    module.abilities = Abilities(ALL.can | {Ability.READDRESS}, ALL.sets)
    plan = intended_plan(module, {"bus": {"address": 9}})
    assert [(s.action, s.params["by"]) for s in plan.steps] == [("readdress", "command")]


def test_a_mode_comes_before_what_depends_on_it(box: MemoryDevice) -> None:
    changes = [Change("/relays/2/pulse_ms", 500, 700), Change("/relays/2/action", "latch", "pulse")]
    step = plan_changes(subject(box), changes).steps[0]
    assert [c["path"] for c in step.params["changes"]] == ["/relays/2/action", "/relays/2/pulse_ms"]


def test_a_value_that_does_nothing_is_remarked(box: MemoryDevice) -> None:
    plan = intended_plan(box, {"relays": {"2": {"pulse_ms": 700}}})
    assert plan.remarks[0].code == "no-effect"
    assert plan.steps, "it is still written"


def test_without_keeping_there_is_no_store(box: MemoryDevice) -> None:
    assert actions(intended_plan(box, {"name": "x"}, keep=False)) == ["write"]


def test_loose_values_are_stored_even_when_nothing_changes(box: MemoryDevice) -> None:
    put(box.running, "/relays/4/idle", "closed")
    plan = intended_plan(box, {})
    assert actions(plan) == ["store"]
    assert plan.steps[0].params["unkept"] == ["/relays/4/idle"]
    assert effect(plan.steps) != effect(intended_plan(device(box.profile), {}).steps)


def test_unkept_needs_a_startup_to_compare_with(box: MemoryDevice) -> None:
    put(box.running, "/relays/4/idle", "closed")
    assert unkept_paths(box.profile, box.running, {}) == []


def test_a_plan_with_a_bad_value_is_refused_whole(box: MemoryDevice) -> None:
    with pytest.raises(OutOfRange):
        intended_plan(box, {"name": "fine", "relays": {"1": {"pulse_ms": 1}}})


@pytest.mark.parametrize(
    ("lacks", "intended", "words"),
    [
        (Ability.WRITE, {"name": "x"}, "no way to write"),
        (Ability.RESTART, {"network": {"mask": "255.255.0.0"}}, "no way to restart"),
        (Ability.STORE, {"name": "x"}, "no way to store"),
    ],
)
def test_what_the_way_in_cannot_do_is_said_when_planning(
    box: MemoryDevice, lacks: Ability, intended: dict, words: str
) -> None:
    box.abilities = Abilities(ALL.can - {lacks}, ALL.sets)
    plan = intended_plan(box, intended)
    assert words in plan.remarks[0].message
    assert lacks.value not in actions(plan)


def test_restore_brings_back_what_differs_and_only_that(box: MemoryDevice) -> None:
    backup = copy.deepcopy(box.running)
    put(backup, "/of/an/older/firmware", 1)
    put(box.running, "/inputs/3/rest", "closed")
    plan = plan_restore(subject(box), box.profile.id, backup)
    assert plan.steps[0].params["changes"] == [{"path": "/inputs/3/rest", "from": "closed", "to": "open"}]
    assert "/of/an/older/firmware" in plan.remarks[0].message


def test_restore_refuses_another_model(box: MemoryDevice) -> None:
    with pytest.raises(WrongModel, match="dunmarrow-dm24"):
        plan_restore(subject(box), "dunmarrow-dm24", {})


def test_taking_back_goes_to_the_first_value_before_failed_steps_too(box: MemoryDevice) -> None:
    def step(n: int, device: str, path: str, before: str, after: str, state: str) -> StepState:
        return StepState(n, device, "write", {"changes": [{"path": path, "from": before, "to": after}]}, state=state)

    steps = [
        step(0, "dev1", "/name", "a", "b", "done"),
        step(1, "dev1", "/name", "b", "c", "unknown"),
        step(2, "dev1", "/relays/1/idle", "open", "closed", "failed"),
        step(3, "dev1", "/relays/2/idle", "open", "closed", "skipped"),
        step(4, "other", "/name", "q", "r", "done"),
    ]
    put(box.running, "/name", "c")
    put(box.running, "/relays/1/idle", "closed")
    plan = plan_back(subject(box), steps)
    assert plan.steps[0].params["changes"] == [
        {"path": "/name", "from": "c", "to": "a"},
        {"path": "/relays/1/idle", "from": "closed", "to": "open"},
    ]


def test_steps_are_numbered_through(box: MemoryDevice) -> None:
    plans = [intended_plan(box, {"name": "x"}), intended_plan(box, {"name": "y"})]
    assert [step.ordinal for step in number(plans)] == [0, 1, 2, 3]
    assert get(box.running, "/name") == ""
