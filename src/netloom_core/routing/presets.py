"""Presets: cells of one device or several, held against what is; Netloom's and the devices' own matched."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from netloom_core.profiles.fill import filled
from netloom_core.profiles.profile import Profile

Verdict = Literal["same", "differs", "unknown"]


@dataclass(frozen=True)
class Cell:
    """That a point of a device is to be in a state; a point by its path, a state as people drive it."""

    device: str
    path: str
    state: str


@dataclass(frozen=True)
class Compared:
    cell: Cell
    now: str | None
    verdict: Verdict


def compare(cells: Sequence[Cell], now: Mapping[tuple[str, str], str]) -> list[Compared]:
    """Each cell against the present state; what nobody knows is neither the same nor another."""
    found = []
    for cell in cells:
        state = now.get((cell.device, cell.path))
        verdict: Verdict = "unknown" if state is None else "same" if state == cell.state else "differs"
        found.append(Compared(cell, state, verdict))
    return found


@dataclass(frozen=True)
class OwnPreset:
    """A preset in the device itself: what is in it by path, as far as it tells."""

    number: int
    name: str
    cells: Mapping[str, str]


def own_presets(profile: Profile, facts: Mapping[str, Any]) -> list[OwnPreset]:
    """Those that a device has, with what it tells of them; `facts` are values by path."""
    form = profile.signals.presets if profile.signals is not None else None
    if form is None:
        return []
    axis = profile.axes[form.axis]
    cells = [(path, numbers) for path, (own, numbers) in profile.places.items() if own == form.cells]
    found = []
    for number in axis.numbers:
        told = {}
        for path, numbers in cells:
            value = facts.get(filled(form.holds, {**numbers, form.axis: number})) if form.holds else None
            if value is not None:
                told[path] = str(value)
        name = facts.get(axis.name_path(form.axis, number)) if axis.names else ""
        found.append(OwnPreset(number, str(name or ""), told))
    return found


def matching(cells: Sequence[Cell], device: str, own: Sequence[OwnPreset]) -> int | None:
    """Which of a device's own presets has all that these cells want of it, if that is anything; None where none has."""
    wanted = {cell.path: cell.state for cell in cells if cell.device == device}
    for one in own:
        if wanted and one.cells and all(one.cells.get(path) == state for path, state in wanted.items()):
            return one.number
    return None
