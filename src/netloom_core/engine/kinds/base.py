"""What every kind of run is given, and what most kinds share: steps on devices."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from netloom_core.bus.owner import Owners
from netloom_core.clock import Clock
from netloom_core.engine.ports import EventSink, Store
from netloom_core.engine.records import EngineRecords
from netloom_core.library.load import Library
from netloom_core.live.sessions import Sessions
from netloom_core.model.work import DONE, UNPROVEN, RunState
from netloom_core.run.supervisor import Supervisor


@dataclass(frozen=True)
class Workshop:
    library: Library
    clock: Clock
    store: Store
    events: EventSink
    records: EngineRecords
    sessions: Sessions
    owners: Owners
    supervisor: Supervisor


class Kind(Protocol):
    """One kind of run. `carry_out` brings it to its end; it may be called again after a crash."""

    name: str

    def stop(self, run: str) -> None:
        """Somebody wants it to end; most listen between steps anyway."""
        ...

    async def carry_out(self, run: RunState, shop: Workshop) -> None: ...


class DeviceWork:
    """Steps on devices, then a word on what came of them."""

    name = ""

    def stop(self, run: str) -> None:
        """Asked for between steps."""

    async def carry_out(self, run: RunState, shop: Workshop) -> None:
        await shop.supervisor.carry_out(run)
        await self.conclude(run, shop)

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        """Put on record what the steps gave."""


def wrote(run: RunState) -> dict[str, dict[str, object]]:
    """By device the values that settled well, by path."""
    values: dict[str, dict[str, object]] = {}
    for step in run.steps:
        if step.state in (DONE, UNPROVEN):
            found = {change["path"]: change["to"] for change in step.params.get("changes", [])}
            if found:
                values.setdefault(step.device, {}).update(found)
    return values
