"""Values that were written and wait for a store, by the steps that wrote them. Pure.

A device tells them in no set: they begin to work with the next store, whoever tells it to.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from netloom_core.documents.tree import Document, get
from netloom_core.model.work import GOOD, PENDING, SKIPPED, StepState
from netloom_core.profiles.profile import Profile

TAKEN_BY = frozenset({"store"})  # what makes them work
GONE_BY = frozenset({"restart", "perform", "power-cycle"})  # what they do not outlive


def waits_for_store(profile: Profile) -> bool:
    return any(item.takes == "on-store" for item in profile.by_path.values())


def waiting(profile: Profile, newest_first: Iterable[StepState], running: Document) -> Mapping[str, Any]:
    """By path what the next store would make work, of steps on one device; what runs so already waits no more."""
    found: dict[str, Any] = {}
    for step in newest_first:
        if step.state in (PENDING, SKIPPED):
            continue
        if step.action in TAKEN_BY | GONE_BY and step.state in GOOD:
            break
        if step.action != "write":
            continue
        for change in step.params.get("changes", []):
            item = profile.by_path.get(change["path"])
            if item is not None and item.takes == "on-store" and not item.secret:
                found.setdefault(change["path"], change["to"])
    return {path: value for path, value in found.items() if get(running, path) != value}
