"""What a driver can do, as small protocols. Which of them one model has, its channel's form says.

A session asks only what is there.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Awaitable, Callable, Hashable, Sequence
from contextlib import AbstractAsyncContextManager
from typing import Any, Protocol

from netloom_core.bus.turns import Turns
from netloom_core.documents.tree import Document
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.image import Image
from netloom_core.model.line import Line
from netloom_core.profiles.abilities import Abilities


class Identifies(Protocol):
    async def identify(self) -> Identity:
        """Who is there. The only thing that is asked before it is proven, and the only one that may connect."""
        ...


class Reads(Protocol):
    async def read(self, which: str) -> Document:
        """The whole document of set `running` or `startup`, keyed as in the profile; without secrets."""
        ...


class Writes(Protocol):
    async def write(self, changes: Sequence[Change]) -> None:
        """Send the `after` values. That no error comes is not proof: read back."""
        ...


class Stores(Protocol):
    async def store(self) -> None: ...


class Restarts(Protocol):
    async def restart(self) -> None: ...


class Performs(Protocol):
    async def procedure(self, name: str) -> None:
        """Send the calls of one of the profile's procedures. That no error comes is not proof."""
        ...


class Readdresses(Protocol):
    async def readdress(self, changes: Sequence[Change]) -> None:
        """Send changes of the address or speed by which the device is reached; they work at once."""
        ...


class Reports(Protocol):
    async def states(self) -> dict[str, str]:
        """Live state by point id."""
        ...


class Drives(Protocol):
    async def drive(self, point: str, state: str) -> None: ...


class Watches(Protocol):
    def watch(self) -> AsyncIterator[dict[str, str]]:
        """States by point id, as they change; ends when the device ends it."""
        ...


class Hints(Protocol):
    def hints(self) -> AbstractAsyncContextManager[Callable[[float], Awaitable[None]]]:
        """While it is open: a wait of so many seconds, that ends early when the device says that something changed."""
        ...


class Lists(Protocol):
    async def subordinates(self) -> list[dict[str, str]]: ...


class Loads(Protocol):
    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        """Send a firmware file; `told` hears how many bytes the device has. That no error comes is not proof."""
        ...


class SignsIn(Protocol):
    async def sign_in_as(self, credentials: Credentials) -> bool:
        """Whether the device takes them now. The session's own sign-in stays as it is."""
        ...


class Driver(Identifies, Protocol):
    """One device over one protocol. Every wait inside is bounded; errors are NetloomError.

    `connection` is a mark of what identity was proven on: as long as it is equal, it is the same
    talk with the same peer. None where there is none, so that identity has to be asked anew.
    `trust` is told that mark after the proof; on another one no call goes out but `identify`.
    """

    target: Target
    acted: bool  # set once something that acts may have left; the session sets it back

    @property
    def connection(self) -> Hashable | None: ...

    def trust(self, connection: Hashable | None) -> None: ...

    def speak_for(self, who: str, priority: int) -> None:
        """Who asks next, and how urgent it is; where lines are shared."""
        ...

    async def close(self) -> None: ...


class DriverSource(Protocol):
    """Opens drivers; the owner of all lines stands behind it."""

    def abilities(self, profile: str, line: Line) -> Abilities: ...

    def shared(self, target: Target) -> Turns | None:
        """Turns at what it shares with others, its line or its gateway; None where its way is its own."""
        ...

    async def open(self, target: Target) -> Any:
        """A Driver with the abilities of the target's profile. Sends nothing yet."""
        ...
