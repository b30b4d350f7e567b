"""Which decided values may not stand together on a device, and what near them may."""

from __future__ import annotations

from typing import Any

from netloom_core.documents.diff import towards
from netloom_core.documents.tree import Document
from netloom_core.plan.allowed import judged
from netloom_core.profiles.profile import Profile


def wanted(profile: Profile, intended: Document, running: Document) -> tuple[dict[str, Any], list[str]]:
    """The values that conditions look at, as they would be once all is written; and which of them would change."""
    rules = profile.allowed
    changes = {c.path: c.after for c in towards(running, intended) if c.path in rules.by_path}
    return {**judged(profile, running), **changes}, list(changes)


def forbidden(profile: Profile | None, intended: Document, running: Document) -> int:
    """How many conditions what is decided would break."""
    if profile is None or not profile.conditions:
        return 0
    values, changed = wanted(profile, intended, running)
    return len(profile.allowed.breaks(values, changed))


def conflicts(profile: Profile | None, intended: Document, running: Document) -> dict[str, Any]:
    """Each broken condition with the items that it looks at, and the nearest values with which all hold."""
    if profile is None or not profile.conditions:
        return {"broken": [], "offer": []}
    rules = profile.allowed
    values, changed = wanted(profile, intended, running)
    numbers = rules.breaks(values, changed)
    broken = [
        {"why": one.why, "paths": list(one.paths), "labels": [profile.called(path) for path in one.paths]}
        for one in rules.broken(values)
        if one.number in numbers
    ]
    near = rules.nearest(values, changed) if broken else {}
    offer = [
        {"path": path, "label": profile.called(path), "value": value, "shown": profile.by_path[path].type.show(value)}
        for path, value in (near or {}).items()
    ]
    return {"broken": broken, "offer": offer}
