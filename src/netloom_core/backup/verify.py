"""Proof: what a device does now against what was approved. Pure.

Equal documents are told by one comparison; only unequal ones are walked.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from netloom_core.plan.diff import differences
from netloom_core.plan.documents import MISSING, Document, get
from netloom_core.plan.planner import is_staged, unkept_paths
from netloom_core.profiles.schema import Profile

RESULTS = ("match", "drift", "unkept", "unproven", "unreachable", "no-baseline")


@dataclass
class Proof:
    """`differences`: dicts of path, baseline, running, and kind (`drift`, `lost`, `unkept`, `unproven`)."""

    result: str
    differences: list[dict[str, Any]] = field(default_factory=list)
    message: str = ""


def verify(
    profile: Profile | None,
    baseline: Document | None,
    running: Document | None,
    startup: Document | None,
    *,
    earlier: tuple[Document, Document] | None = None,
    message: str = "",
) -> Proof:
    """Compare. `running` is None when the device could not be read, `message` then says why.

    `earlier` is what running and startup values were before the present ones. A value that
    was as approved then but not kept, and is now what was kept then, was taken back by a
    power cut: `lost`.
    """
    if baseline is None:
        return Proof("no-baseline", message="There is no approved record of this device yet: back it up as baseline.")
    if running is None:
        return Proof("unreachable", message=message or "It could not be read.")
    found: list[dict[str, Any]] = []
    unproven = False
    if baseline != running:
        for change in differences(baseline, running):
            if change.after is None and profile is not None and change.path in profile.by_path:
                kind, unproven = "unproven", True
            elif _lost(change.path, change.before, change.after, earlier):
                kind = "lost"
            else:
                kind = "drift"
            found.append({"path": change.path, "baseline": change.before, "running": change.after, "kind": kind})
    loose: list[str] = []
    if startup and profile is not None and running != startup:
        loose = [path for path in unkept_paths(profile, running, startup) if not is_staged(profile, path)]
    if any(item["kind"] in ("drift", "lost") for item in found):
        return Proof("drift", found)
    if loose:
        found += [
            {"path": path, "baseline": get(running, path), "running": get(running, path), "kind": "unkept"}
            for path in loose
        ]
        return Proof("unkept", found)
    return Proof("unproven" if unproven else "match", found)


def _lost(path: str, approved: Any, now: Any, earlier: tuple[Document, Document] | None) -> bool:
    if earlier is None:
        return False
    running, startup = earlier
    return get(running, path) == approved and get(startup, path) is not MISSING and get(startup, path) == now


def summary(results: Iterable[str]) -> dict[str, int]:
    """How many of each result, all named, zero included."""
    counts = dict.fromkeys(RESULTS, 0)
    for result in results:
        counts[result] += 1
    return counts
