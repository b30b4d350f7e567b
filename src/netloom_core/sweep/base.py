"""What a sweep method is given and what it gives back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from netloom_core.bus.owner import Owners
from netloom_core.clock import Clock
from netloom_core.model.line import Line
from netloom_core.model.sighting import Sighting
from netloom_core.profiles.load import Library


@dataclass
class Look:
    """One look along one line.

    `expected` are the places (address, speed) where devices of the line should be; they
    are looked at first. `saw` takes each sighting at once; `progress` takes a method's
    name with its steps done and in all.
    """

    line: Line
    library: Library
    owners: Owners
    clock: Clock
    expected: tuple[tuple[str, int], ...]
    saw: Callable[[Sighting], None]
    progress: Callable[[str, int, int], None]

    def sight(self, address: str, method: str, **facts: str) -> None:
        self.saw(Sighting(self.line.id, address, method, self.clock.now(), facts))


class Method(Protocol):
    """A way to find devices. Never writes to one; ends by itself; adds no waiting to others."""

    name: str

    def fits(self, line: Line) -> bool: ...

    async def run(self, look: Look) -> None: ...
