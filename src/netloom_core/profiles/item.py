"""Items: one kind of thing for everything of a device that has a value."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from pydantic import Field, SerializeAsAny

from netloom_core.profiles.binding import Binding
from netloom_core.profiles.bounds import Safe, Value
from netloom_core.profiles.fill import filled, names_in
from netloom_core.types.base import Part
from netloom_core.types.boolean import Boolean
from netloom_core.types.choice import Choice
from netloom_core.types.registry import AnyType

Disturbs = Literal["picture", "sound", "light", "door", "link", "relay", "power"]
Use = Literal["decided", "live", "driven"]
PointKind = Literal[
    "", "relay", "input", "output", "lamp", "tamper", "power", "meter", "level", "counter", "crosspoint", "state"
]


class Need(Part):
    """A condition on another item: it must have one of the values."""

    path: str
    one_of: list[str | int | bool]
    why: str = ""


class Shown(Part):
    """Another scale for a number: shown = value * `factor` + `offset`, or of another function. Stored once, as typed.

    `decibels` shows a level re `reference`: shown = reference * 10 ** (value / 20).
    """

    unit: str
    factor: float = 1.0
    offset: float = 0.0
    decibels: bool = False
    reference: float = 1.0
    places: int = Field(default=2, ge=0, le=6)


class Item(Part):
    """One value. `use` says whether it is decided (in the four sets), live (watched) or driven (acted on).

    `takes` tells when a written value works; `kept` what a power cut does to it; `role` marks what the device is
    reached or called by; `settles` how many seconds a value that was taken may need until it works and is told;
    `brings` are paths of items that the device changes by itself when this one is written. `level` is the level of
    access that writing it needs, `opens` of a password the level whose code it is, where that is not the usual one.
    `bind` has, by channel, how it is read, written, watched and driven.
    `locked` is the value of a panel-lock at which the device's own keys do nothing; a run may set it while it works.
    `safe` is what it has to be when the power comes back: any other value is kept for a reason only.
    `point` is its short name where it is live or driven, `kind` what it is there; `targets` are the states that it
    can be driven to where that is not all of them, `by_way_of` those that it passes on the way there (a lamp warms up).
    """

    path: str = Field(pattern=r"^(/[A-Za-z0-9_{}+:-]+)+$", max_length=200)
    label: str = Field(max_length=120)
    type: AnyType
    use: list[Use] = ["decided"]
    default: Any = None
    takes: Literal["at-once", "on-store", "on-restart"] = "at-once"
    kept: Literal["when-stored", "always", "never"] = "when-stored"
    settles: float = Field(default=0.0, ge=0, le=60)
    level: str = ""
    opens: str = ""
    reserved: str = ""
    targets: list[str] = []
    by_way_of: dict[str, list[str]] = {}
    needs: list[Need] = []
    brings: list[str] = []
    safe: Safe | None = None
    disturbs: list[Disturbs] = []
    role: Literal["", "address", "mask", "gateway", "speed", "name", "password", "panel-lock"] = ""
    locked: Value | None = None
    point: str = ""
    kind: PointKind = ""
    shown: list[Shown] = []
    where: str = ""
    bind: dict[str, SerializeAsAny[Binding]] = {}

    @property
    def decided(self) -> bool:
        return "decided" in self.use

    @property
    def live(self) -> bool:
        return "live" in self.use

    @property
    def drive(self) -> bool:
        return "driven" in self.use

    @property
    def id(self) -> str:
        """The short name of a point; its path with dashes where the profile gives none."""
        return self.point or self.path.strip("/").replace("/", "-")

    @property
    def secret(self) -> bool:
        return self.type.secret

    @property
    def unit(self) -> str:
        return str(getattr(self.type, "unit", ""))

    @property
    def states(self) -> list[str]:
        """The words of its states where it has some, the one at rest first."""
        if isinstance(self.type, Choice):
            return [str(option.value) for option in self.type.options]
        return ["off", "on"] if isinstance(self.type, Boolean) else []

    def state_of(self, value: Any) -> str:
        """A value as the state of a point."""
        return self.type.state(value)

    @property
    def axes(self) -> list[str]:
        return list(dict.fromkeys(names_in(self.path)))

    def at(self, numbers: Mapping[str, int], along: Mapping[str, int]) -> Item:
        """This item for one place on its axes: its number on each, and how many places from the first that is."""
        return self.model_copy(
            update={
                "path": filled(self.path, numbers),
                "label": filled(self.label, numbers),
                "point": filled(self.point, numbers),
                "where": filled(self.where, numbers),
                "brings": [filled(path, numbers) for path in self.brings],
                "needs": [need.model_copy(update={"path": filled(need.path, numbers)}) for need in self.needs],
                "bind": {name: binding.at(numbers, along) for name, binding in self.bind.items()},
            }
        )
