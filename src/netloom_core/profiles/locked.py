"""What a lock on a crosspoint keeps from being changed: itself, and what would cut the output off that it is on."""

from __future__ import annotations

from collections.abc import Iterable

from netloom_core.model.lock import Lock
from netloom_core.profiles.profile import Profile


def why_locked(profile: Profile, locks: Iterable[Lock], path: str, state: str) -> str:
    """Why the item at that path may not be brought to that state; empty where it may.

    A lock without a state is on the destination: nothing goes out there any more where its output is switched off.
    """
    for lock in locks:
        if lock.path == path and lock.keeps_from(state):
            return lock.why
        if not lock.state and _cuts_off(profile, lock.path, path, state):
            return f"Nothing would go out there any more. {lock.why}"
    return ""


def _cuts_off(profile: Profile, locked: str, path: str, state: str) -> bool:
    item = profile.by_path.get(path) or profile.points_by_path.get(path)
    if item is None or locked == path or locked not in profile.places or path not in profile.places:
        return False
    if not profile.places[path][1] or profile.places[path][1] != profile.places[locked][1]:
        return False
    return any(
        need.path == path and state in [item.state_of(value) for value in need.one_of]
        for jack in profile.jacks.values()
        if jack.way == "out"
        for need in jack.stops
    )
