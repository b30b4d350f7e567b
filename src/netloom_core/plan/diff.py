"""Differences between two documents; the planner and the proof use the same ones."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from netloom_core.model.change import Change
from netloom_core.plan.documents import MISSING, Document, get, leaves


def _known(value: Any) -> Any:
    return None if value is MISSING else value


def differences(before: Document, after: Document) -> list[Change]:
    """All paths whose values differ, sorted by path. Empty is the proof of equality."""
    if before == after:
        return []
    old, new = dict(leaves(before)), dict(leaves(after))
    return [
        Change(path, _known(old.get(path, MISSING)), _known(new.get(path, MISSING)))
        for path in sorted(old.keys() | new.keys())
        if old.get(path, MISSING) != new.get(path, MISSING)
    ]


def towards(running: Document, wanted: Document, paths: Iterable[str] | None = None) -> list[Change]:
    """Changes that bring `running` to each value in `wanted`; what is only in running stays."""
    chosen = set(paths) if paths is not None else None
    changes = []
    for path, value in leaves(wanted):
        if chosen is not None and path not in chosen:
            continue
        now = get(running, path)
        if now is MISSING or now != value:
            changes.append(Change(path, _known(now), value))
    return changes
