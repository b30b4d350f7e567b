"""Runs and plans, as the engine reads and writes them."""

from __future__ import annotations

import copy
from collections.abc import Sequence

from netloom_core.engine.ports import MadePlan, Order
from netloom_core.library.load import Library
from netloom_core.model.work import RunState, StepState
from netloom_server.base.crossing import in_records
from netloom_server.base.gather import Gathered
from netloom_server.runs.models import Run
from netloom_server.runs.services import orders
from netloom_server.runs.services import runs as services


class RunRecords:
    def __init__(self) -> None:
        self._steps = Gathered[tuple[str, StepState], None](services.save_steps)

    async def run(self, ident: str) -> RunState:
        return await in_records(lambda: Run.objects.get(id=ident).as_core())

    async def unfinished(self) -> list[str]:
        return await in_records(services.unfinished)

    async def add_steps(self, run: str, steps: Sequence[StepState]) -> list[StepState]:
        return await in_records(services.add_steps, run, steps)

    async def save_step(self, run: str, step: StepState) -> None:
        await self._steps.do((run, copy.copy(step)))

    async def save_run(self, run: RunState) -> None:
        await in_records(services.save_run, run)

    async def cancelled(self, run: str) -> bool:
        return await in_records(lambda: Run.objects.filter(id=run, cancel=True).exists())

    async def due_sweep(self) -> str:
        return await in_records(services.due_sweep)


class PlanRecords:
    def __init__(self, library: Library) -> None:
        self._library = library

    async def orders(self, run: RunState) -> list[Order]:
        return await in_records(orders.orders_of, run, self._library)

    async def save_plan(self, run: RunState, plan: MadePlan) -> None:
        await in_records(services.save_plan, run, plan)
