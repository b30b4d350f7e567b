"""What of some changes may stand together on the device; of the rest why not, and what near it is allowed. Pure."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.model.change import Change
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.profiles.profile import Profile


def judged(profile: Profile, document: Document) -> dict[str, Any]:
    """The values that conditions look at."""
    found = ((path, get(document, path)) for path in profile.allowed.by_path)
    return {path: value for path, value in found if value is not MISSING}


def allowed(subject: Subject, changes: Sequence[Change], plan: DevicePlan) -> list[Change]:
    """Changes after which no condition that they touch is broken; of the others it is said why, and what is near."""
    rules, left = subject.profile.allowed, list(changes)
    now = judged(subject.profile, subject.running)
    while rules:
        after = {**now, **{change.path: change.after for change in left if change.path in rules.by_path}}
        paths = [change.path for change in left]
        broken = rules.breaks(after, paths)
        if not broken:
            break
        near = rules.nearest(after, paths)
        touched = {clause.path for number in broken for clause in rules.rules[number].clauses}
        names = ", ".join(subject.profile.called(path) for path in paths if path in touched)
        why = "; ".join(dict.fromkeys(rules.rules[number].why for number in sorted(broken)))
        plan.remarks.append(Remark("forbidden", f"{names}: {why}. {offer(subject.profile, near)}"))
        left = [change for change in left if change.path not in touched]
    return left


def offer(profile: Profile, near: Mapping[str, Any] | None) -> str:
    if not near:
        return "Nothing near is allowed."
    told = ", ".join(f"{profile.called(p)} {profile.by_path[p].type.show(value)}" for p, value in near.items())
    return f"Near and allowed: {told}."
