"""The panel of a device, locked while a run works on it, and given back whatever comes of the run. Pure."""

from __future__ import annotations

from typing import Any

from netloom_core.documents.tree import MISSING, get
from netloom_core.model.change import Change
from netloom_core.model.work import StepState
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.profiles.abilities import Ability

SECONDS = 1.0


def with_panel(subject: Subject, plan: DevicePlan, *, lock: bool) -> DevicePlan:
    """The plan, with its panel locked first and given back last where `lock` is wanted and can be; else a remark that
    it could be."""
    item = subject.profile.with_role("panel-lock")
    if item is None or not plan.steps or Ability.WRITE not in subject.abilities:
        return plan
    now = get(subject.running, item.path)
    mine = any(change["path"] == item.path for step in plan.steps for change in step.params.get("changes", []))
    if now in (MISSING, item.locked) or mine:
        return plan
    if not lock:
        plan.remarks.append(Remark("can-lock", "Its panel can be locked while this is written."))
        return plan
    plan.steps.insert(0, _step(subject, Change(item.path, now, item.locked), "The panel is locked meanwhile."))
    back = _step(subject, Change(item.path, item.locked, now), "The panel is given back, whatever came of the rest.")
    back.params["always"] = True
    plan.steps.append(back)
    return plan


def _step(subject: Subject, change: Change, note: str) -> StepState:
    params: dict[str, Any] = {
        "changes": [change.as_dict()], "disturbs": [], "seconds": SECONDS, "panel": True, "note": note,
    }  # fmt: skip
    return StepState(0, subject.device, "write", params)
