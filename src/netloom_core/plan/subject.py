"""A device as the planner sees it, and what comes out: steps, and remarks for people."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.tree import Document
from netloom_core.model.lock import Lock
from netloom_core.model.work import StepState
from netloom_core.plan.proof import Row, row_for
from netloom_core.profiles.abilities import Abilities
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile


@dataclass(frozen=True)
class Remark:
    """Something that a person has to know of a plan. `code` is stable: `left-out` is not written."""

    code: str
    message: str


@dataclass
class DevicePlan:
    """Steps for one device, and remarks on values that will do nothing as things are."""

    device: str
    steps: list[StepState] = field(default_factory=list)
    remarks: list[Remark] = field(default_factory=list)


@dataclass(frozen=True)
class Subject:
    """A device as the planner needs it: what it is, can do and has now. `levels` are those of access whose code is
    known, None where nobody looked; `locks` are on what nobody changes from here; `unreadable` is of what it told no
    value, by path: why; `waiting` are values that an earlier run wrote and that the next store makes work."""

    device: str
    profile: Profile
    abilities: Abilities
    running: Document
    startup: Document
    levels: frozenset[str] | None = None
    locks: tuple[Lock, ...] = ()
    unreadable: Mapping[str, str] = field(default_factory=dict)
    waiting: Mapping[str, Any] = field(default_factory=dict)

    def opens(self, level: str) -> bool:
        """Whether what needs that level of access can be done."""
        return not level or self.levels is None or level in self.levels

    def row(self, setting: Item) -> Row:
        return row_for(setting.takes, setting.kept, frozenset() if setting.secret else self.abilities.sets)
