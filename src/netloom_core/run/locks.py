"""Whether driving a point would change what somebody locked: itself, or by a preset that the device recalls."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from netloom_core.model.lock import Lock
from netloom_core.profiles.fill import filled
from netloom_core.profiles.locked import why_locked
from netloom_core.profiles.profile import Profile


def kept_from(locks: Sequence[Lock], profile: Profile, states: Mapping[str, str], point: str, state: str) -> str:
    """Why, in words; empty where it may. `states` are those that the device told last, by short name of its points.

    A preset may be recalled where it is known to hold what is there now, for all that is locked.
    """
    if not locks:
        return ""
    path = profile.by_point[point].path
    if why := why_locked(profile, locks, path, state):
        return why
    presets = profile.signals.presets if profile.signals is not None else None
    if presets is None or point != presets.recall or not state.isdecimal():
        return ""
    number = int(state)
    if number not in profile.axes[presets.axis].numbers:
        return ""
    for lock in locks:
        form, numbers = profile.places.get(lock.path, ("", {}))
        if form != presets.cells:
            continue
        held = _told(profile, states, filled(presets.holds, {**numbers, presets.axis: number})) if presets.holds else ""
        if not held:
            return f"What preset {number} would change is not known. {lock.why}"
        if held != _told(profile, states, lock.path) and lock.keeps_from(held):
            return f"Preset {number} would change it. {lock.why}"
    return ""


def _told(profile: Profile, states: Mapping[str, str], path: str) -> str:
    item = profile.points_by_path.get(path)
    return states.get(item.id, "") if item is not None else ""
