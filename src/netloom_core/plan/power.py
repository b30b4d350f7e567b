"""What a plan would make of the time after a power cut: values that leave somebody in danger are named. Pure."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from netloom_core.documents.tree import get
from netloom_core.plan.subject import DevicePlan, Remark, Subject

UNSAFE = "safety"  # the code of a remark: a plan with one is carried out for a reason only


def kept_by(subject: Subject, plan: DevicePlan) -> Iterator[tuple[str, Any]]:
    """What its steps would keep, by path."""
    for step in plan.steps:
        for keep in step.params.get("keeps", []):
            yield keep["path"], keep["to"]
        for change in step.params.get("changes", []):
            if subject.profile.by_path[change["path"]].kept == "always":
                yield change["path"], change["to"]


def remark_unsafe(subject: Subject, plan: DevicePlan) -> None:
    """What the device starts with already is no news; where it cannot tell that, all is told."""
    for path, value in dict(kept_by(subject, plan)).items():
        item = subject.profile.by_path[path]
        if item.safe is None or item.safe.holds(value) or get(subject.startup, path) == value:
            continue
        shown = f"{item.type.show(value)} {item.unit}".strip()
        text = f"{item.label} {shown} would be kept: {item.safe.why}. That needs a reason."
        plan.remarks.append(Remark(UNSAFE, text))
