"""What a step is given, and the helpers that every kind of step shares.

A step checks, acts, confirms. It journals what it is about to write before it acts,
and what it read back afterwards. Running it anew after a crash is safe, since its
check reads the device first and only what is missing is written.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Sequence
from contextlib import asynccontextmanager
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from netloom_core.errors import NoAnswer, ProtocolError, WrongDevice
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.ports import Driver, DriverSource, Host
from netloom_core.model.work import ACTING, JournalEntry, StepState
from netloom_core.plan.documents import MISSING, Document, get
from netloom_core.profiles.schema import Profile

Result = TypeVar("Result")
PATIENCE_S = 6.0  # how long a silent device is asked again before a step gives up
PAUSE_S = 0.25


@dataclass
class StepContext:
    run: str
    by: str
    step: StepState
    target: Target
    profile: Profile
    drivers: DriverSource
    host: Host

    @property
    def changes(self) -> list[Change]:
        return [Change.from_dict(data) for data in self.step.params.get("changes", [])]

    @asynccontextmanager
    async def driver(self, target: Target | None = None) -> AsyncIterator[Driver]:
        driver = await self.drivers.open(target or self.target)
        try:
            yield driver
        finally:
            await driver.close()

    async def journal(self, kind: str, changes: Sequence[dict[str, Any]], outcome: str = "", message: str = "") -> None:
        await self.host.journal(
            JournalEntry(
                kind=kind,
                run=self.run,
                device=self.target.device,
                line=self.target.line.id,
                address=self.target.address,
                action=self.step.action,
                by=self.by,
                outcome=outcome,
                message=message,
                changes=tuple(changes),
            )
        )

    async def acting(self, changes: Sequence[Change]) -> None:
        """Say on record what is about to be written; only then may it be."""
        await self.journal("intent", [change.as_dict() for change in changes])
        self.step.state = ACTING
        await self.host.save_step(self.run, self.step)

    async def read_both(self, driver: Driver) -> tuple[Document, Document]:
        running = await driver.read("running")
        startup = await driver.read("startup")
        await self.host.save_documents(self.target.device, {"running": running, "startup": startup})
        return running, startup

    async def check_identity(self, driver: Driver) -> None:
        """Raises WrongDevice when somebody else answers; nothing has been written then."""
        if not self.target.identity_key:
            return
        found = await driver.identify()
        if found.key != self.target.identity_key:
            raise WrongDevice(
                f"At {self.target.address} answers {found.maker} {found.model}, serial number {found.serial}: not "
                f"{self.target.name}. Nothing was written.",
                "Sweep the line to see who is where.",
                target=self.target.device,
            )


def read_back(changes: Sequence[Change], document: Document) -> list[dict[str, Any]]:
    """Changes as dicts, each with what the device now says."""
    result = []
    for change in changes:
        now = get(document, change.path)
        result.append({**change.as_dict(), "read_back": None if now is MISSING else now})
    return result


async def patiently(ask: Callable[[], Awaitable[Result]], seconds: float = PATIENCE_S) -> Result:
    """Ask until it answers, at most `seconds`; then the last error stands."""
    loop = asyncio.get_running_loop()
    deadline = loop.time() + seconds
    while True:
        try:
            return await ask()
        except (NoAnswer, ProtocolError):
            if loop.time() >= deadline:
                raise
            await asyncio.sleep(PAUSE_S)


class Step(Protocol):
    """One kind of step. Raises NetloomError when it fails; its outcome tells what is known."""

    action: str
    writes: bool

    async def run(self, context: StepContext) -> None: ...
