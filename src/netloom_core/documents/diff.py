"""Differences between two documents; the planner and the proof use the same ones."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from netloom_core.documents.tree import MISSING, Document, escaped, get, leaves
from netloom_core.model.change import Change


def _known(value: Any) -> Any:
    return None if value is MISSING else value


def differences(before: Document, after: Document) -> list[Change]:
    """All paths whose values differ, sorted by path. Empty is the proof of equality."""
    found: list[Change] = []
    if before != after:
        _compare(before, after, "", found)
    return sorted(found, key=lambda change: change.path)


def _compare(old: Any, new: Any, base: str, found: list[Change]) -> None:
    """Goes down only where parts differ: most of two documents is equal, and told so at once."""
    if isinstance(old, dict) and isinstance(new, dict) and old and new:
        for name, value in new.items():
            before = old.get(name, MISSING)
            if before != value:
                _compare(before, value, f"{base}/{escaped(name)}", found)
        for name, value in old.items():
            if name not in new:
                _compare(value, MISSING, f"{base}/{escaped(name)}", found)
        return
    left = dict(leaves(old, base)) if old is not MISSING else {}
    right = dict(leaves(new, base)) if new is not MISSING else {}
    for path in left.keys() | right.keys():
        if left.get(path, MISSING) != right.get(path, MISSING):
            found.append(Change(path, _known(left.get(path, MISSING)), _known(right.get(path, MISSING))))


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
