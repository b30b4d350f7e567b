"""Proof: what a device does now against what was approved. Pure.

Equal documents are told by one comparison; only unequal ones are walked.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.diff import differences
from netloom_core.documents.tree import MISSING, Document, get, leaves
from netloom_core.plan.planner import known_unkept
from netloom_core.plan.proof import NO_STARTUP
from netloom_core.profiles.profile import Profile

RESULTS = ("match", "drift", "unkept", "unproven", "unreachable", "no-baseline")


@dataclass
class Proof:
    """`differences`: dicts of path, baseline, running, kind (`drift`, `lost`, `unkept`, `unproven`), and why where that
    is known. `read` is the time (Unix, in seconds) of the reading of which it is made, 0 where it is made of none.
    """

    result: str
    differences: list[dict[str, Any]] = field(default_factory=list)
    message: str = ""
    read: float = 0.0

    def as_dict(self, device: str, name: str) -> dict[str, Any]:
        return {
            "device": device,
            "name": name,
            "result": self.result,
            "differences": self.differences,
            "message": self.message,
        }


@dataclass(frozen=True)
class Evidence:
    """What a proof is made of. `baseline` is None where nothing was approved; `running` is what was just read.

    `lost` are values that a power cut took back, by path (see `losses`); `unreadable` came and were no values; `read`
    is the time of the reading (Unix, in seconds).
    """

    name: str
    profile: Profile | None
    baseline: Document | None
    running: Document
    startup: Document
    lost: Mapping[str, Any] = field(default_factory=dict)
    unreadable: Mapping[str, str] = field(default_factory=dict)
    read: float = 0.0


def verify(evidence: Evidence, *, trouble: str = "") -> Proof:
    """Compare. `trouble` says why the device could not be read just now.

    A path that the approved record never had is not drift: nothing was approved of it, so it
    is unproven. So is what could not be read, with the reason as `why`, also where an approved record was made without
    it. A secret is never told, and never `matching`.
    """
    baseline, running, profile = evidence.baseline, evidence.running, evidence.profile
    if baseline is None:
        return Proof("no-baseline", message="There is no approved record of this device yet: back it up as baseline.")
    if trouble or not running:
        return Proof("unreachable", message=trouble or "It could not be read.")
    found: list[dict[str, Any]] = []
    if baseline != running:
        for change in differences(baseline, running):
            kind = _kind(change.path, change.before, change.after, evidence)
            found.append({"path": change.path, "baseline": change.before, "running": change.after, "kind": kind})
    told = {item["path"]: item for item in found}
    for path, why in evidence.unreadable.items():
        if get(running, path) is MISSING:  # else only what it keeps could not be read
            row = told.get(path) or {"path": path, "baseline": None, "running": None, "kind": "unproven"}
            row["why"] = why
            found += [] if path in told else [row]
        elif evidence.startup and profile is not None and _stored(profile, path):
            why = f"what it keeps of it cannot be read: {why}"
            value = get(running, path)
            row = {"path": path, "baseline": get(baseline, path) or None, "running": value, "kind": "unproven"}
            found += [] if path in told else [{**row, "why": why}]
    loose = known_unkept(profile, running, evidence.startup, evidence.unreadable) if profile is not None else []
    found += [
        {"path": path, "baseline": get(baseline, path) or None, "running": get(running, path), "kind": "unkept"}
        for path in loose
    ]
    kinds = {item["kind"] for item in found}
    if kinds & {"drift", "lost"}:
        word = "drift"
    elif "unkept" in kinds:
        word = "unkept"
    else:
        word = "unproven" if "unproven" in kinds else "match"
    unseen = profile is not None and not evidence.startup and any(_stored(profile, p) for p, _ in leaves(baseline))
    if word == "match" and unseen:
        return Proof("unproven", found, f"What it keeps is not known: {NO_STARTUP}.", read=evidence.read)
    return Proof(word, found, read=evidence.read)


def _stored(profile: Profile, path: str) -> bool:
    """Whether a power cut may bring another value than the one that runs."""
    item = profile.by_path.get(path)
    return item is not None and item.kept == "when-stored" and not item.secret


def _kind(path: str, approved: Any, now: Any, evidence: Evidence) -> str:
    if now is None or approved is None:
        return "unproven"
    loss = evidence.lost.get(path)
    return "lost" if loss is not None and loss["was"] == approved and loss["now"] == now else "drift"


def losses(
    before: tuple[Document, Document],
    now: tuple[Document, Document],
    lost: Mapping[str, Any],
    decided: Document | None = None,
) -> dict[str, Any]:
    """Values that a power cut took back, by path: `{"was", "now"}`. Arguments are (running, startup) then and now.

    A value was lost when it ran but was not kept, and what runs now is what was kept then. It stays
    lost until it is something else, whatever else changes meanwhile. One that is now what people decided was
    waiting for its restart, as a new address does: nothing was lost by that.
    """
    (running, startup), (running_now, _) = before, now
    wanted = decided or {}
    still = {
        path: loss
        for path, loss in lost.items()
        if get(running_now, path) == loss["now"] and get(wanted, path) != loss["now"]
    }
    if not running or not startup or running == running_now:
        return still
    for change in differences(startup, running):
        told = change.before is not None and change.after is not None
        if told and get(running_now, change.path) == change.before != get(wanted, change.path):
            still[change.path] = {"was": change.after, "now": change.before}
    return still


def summary(results: Iterable[str]) -> dict[str, int]:
    """How many of each result, all named, zero included."""
    counts = dict.fromkeys(RESULTS, 0)
    for result in results:
        counts[result] += 1
    return counts
