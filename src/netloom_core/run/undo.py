"""Taking back a run: each of its steps says what would, the device now says what is left of it. Pure.

What came of the run counts, not what was wished: a value that the device made another one of is ours, what it changed
by itself goes back, too, what waits for a store is written over. What cannot be taken back is named, value by value.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from netloom_core.documents.diff import towards
from netloom_core.documents.tree import MISSING, Document, get, leaves, put
from netloom_core.model.change import Change
from netloom_core.model.work import PENDING, SKIPPED, StepState
from netloom_core.plan.planner import plan_changes, waits_for_restart
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.run.steps.registry import STEPS


def plan_back(
    subject: Subject, steps: Sequence[StepState], *, decided: Document | None = None, over_later: bool = False
) -> DevicePlan:
    """Takes back what a run wrote, or may have written, where the before-values are known.

    What was written since by somebody else is left alone and remarked, unless `over_later`. `decided` is what people
    want now: what the run brought over no more than halfway is taken out of that, too.
    """
    mine = [step for step in steps if step.device == subject.device and step.state not in (PENDING, SKIPPED)]
    first: dict[str, Change] = {}
    ours: dict[str, list[Any]] = {}
    for step in mine:
        wished = {change["path"]: change["to"] for change in step.params.get("changes", [])}
        for change in STEPS[step.action].back(step):  # from what came of it to what was before
            if change.path in subject.profile.by_path:
                first.setdefault(change.path, change)
                ours.setdefault(change.path, []).extend([change.before, wished.get(change.path)])
    told = _by_itself(mine, first, subject)
    wanted: Document = {}
    plan_remarks: list[Remark] = []
    for path, change in {**first, **told}.items():
        now, called = get(subject.running, path), subject.profile.called(path)
        if now is MISSING and not subject.profile.by_path[path].secret:
            text = f"{called} is not told now: it is written back to {change.after!r} whatever it is."
            plan_remarks.append(Remark("untold", text))
        if now is MISSING or now in (change.after, *ours.get(path, [change.before])) or over_later:
            put(wanted, path, change.after)
            continue
        wrote = next(value for value in reversed(ours.get(path, [change.before])) if value is not None)
        text = f"{called} is {now!r} now, not {wrote!r} as this run wrote: somebody changed it since, so it was left."
        plan_remarks.append(Remark("later", text.removesuffix("left.") + "left as it is."))
    changes = towards(subject.running, wanted)
    changes += _still_waiting(subject, wanted, {change.path for change in changes})
    plan = plan_changes(subject, changes, only_good=True)
    plan.remarks += plan_remarks
    goes_back = [path for path in told if get(subject.running, path) != get(wanted, path) is not MISSING]
    if goes_back:
        names = ", ".join(map(subject.profile.called, goes_back))
        plan.remarks.append(Remark("by-itself", f"{names}: changed with it by the device itself, and goes back, too."))
    lost = sorted({path for step in mine for path in _without_before(step)} - first.keys())
    if lost:
        names = ", ".join(map(subject.profile.called, lost))
        plan.remarks.append(Remark("left-out", f"What was there before is not known, so it stays: {names}."))
    _decide(subject, plan, first, decided or {})
    return plan


def _by_itself(mine: Sequence[StepState], first: dict[str, Change], subject: Subject) -> dict[str, Change]:
    """What the device changed as the run wrote, back to what it had before the first of that."""
    found: dict[str, Change] = {}
    for step in mine:
        for one in step.evidence.get("consequences", []):
            change, item = Change.from_dict(one), subject.profile.by_path.get(one["path"])
            usable = item is not None and not item.reserved and not item.secret and change.before is not None
            if usable and change.path not in first:
                kept = found.get(change.path)
                found[change.path] = Change(change.path, change.after, kept.after if kept else change.before)
    return found


def _still_waiting(subject: Subject, wanted: Document, but: set[str]) -> list[Change]:
    """What the run wrote and no restart, or no store, has taken yet: it would come at the next one."""
    found = []
    for path, value in leaves(wanted):
        if path in but:
            continue
        if waits_for_restart(subject.profile, path):
            waits = get(subject.startup, path)
        else:
            waits = subject.waiting.get(path, MISSING)
        if waits not in (MISSING, value):
            found.append(Change(path, value, value))
    return found


def _decide(subject: Subject, plan: DevicePlan, first: dict[str, Change], decided: Document) -> None:
    """The decisions of the run go back, of what never came over, too; what somebody decided since stays."""
    written = {change["path"] for step in plan.steps for change in step.params.get("changes", [])}
    values = {
        path: change.after
        for path, change in first.items()
        if path not in written
        and get(subject.running, path) == change.after
        and get(decided, path) not in (MISSING, change.after)
        and not subject.profile.by_path[path].secret
    }
    if values:
        many = "1 value" if len(values) == 1 else f"{len(values)} values"
        params = {"values": values, "disturbs": [], "seconds": 0.0, "words": f"Decide {many} again as before"}
        plan.steps.append(StepState(0, subject.device, "decide", params))


def _without_before(step: StepState) -> list[str]:
    """Paths that a step may have written and whose value before nobody knows."""
    if not STEPS[step.action].writes:
        return []
    return [change["path"] for change in step.params.get("changes", []) if change.get("from") is None]
