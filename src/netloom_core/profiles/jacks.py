"""What people call a jack of a device: its label, with the name that somebody gave to its place."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from netloom_core.profiles.profile import Profile
from netloom_core.profiles.signals import Jack


def place_of(jack: Jack) -> int | None:
    """The number of its place on its axis; None where it is counted by none."""
    return int(jack.id.rsplit("-", 1)[1]) if jack.axis else None


def name_path(profile: Profile, jack: Jack) -> str:
    """Where the device keeps the name of that place; empty where it keeps none."""
    number = place_of(jack)
    return "" if number is None else profile.axes[jack.axis].name_path(jack.axis, number)


def called(profile: Profile, jack: Jack, facts: Mapping[str, Any]) -> str:
    """`facts` are values by path, for names that are kept in the device."""
    label = jack.label or jack.id
    name = facts.get(name_path(profile, jack))
    return f"{name} ({label})" if name else label
