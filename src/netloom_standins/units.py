"""What all stand-ins have in common: an identity, running and kept values, points, faults."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.tree import Document, get
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
    mumbles: str = ""  # a setting of its documents of which it tells nothing that is a value
    tamper: bool = False
    leased: str = ""  # the address that a server gives it at each start, whatever it was told
    clock_ahead: float = 0.0  # of its own clock
    cut_load: float = 0.0  # its power goes when so much of a firmware file has come, of 1
    spoil_load: bool = False  # the next firmware file comes damaged
    half_load: bool = False  # the next one does not get to its other half
    hide_version: bool = False  # after the next one it tells the old version until its power was cut
    certificate: int = 0  # how often it made its certificate anew


@dataclass
class Unit:
    """One simulated device. `on_change` is called whenever something lasting changed.

    `profile` is what its label says, maker and model, and by which names people know its points. What it has, takes
    and keeps is never taken from there.
    """

    profile: Profile
    serial: str
    firmware: str
    running: Document
    startup: Document
    factory: bool = False
    name: str = ""
    faults: Faults = field(default_factory=Faults)
    on_change: Callable[[], None] = lambda: None

    @property
    def label(self) -> str:
        name = get(self.running, "/name")
        return f"{self.profile.model} {self.serial}" + (f" ({name})" if isinstance(name, str) and name else "")

    @property
    def usual_boot(self) -> float:
        """Seconds that it takes to start when nothing slows it."""
        return BOOT_S

    def lose_unkept(self) -> None:
        """What a power cut does to values."""

    # What the kind of unit does; the control API calls these. Raises Wrong where it has no such thing.

    def change(self, path: str, value: Any, stored: bool) -> None:
        """Somebody sets a value at the device itself."""
        raise NotImplementedError

    def set_point(self, point: str, state: str) -> None:
        raise NotImplementedError

    async def power_cut(self) -> None:
        raise NotImplementedError

    async def factory_reset(self) -> None:
        """As by its button: what it is then, its factory made it."""
        raise NotImplementedError

    async def silence(self, on: bool) -> None:
        self.faults.silent = on

    def where(self) -> str:
        raise NotImplementedError

    def state(self) -> dict[str, Any]:
        """What survives the end of the stand-in process, as flash memory would."""
        return {"factory": self.factory}

    def load(self, state: dict[str, Any]) -> None:
        self.factory = bool(state.get("factory"))
