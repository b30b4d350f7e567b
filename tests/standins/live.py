"""The engine on a described unit: real drivers, sockets and time; the records are in memory."""

from __future__ import annotations

import asyncio
import copy
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.drivers.registry import Drivers
from netloom_core.engine.engine import Engine
from netloom_core.library.load import Library
from netloom_core.model.device import Target
from netloom_core.model.work import StepState
from netloom_core.testing.rig import Rig
from netloom_core.testing.store import MemoryEvents, MemoryJournal, MemoryStore
from netloom_standins.described.unit import DescribedUnit
from tests.patience import SOON_S


class Live(Rig):
    """The engine on a real device: real drivers, sockets and time."""

    def __init__(self, library: Library, unit: DescribedUnit, target: Target, owners: Owners | None = None) -> None:
        self.library, self.profile, self.unit = library, library.need(target.profile), unit
        self.owners = owners or Owners()
        self.store = MemoryStore(library, [target])
        self.journal, self.events = MemoryJournal(), MemoryEvents()
        self.engine = self._engine()

    def _engine(self) -> Engine:
        drivers = Drivers(self.library, self.owners)
        return Engine(self.library, drivers, self.owners, SystemClock(), self.store, self.journal, self.events)

    async def ended(self, ident: str = "") -> None:
        async with asyncio.timeout(60):
            await super().ended(ident)

    async def read(self) -> dict[str, Any]:
        run = await self.carry_out(self.store.begin("read", [StepState(0, "dev1", "read")]))
        assert [step.state for step in run.steps] == ["done"], [step.message for step in run.steps]
        return copy.deepcopy(self.record().documents.get("running", {}))

    async def verify(self) -> tuple[str, set[str]]:
        run = await self.carry_out(self.store.begin("verify", [StepState(0, "dev1", "read")]))
        [told] = run.result["devices"]
        return told["result"], {one["path"] for one in told["differences"]}

    async def power_cut(self) -> None:
        await self.unit.power_cut()
        async with asyncio.timeout(SOON_S):
            while not self.unit.up:
                await asyncio.sleep(0.02)
