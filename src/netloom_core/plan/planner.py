"""From what is wanted and what is there to an ordered list of steps, as data.

Within a device: settings that work at once, a mode before what depends on it; then
the store; last what cuts the link (address, speed, all that waits for a restart).
An empty plan is the proof that nothing is left to do.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from netloom_core.errors import WrongModel
from netloom_core.model.change import Change
from netloom_core.model.work import StepState
from netloom_core.plan.diff import differences, towards
from netloom_core.plan.documents import Document, merged, put
from netloom_core.profiles.schema import Profile
from netloom_core.profiles.values import checked, unmet_needs

SECONDS = {"write": 1.0, "store": 1.0}


@dataclass
class DevicePlan:
    """Steps for one device, and remarks on values that will do nothing as things are."""

    device: str
    steps: list[StepState] = field(default_factory=list)
    remarks: list[str] = field(default_factory=list)


def in_order(profile: Profile, changes: Sequence[Change]) -> list[Change]:
    """Each change after those that it needs; otherwise in the profile's order."""
    order = {path: index for index, path in enumerate(profile.by_path)}
    waiting = sorted(changes, key=lambda change: order.get(change.path, len(order)))
    done: list[Change] = []
    while waiting:
        open_paths = {change.path for change in waiting}
        ready = [c for c in waiting if not {n.path for n in profile.by_path[c.path].needs} & (open_paths - {c.path})]
        chosen = ready or waiting  # needs in a circle: the profile's order is as good as any
        done += chosen
        waiting = [change for change in waiting if change not in chosen]
    return done


def is_staged(profile: Profile, path: str) -> bool:
    """Whether the value works only after a restart or a change of place."""
    setting = profile.by_path[path]
    return setting.takes == "on-restart" or setting.role in ("address", "speed")


def unkept_paths(profile: Profile, running: Document, startup: Document) -> list[str]:
    """Settings whose value would go at the next power cut."""
    if not startup:
        return []
    return [
        change.path
        for change in differences(startup, running)
        if change.after is not None
        and (setting := profile.by_path.get(change.path)) is not None
        and setting.kept == "when-stored"
    ]


def _step(device: str, action: str, profile: Profile, changes: Sequence[Change], seconds: float) -> StepState:
    disturbs = sorted({d for change in changes for d in profile.by_path[change.path].disturbs})
    params: dict[str, Any] = {
        "changes": [change.as_dict() for change in changes],
        "disturbs": disturbs,
        "seconds": seconds,
    }
    return StepState(0, device, action, params)


def restart_seconds(profile: Profile) -> float:
    reach = profile.reach.http or profile.reach.osdp
    return reach.restart_seconds if reach else 10.0


def plan_changes(
    profile: Profile, device: str, changes: Sequence[Change], running: Document, startup: Document, *, keep: bool = True
) -> DevicePlan:
    """Steps for given changes. `keep=False` leaves out the store, for values to try."""
    plan = DevicePlan(device)
    for change in changes:
        checked(profile, change.path, change.after)
    at_once = in_order(profile, [c for c in changes if not is_staged(profile, c.path)])
    staged = in_order(profile, [c for c in changes if is_staged(profile, c.path)])
    if at_once:
        plan.steps.append(_step(device, "write", profile, at_once, SECONDS["write"]))
    needs_store = any(profile.by_path[c.path].kept == "when-stored" for c in at_once)
    loose = [path for path in unkept_paths(profile, running, startup) if not is_staged(profile, path)]
    if keep and (needs_store or loose):
        step = _step(device, "store", profile, [], SECONDS["store"])
        step.params["unkept"] = loose
        plan.steps.append(step)
    if staged:
        plan.steps.append(_step(device, "move", profile, staged, restart_seconds(profile)))
    document = merged(running, {change.path: change.after for change in changes})
    for change in changes:
        plan.remarks += [f"{change.path}: {reason}" for reason in unmet_needs(profile, change.path, document)]
    return plan


def plan_intended(
    profile: Profile, device: str, intended: Document, running: Document, startup: Document, *, keep: bool = True
) -> DevicePlan:
    """What brings the device to what people decided."""
    changes = [c for c in towards(running, intended) if c.path in profile.by_path]
    return plan_changes(profile, device, changes, running, startup, keep=keep)


def plan_restore(
    profile: Profile, device: str, backup_profile: str, backup: Document, running: Document, startup: Document
) -> DevicePlan:
    """What brings the device back to a backup's running values. Refuses another model's backup."""
    if backup_profile != profile.id:
        raise WrongModel(
            f"The backup is of a {backup_profile}, the device is a {profile.id}.",
            "Choose a backup of the same model. Nothing was changed.",
            target=device,
        )
    changes = towards(running, backup, profile.writable)
    return plan_changes(profile, device, changes, running, startup)


def plan_back(
    profile: Profile, device: str, steps: Sequence[StepState], running: Document, startup: Document
) -> DevicePlan:
    """Takes back what the done steps of a run wrote, where the before-values are known."""
    first: dict[str, Change] = {}
    for step in steps:
        if step.device == device and step.state == "done":
            for data in step.params.get("changes", []):
                change = Change.from_dict(data)
                if change.before is not None:
                    first.setdefault(change.path, change)
    wanted: Document = {}
    for change in first.values():
        put(wanted, change.path, change.before)
    return plan_changes(profile, device, towards(running, wanted), running, startup)


def number(plans: Sequence[DevicePlan]) -> list[StepState]:
    """One list for a run; each device's steps stay in their order."""
    steps = [step for plan in plans for step in plan.steps]
    for ordinal, step in enumerate(steps):
        step.ordinal = ordinal
    return steps
