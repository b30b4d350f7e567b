"""Who goes first where devices take one another's places: chains from their free end, rings by a spare place. Pure.

A device that wants the place of another one waits until that one has left it; in a ring one goes to a spare place
first. What waits for whom is in the steps (`after`: ordinals), so that it is shown, kept and carried out as planned.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from netloom_core.documents.tree import MISSING, get, merged
from netloom_core.errors import NetloomError
from netloom_core.model.change import Change
from netloom_core.model.work import StepState
from netloom_core.plan.planner import plan_changes
from netloom_core.plan.subject import DevicePlan, Remark, Subject

LineOf = Callable[[str, str], str]  # on which line a device is at an address, by its id
Spare = Callable[[str], str]  # a free place on a line by its id; empty where there is none


@dataclass(eq=False)
class Mover:
    """One that changes its address, `old` on `line`, to `new` on `to_line`. `path` is the item that is its address."""

    plan: DevicePlan
    subject: Subject
    name: str
    line: str
    to_line: str
    path: str
    old: str
    new: str

    @property
    def gateway(self) -> str:
        """As it has it: nobody's spare place, though no record may know of it."""
        item = self.subject.profile.with_role("gateway")
        value = get(self.subject.running, item.path) if item is not None else MISSING
        return "" if value is MISSING else str(value)


def movers(
    plans: Sequence[DevicePlan], subjects: Mapping[str, Subject], names: Mapping[str, str], line_of: LineOf
) -> list[Mover]:
    """Those of the plans that change an address."""
    found = []
    for plan in plans:
        subject = subjects.get(plan.device)
        item = subject.profile.with_role("address") if subject is not None else None
        if subject is None or item is None:
            continue
        changes = [c for s in plan.steps if s.action == "readdress" for c in s.params["changes"]]
        change = next((c for c in changes if c["path"] == item.path), None)
        old = get(subject.running, item.path)
        if change is not None and old is not MISSING and str(old) != str(change["to"]):
            name, new = names.get(plan.device, plan.device), str(change["to"])
            line, there = line_of(plan.device, str(old)), line_of(plan.device, new)
            found.append(Mover(plan, subject, name, line, there, item.path, str(old), new))
    return found


def arranged(plans: Sequence[DevicePlan], moving: Sequence[Mover], spare: Spare) -> list[DevicePlan]:
    """The plans in an order in which every move finds its place left; one of each ring is made to go by a spare place.

    Each waits for one that stands before it, but for the first of a ring, whose others come right after it: so a few
    at a time are enough to carry it out, whatever the number.
    """
    at = {(one.line, one.old): one for one in moving}
    waits = {
        one.plan.device: holder
        for one in moving
        if (holder := at.get((one.to_line, one.new))) is not None and holder is not one
    }
    rings = _rings(moving, waits)
    for first in rings:
        _go_by_spare_place(first, spare(first.line))
    firsts = {first.plan.device: ring for first, ring in ((members[0], members) for members in rings.values())}
    ordered: dict[str, Mover] = {}
    for one in moving:
        path = [one]
        while path[-1].plan.device not in firsts and (holder := waits.get(path[-1].plan.device)) is not None:
            if holder.plan.device in ordered:
                break
            path.append(holder)
        for member in reversed(path):
            for other in firsts.get(member.plan.device, [member]):
                ordered.setdefault(other.plan.device, other)
    for one in ordered.values():
        _wait_for(one, waits.get(one.plan.device))
    return [*(one.plan for one in ordered.values()), *(plan for plan in plans if plan.device not in ordered)]


def _rings(moving: Sequence[Mover], waits: Mapping[str, Mover]) -> dict[Mover, list[Mover]]:
    """Each ring by the one that goes first: that one, who takes its place, who takes that one's, and so on."""
    rings: dict[Mover, list[Mover]] = {}
    seen: set[str] = set()
    for one in moving:
        path: list[Mover] = []
        here: Mover | None = one
        while here is not None and here.plan.device not in seen:
            seen.add(here.plan.device)
            path.append(here)
            here = waits.get(here.plan.device)
        if here in path:
            ring = path[path.index(here) :]  # each waits for the next one; who goes first is waited for by the last
            rings[ring[0]] = [ring[0], *reversed(ring[1:])]
    return rings


def _go_by_spare_place(one: Mover, place: str) -> None:
    """To the spare place first; all else of its plan from there. Without one nothing of it is done."""
    profile = one.subject.profile
    if not place:
        one.plan.steps.clear()
        text = f"Nothing is written: it is in a ring of moves, and its line has no free place for {one.name} to go by."
        one.plan.remarks.append(Remark("left-out", text))
        return
    item = profile.by_path[one.path]
    now = get(one.subject.running, one.path)
    try:
        by = item.type.canonical(int(place) if item.type.name == "integer" else place)
        leg = plan_changes(one.subject, [Change(one.path, now, by)])
    except NetloomError as error:
        one.plan.steps.clear()
        one.plan.remarks.append(Remark("left-out", f"It cannot go by {place}: {error.message}"))
        return
    for step in leg.steps:
        step.params["detour"] = place
        if step.action == "readdress":
            step.params["words"] = f"By way of {place}, which is free, since others take its place first."
    for step in one.plan.steps:
        for change in step.params.get("changes", []):
            if change["path"] == one.path:
                change["from"] = by
                change.pop("waits", None)
    one.plan.steps[:0] = leg.steps
    one.subject = replace(one.subject, running=merged(one.subject.running, {one.path: by}))


def _wait_for(one: Mover, holder: Mover | None) -> None:
    """The first step that would bring it to its place waits until the other one has left that."""
    if holder is None or not holder.plan.steps or not one.plan.steps:
        if holder is not None and one.plan.steps:
            one.plan.steps.clear()
            text = f"Nothing is written: {one.new} is {holder.name}'s, and that one does not leave it by this plan."
            one.plan.remarks.append(Remark("left-out", text))
        return
    for step in one.plan.steps:
        changes = step.params.get("changes", [])
        if any(c["path"] == one.path and str(c["to"]) == one.new for c in changes):
            step.params["after_device"] = holder.plan.device
            step.params["words"] = f"After {holder.name} has left {one.new}."
            return


def numbered_waits(steps: Sequence[StepState]) -> None:
    """Once steps have their ordinals: what waits for a device waits for its first change of place."""
    leaves: dict[str, int] = {}
    for step in steps:
        if step.action == "readdress":
            leaves.setdefault(step.device, step.ordinal)
    for step in steps:
        device = step.params.pop("after_device", "")
        if device in leaves:
            step.params["after"] = [leaves[device]]
