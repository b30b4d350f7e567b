"""What all stand-ins have in common: an identity, running and kept values, points, faults."""

from __future__ import annotations

import copy
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.tree import Document, get, put
from netloom_core.profiles.defaults import default_document, rest_of
from netloom_core.profiles.profile import Profile

BOOT_S = 1.0


@dataclass
class Faults:
    """Troubles of one unit. Times are in seconds."""

    silent: bool = False
    boot_seconds: float = BOOT_S
    pull_on_write: float = 0.0  # on the next write: half of it is taken, then silence for so long
    refuse_writes: bool = False
    liar: str = ""  # a path whose writes are answered with yes and not taken
    tamper: bool = False
    certificate: int = 0  # how often it made its certificate anew


@dataclass
class Unit:
    """One simulated device. `changed` is called whenever something lasting changed."""

    profile: Profile
    serial: str
    firmware: str
    running: Document
    startup: Document
    factory: bool = False
    name: str = ""
    faults: Faults = field(default_factory=Faults)
    points: dict[str, str] = field(default_factory=dict)
    on_change: Callable[[], None] = lambda: None
    watchers: list[Callable[[dict[str, str]], None]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.reset_points()

    @property
    def label(self) -> str:
        name = get(self.running, "/name")
        return f"{self.profile.model} {self.serial}" + (f" ({name})" if isinstance(name, str) and name else "")

    def reset_points(self) -> None:
        self.points = rest_of(self.profile)

    def set_point(self, point: str, state: str) -> None:
        self.points[point] = state
        for watcher in list(self.watchers):
            watcher({point: state})

    def lose_unkept(self) -> None:
        """What a power cut does to values."""
        self.running = copy.deepcopy(self.startup)
        self.reset_points()

    def keep(self) -> None:
        self.startup = copy.deepcopy(self.running)
        self.factory = False
        self.on_change()

    def take(self, path: str, value: Any) -> None:
        if path != self.faults.liar:
            put(self.running, path, value)

    # What the kind of unit does; the control API calls these.

    async def power_cut(self) -> None:
        raise NotImplementedError

    async def factory_reset(self) -> None:
        """As by its button: what it is then, its factory made it."""
        self.startup = default_document(self.profile)
        address = self.profile.with_role("address")
        if address is not None and self.profile.factory.addresses:
            put(self.startup, address.path, address.type.canonical(self.profile.factory.addresses[0]))
        self.factory = True
        self.on_change()
        await self.power_cut()

    async def silence(self, on: bool) -> None:
        self.faults.silent = on

    def where(self) -> str:
        raise NotImplementedError

    def state(self) -> dict[str, Any]:
        """What survives the end of the stand-in process, as flash memory would."""
        return {"startup": self.startup, "factory": self.factory}

    def load(self, state: dict[str, Any]) -> None:
        self.startup, self.factory = state["startup"], state["factory"]
        self.lose_unkept()
