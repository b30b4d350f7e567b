"""Taking back a run: each of its steps says what would, the device now says what is left of it. Pure."""

from __future__ import annotations

from collections.abc import Sequence

from netloom_core.documents.diff import towards
from netloom_core.documents.tree import MISSING, Document, get, leaves, put
from netloom_core.model.change import Change
from netloom_core.model.work import PENDING, SKIPPED, StepState
from netloom_core.plan.planner import plan_changes, waits_for_restart
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.run.steps.registry import STEPS


def plan_back(subject: Subject, steps: Sequence[StepState], *, over_later: bool = False) -> DevicePlan:
    """Takes back what a run wrote, or may have written, where the before-values are known.

    What was written since by somebody else is left alone and remarked, unless `over_later`.
    """
    first: dict[str, Change] = {}
    last: dict[str, Change] = {}
    for step in steps:
        if step.device != subject.device or step.state in (PENDING, SKIPPED):
            continue
        for change in STEPS[step.action].back(step):  # from what was written to what was before
            first.setdefault(change.path, change)
            last[change.path] = change
    wanted: Document = {}
    later: list[str] = []
    for path, change in first.items():
        if path not in subject.profile.by_path:
            continue
        now = get(subject.running, path)
        ours = now is MISSING or now in (change.after, last[path].before)
        if ours or over_later:
            put(wanted, path, change.after)
        else:
            later.append(f"{subject.profile.called(path)} is {now!r} now, not {last[path].before!r} as this run wrote")
    changes = towards(subject.running, wanted)
    changes += _still_waiting(subject, wanted, {change.path for change in changes})
    plan = plan_changes(subject, changes)
    lost = sorted({p for s in steps if s.device == subject.device for p in _without_before(s)} - first.keys())
    if lost:
        plan.remarks.append(
            Remark(
                "left-out",
                f"What was there before is not known, so it stays: {', '.join(map(subject.profile.called, lost))}.",
            )
        )
    for text in later:
        plan.remarks.append(Remark("later", f"{text}: somebody changed it since, so it was left as it is."))
    return plan


def _still_waiting(subject: Subject, wanted: Document, but: set[str]) -> list[Change]:
    """What the run staged and no restart has taken yet: it would come at the next one."""
    found = []
    for path, value in leaves(wanted):
        waits = get(subject.startup, path)
        if path not in but and waits_for_restart(subject.profile, path) and waits not in (MISSING, value):
            found.append(Change(path, value, value))
    return found


def _without_before(step: StepState) -> list[str]:
    """Paths that a step may have written and whose value before nobody knows."""
    if step.state in (PENDING, SKIPPED) or not STEPS[step.action].writes:
        return []
    return [change["path"] for change in step.params.get("changes", []) if change.get("from") is None]
