"""What the core needs of others, as protocols: drivers of devices, and the host it runs in."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping, Sequence
from typing import Any, Protocol

from netloom_core.model.change import Change
from netloom_core.model.device import Identity, Target
from netloom_core.model.work import JournalEntry, RunState, StepState


class Driver(Protocol):
    """One device over one protocol. Every wait inside is bounded; errors are NetloomError."""

    target: Target

    async def identify(self) -> Identity: ...

    async def read(self, which: str) -> dict[str, Any]:
        """The whole document of set `running` or `startup`, keyed as in the profile."""
        ...

    async def write(self, changes: Sequence[Change]) -> None:
        """Send the `after` values. That no error comes is not proof: read back."""
        ...

    async def store(self) -> None: ...

    async def restart(self) -> None: ...

    async def readdress(self, changes: Sequence[Change]) -> None:
        """Send changes of the address or speed by which the device is reached."""
        ...

    async def states(self) -> dict[str, str]:
        """Live state by point id."""
        ...

    async def drive(self, point: str, state: str) -> None: ...

    def watch(self) -> AsyncIterator[dict[str, str]]:
        """States by point id, as they change; ends when the device ends it."""
        ...

    async def close(self) -> None: ...


class DriverSource(Protocol):
    """Opens drivers; the owner of all lines stands behind it."""

    async def open(self, target: Target) -> Driver: ...


class Host(Protocol):
    """What a run needs of the place it runs in: records and a journal."""

    async def prepare(self, devices: Sequence[str]) -> None:
        """These will be asked for soon: they may be fetched at once."""
        ...

    async def target(self, device: str) -> Target: ...

    async def save_documents(self, device: str, documents: Mapping[str, dict[str, Any]]) -> None:
        """Record what a device was just read to have: `running`, `startup`, or both."""
        ...

    async def save_identity(self, device: str, identity: Identity) -> None:
        """What it says of itself now: firmware, and whether it still has its factory set-up."""
        ...

    async def save_place(self, device: str, address: str, speed: int) -> None: ...

    async def save_step(self, run: str, step: StepState) -> None: ...

    async def save_run(self, run: RunState) -> None: ...

    async def cancelled(self, run: str) -> bool: ...

    async def journal(self, entry: JournalEntry) -> None:
        """Append, and return only when it would outlive this process."""
        ...

    async def save_backup(self, device: str, run: str, *, baseline: bool) -> str:
        """Keep the documents last saved for the device as a backup; returns its id."""
        ...
