"""What may stand together: what is broken, the nearest that is allowed, an order that never passes what is not."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.documents.tree import get, put
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.plan.order import ordered
from netloom_core.profiles.conditions import Clause, Condition, Conditions
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.testing.rig import Rig, device, states

PATHS = ["/a", "/b", "/c", "/d", "/e"]
CHOICE = {"is": "choice", "options": {0: "0", 1: "1", 2: "2"}}


def profile_of(library: Library, items: Sequence[dict[str, Any]], conditions: Sequence[dict[str, Any]]) -> Profile:
    base = library.need("hallvane-rx8").model_dump()
    kept = [item for item in base["items"] if item["role"] == "address"]
    more = {"conditions": list(conditions), "views": [], "connectors": [], "id": "with-conditions"}
    return Profile.model_validate({**base, **more, "items": [*kept, *items]})


def one(path: str, takes: str = "at-once", **more: Any) -> dict[str, Any]:
    return {"path": path, "label": path[1:].upper(), "type": CHOICE, "takes": takes, **more}


ITEMS = {path: Item.model_validate(one(path)) for path in PATHS}
clauses = st.builds(
    lambda path, values, none: {"path": path, "none_of" if none else "one_of": sorted(values)},
    st.sampled_from(PATHS), st.sets(st.integers(0, 2), min_size=1, max_size=2), st.booleans(),
)  # fmt: skip
conditions = st.lists(
    st.builds(
        lambda when, then: {"when": when, "then": then, "why": "so it is"},
        st.lists(clauses, min_size=1, max_size=2), clauses,
    ),
    min_size=1, max_size=4,
)  # fmt: skip
whole = st.fixed_dictionaries({path: st.integers(0, 2) for path in PATHS})
KINDS = st.fixed_dictionaries(
    {path: st.sampled_from(["at-once", "at-once", "on-store", "on-restart"]) for path in PATHS}
)


def made(raw: Sequence[dict[str, Any]]) -> Conditions:
    return Conditions([Condition.model_validate(rule) for rule in raw], ITEMS)


def passes(known: Conditions, start: dict[str, Any], order: Sequence[Sequence[Change]]) -> bool:
    """Whether no condition that holds at the start is broken after any of these; each is written as one."""
    before = {one.number for one in known.broken(start)}
    state = dict(start)
    for group in order:
        state |= {change.path: change.after for change in group}
        if {one.number for one in known.broken(state)} - before:
            return False
    return True


def every_order(at_once: Sequence[Change], together: Sequence[Sequence[Change]]) -> Any:
    for way in itertools.permutations(at_once):
        for at in range(len(way) + 1):
            yield [*([c] for c in way[:at]), *together, *([c] for c in way[at:])]


@settings(max_examples=200, deadline=None)
@given(conditions, whole, whole, KINDS)
def test_whatever_the_changes_the_order_passes_nothing_forbidden_or_there_is_none(
    raw: list[dict[str, Any]], start: dict[str, int], end: dict[str, int], kinds: dict[str, str]
) -> None:
    known = made(raw)
    changes = [Change(path, start[path], end[path]) for path in PATHS if start[path] != end[path]]
    of = {kind: [c for c in changes if kinds[c.path] == kind] for kind in ("at-once", "on-store", "on-restart")}
    together = [of["on-store"], of["on-restart"]]
    found = ordered(known, start, of["at-once"], *together)
    if found is None:
        assert not any(passes(known, start, way) for way in every_order(of["at-once"], together))
        return
    assert sorted(c.path for c in (*found.first, *found.late)) == sorted(c.path for c in of["at-once"])
    assert passes(known, start, [*([c] for c in found.first), *together, *([c] for c in found.late)])


def test_what_has_nothing_to_do_with_it_does_not_keep_an_order_from_being_found() -> None:
    """A has to be 1 before B, which works when stored, may be 1; C and D only have to do with each other."""
    rules = [
        {"when": [{"path": "/b", "one_of": [1]}], "then": {"path": "/a", "one_of": [1]}, "why": "so it is"},
        {"when": [{"path": "/c", "one_of": [1]}], "then": {"path": "/d", "one_of": [0, 1, 2]}, "why": "so it is"},
    ]
    changes = {path: Change(path, 0, 1) for path in ("/a", "/b", "/c")}
    found = ordered(made(rules), dict.fromkeys(PATHS, 0), [changes["/a"], changes["/c"]], [changes["/b"]], [])
    assert found is not None
    assert changes["/a"] in found.first


@settings(max_examples=150, deadline=None)
@given(conditions, whole, st.sets(st.sampled_from(PATHS), max_size=2))
def test_what_is_offered_is_allowed_and_nothing_is_nearer(
    raw: list[dict[str, Any]], values: dict[str, int], decided: set[str]
) -> None:
    known = made(raw)
    offer = known.nearest(values, decided)
    allowed = [
        dict(zip(PATHS, way, strict=True))
        for way in itertools.product(range(3), repeat=len(PATHS))
        if not known.broken(dict(zip(PATHS, way, strict=True)))
    ]
    if offer is None:
        assert not allowed
        return
    assert not known.broken({**values, **offer})
    kept = [way for way in allowed if all(way[path] == values[path] for path in decided)]
    if kept:
        assert not decided & offer.keys(), "what was just chosen stays where it can"
        fewest = min(sum(way[path] != values[path] for path in PATHS) for way in kept)
        assert len(offer) == fewest


@pytest.fixture
def door(library: Library) -> Profile:
    """A lock that may be free only while its alarm is off; both work at once."""
    items = [one("/lock"), one("/alarm"), one("/later", "on-restart")]
    return profile_of(
        library,
        items,
        [
            {"when": [{"path": "/lock", "one_of": [1]}], "then": {"path": "/alarm", "one_of": [0]},
             "why": "it would call the guard"},
            {"when": [{"path": "/later", "one_of": [2]}], "then": {"path": "/lock", "none_of": [2]},
             "why": "it starts locked"},
        ],
    )  # fmt: skip


def rig_of(profile: Profile, **values: int) -> Rig:
    box = device(profile)
    for path, value in values.items():
        for document in (box.running, box.startup):
            put(document, f"/{path}", value)
    return Rig(Library([profile]), [box])


async def test_a_plan_writes_in_the_order_that_is_allowed(door: Profile) -> None:
    rig = rig_of(door, lock=0, alarm=1)
    seen = watched(rig)
    run = await rig.set({"/lock": 1, "/alarm": 0})
    assert set(states(run)) == {"done"}
    assert [c["path"] for c in run.steps[0].params["changes"]] == ["/alarm", "/lock"], "against the order of the file"
    back = await rig.undo(run)
    assert [c["path"] for c in back.steps[0].params["changes"]] == ["/lock", "/alarm"]
    assert (1, 1) not in seen


def watched(rig: Rig) -> list[tuple[int, int]]:
    seen: list[tuple[int, int]] = []
    plain = rig.box.take

    def take(path: str, value: Any) -> None:
        plain(path, value)
        seen.append((get(rig.box.running, "/lock"), get(rig.box.running, "/alarm")))

    rig.box.take = take  # type: ignore[method-assign]
    return seen


async def test_what_may_only_come_after_the_restart_is_written_and_stored_after_it(door: Profile) -> None:
    rig = rig_of(door, lock=0, alarm=0, later=2)
    run = await rig.set({"/lock": 2, "/later": 1})
    assert [step.action for step in run.steps] == ["stage", "store", "restart", "write", "store"]
    assert set(states(run)) == {"done"}
    rig.box.power_cut()
    assert (get(rig.box.running, "/lock"), get(rig.box.running, "/later")) == (2, 1)


async def test_what_may_not_stand_together_is_left_out_with_what_is_near(door: Profile) -> None:
    rig = rig_of(door, lock=0, alarm=1)
    for path, value in {"/lock": 1, "/later": 1}.items():
        put(rig.record().intended, path, value)
    plan = await rig.plan()
    paths = [c["path"] for step in plan.steps if step.action in ("write", "stage") for c in step.params["changes"]]
    assert paths == ["/later"], "what has nothing to do with it is written"
    [told] = [remark["message"] for remark in plan.remarks if remark["code"] == "forbidden"]
    assert told == "LOCK: it would call the guard. Near and allowed: ALARM 0."


async def test_where_every_order_passes_it_that_is_said(library: Library) -> None:
    both = [
        {"when": [{"path": "/a", "one_of": [0]}], "then": {"path": "/b", "one_of": [0]}, "why": "alike"},
        {"when": [{"path": "/a", "one_of": [1]}], "then": {"path": "/b", "one_of": [1]}, "why": "alike"},
    ]
    rig = rig_of(profile_of(library, [one("/a"), one("/b"), one("/c")], both), a=0, b=0)
    for path, value in {"/a": 1, "/b": 1, "/c": 1}.items():
        put(rig.record().intended, path, value)
    plan = await rig.plan()
    assert [c["path"] for c in plan.steps[0].params["changes"]] == ["/c"]
    [told] = [remark["message"] for remark in plan.remarks if remark["code"] == "no-order"]
    assert told.startswith("A, B: in whatever order they are written")
    later = profile_of(library, [one("/a", "on-restart"), one("/b", "on-restart")], both)
    rig = rig_of(later, a=0, b=0)
    run = await rig.set({"/a": 1, "/b": 1})
    assert [step.action for step in run.steps] == ["stage", "store", "restart"], "together at the restart they may"


def test_a_number_near_a_bound_is_offered(library: Library) -> None:
    items = [
        one("/mode"),
        {"path": "/level", "label": "Level", "type": {"is": "integer", "minimum": -80, "maximum": 24}},
    ]
    bound = {"when": [{"path": "/mode", "one_of": [1]}], "then": {"path": "/level", "at_most": 4}, "why": "microphone"}
    known = profile_of(library, items, [bound]).allowed
    assert known.nearest({"/mode": 1, "/level": 12}, ["/mode"]) == {"/level": 4}
    assert known.nearest({"/mode": 1, "/level": 12}, ["/level"]) in ({"/mode": 0}, {"/mode": 2})
    assert known.nearest({"/mode": 1}, []) == {}, "what nobody knows is judged by no condition"


def test_a_bridge_joins_on_an_automatic_channel_and_makes_on_a_fixed_one(library: Library) -> None:
    known = library.need("wendle-w1").allowed
    assert known.nearest({"/network/mode": "make", "/network/channel": 0}, ["/network/mode"]) == {"/network/channel": 1}
    assert known.nearest({"/network/mode": "join", "/network/channel": 6}, ["/network/channel"]) == {
        "/network/mode": "make"
    }
    assert known.broken({"/network/mode": "join", "/network/channel": 0}) == []


def test_two_hundred_changes_that_conditions_join_are_ordered_at_once() -> None:
    chain = [
        Condition(when=[Clause(path=f"/{n}", one_of=[1])], then=Clause(path=f"/{n + 1}", one_of=[1]), why="chain")
        for n in range(600)
    ]
    known = Conditions(chain, {})
    start = {f"/{n}": 0 for n in range(601)}
    found = ordered(known, start, [Change(f"/{n}", 0, 1) for n in range(601)], [], [])
    assert found is not None
    assert [c.path for c in found.first] == [f"/{n}" for n in reversed(range(601))]


def test_a_condition_of_what_is_not_there_is_no_profile(library: Library) -> None:
    from netloom_core.library.checks import problems

    bad = [{"when": [{"path": "/a", "one_of": ["x"]}], "then": {"path": "/zzz", "one_of": [1]}, "why": "so"}]
    told = list(problems(profile_of(library, [one("/a")], bad)))
    assert "conditions, number 1: /zzz is not described" in told
    assert any("/a" in text and "'x' is not one of" in text for text in told)
