"""A plan that is played before it is written: what would stop is found, nothing real is touched."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from netloom_core.documents.tree import merged, put
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.model.work import StepState
from netloom_core.plan.planner import number, plan_changes
from netloom_core.plan.subject import Subject
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.defaults import default_document
from netloom_core.rehearsal.play import BY_HAND, Part, play
from netloom_core.testing.devices import ALL

NET = Line("net", "Net", "ip", network="127.20.10.0/24", source="127.20.10.1")


def part(library: Library, profile: str = "hallvane-rx8", device: str = "d1", line: Line = NET, **more: Any) -> Part:
    known = library.need(profile)
    address = f"127.20.10.{10 + int(device[1:])}" if line.kind == "ip" else "direct"
    document = default_document(known)
    if line.kind == "ip":
        put(document, "/network/address", address)
    target = Target(device, f"Box {device}", profile, line, address, 0, keys=("real|1",), found=True)
    return Part(target, document, document, more.pop("abilities", ALL), **more)


def steps(library: Library, one: Part, values: dict[str, Any]) -> list[StepState]:
    profile = library.need(one.target.profile)
    subject = Subject(one.target.device, profile, one.abilities, one.running, one.startup)
    from netloom_core.documents.tree import MISSING, get

    changes = []
    for path, value in values.items():
        before = get(one.running, path)
        changes.append(Change(path, None if before is MISSING else before, value))
    return number([plan_changes(subject, changes)])


def test_a_good_plan_comes_through_and_outlives_a_power_cut(library: Library) -> None:
    one = part(library)
    plan = steps(library, one, {"/relays/1/idle": "closed", "/network/mask": "255.255.0.0", "/name": "gate"})
    [told] = play(library, [one], plan)
    assert (told.result, told.message, told.lost) == ("done", "", [])
    assert {step.state for step in told.steps} == {"done"}
    assert {step.state for step in plan} == {"pending"}, "the plan itself is as it was"
    assert one.running["relays"]["1"]["idle"] == "open"


def test_a_plan_that_is_old_by_now_is_found(library: Library) -> None:
    one = part(library)
    plan = steps(library, one, {"/relays/1/pulse_ms": 800})
    changed = replace(one, running=merged(one.running, {"/relays/1/pulse_ms": 999}))
    [told] = play(library, [changed], plan)
    assert told.result == "failed"
    assert "is 999 now" in told.message


def test_what_nothing_keeps_is_told_as_lost(library: Library) -> None:
    one = part(library, abilities=Abilities(frozenset({*ALL.can} - {Ability.STORE}), ALL.sets))
    [told] = play(library, [one], steps(library, one, {"/relays/1/pulse_ms": 800}))
    assert told.lost == ["/relays/1/pulse_ms"]


def test_behind_a_fence_it_stops_and_others_go_on(library: Library) -> None:
    first, second = (
        part(library, fences={"relay-1": "It is fenced off by anna: on the ladder."}),
        part(library, device="d2"),
    )
    plan = steps(library, first, {"/name": "a"}) + steps(library, second, {"/name": "b"})
    for ordinal, step in enumerate(plan):
        step.ordinal = ordinal
    told = {one.device: one for one in play(library, [first, second], plan)}
    assert (told["d1"].result, told["d2"].result) == ("failed", "done")
    assert "on the ladder" in told["d1"].message


def test_two_ports_with_a_device_each_at_the_same_address(library: Library) -> None:
    ports = [Line(f"port{n}", f"Port {n}", "serial", path=f"/dev/none{n}", protocol="dialogue") for n in (1, 2)]
    parts = [part(library, "wendle-w1", f"d{n}", line) for n, line in enumerate(ports, 1)]
    plan = steps(library, parts[0], {"/network/name": "quay"}) + steps(library, parts[1], {"/network/name": "pier"})
    for ordinal, step in enumerate(plan):
        step.ordinal = ordinal
    assert [one.result for one in play(library, parts, plan)] == ["done", "done"]


def test_a_code_is_played_without_anybody_knowing_it(library: Library) -> None:
    one = part(library)
    plan = steps(library, one, {"/access/password": "secret:real"})
    [told] = play(library, [one], plan)
    assert told.result == "done"


@pytest.mark.parametrize("values", [{"/network/address": "127.20.10.99"}])
def test_a_move_is_found_at_its_new_place(library: Library, values: dict[str, Any]) -> None:
    one = part(library)
    [told] = play(library, [one], steps(library, one, values))
    assert told.result == "done", told.message


def test_what_a_person_does_is_not_played_and_said(library: Library) -> None:
    one = part(library)
    by_hand = StepState(0, "d1", "by-hand", {"words": "Hold RESET", "within": 10, "seen_by": "person"})
    [told] = play(library, [one], [by_hand])
    assert (told.result, told.message) == ("unproven", BY_HAND)
