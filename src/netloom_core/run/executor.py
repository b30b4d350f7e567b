"""Carrying out a run: every device's steps in order, devices side by side.

A failed device does not stop the others. A run that was cut off is carried out again
from its records: done steps stay done, and a step that was under way reads the device
before it does anything (see plan/steps/base.py).
"""

from __future__ import annotations

import asyncio
from collections import defaultdict

from netloom_core.errors import NetloomError
from netloom_core.model.ports import DriverSource, Host
from netloom_core.model.work import DONE, FAILED, SETTLED, SKIPPED, UNKNOWN, RunState, StepState
from netloom_core.plan.steps.base import StepContext
from netloom_core.plan.steps.registry import STEPS
from netloom_core.profiles.load import Library

DEVICES_AT_ONCE = 24


class Executor:
    def __init__(self, library: Library, drivers: DriverSource, host: Host) -> None:
        self._library = library
        self._drivers = drivers
        self._host = host

    async def execute(self, run: RunState) -> RunState:
        """Bring every step to a settled state; returns the run, saved."""
        run.state = "running"
        await self._host.save_run(run)
        by_device: dict[str, list[StepState]] = defaultdict(list)
        for step in run.steps:
            by_device[step.device].append(step)
        await self._host.prepare([step.device for step in run.steps if step.state not in SETTLED])
        gate = asyncio.Semaphore(DEVICES_AT_ONCE)

        async def one(steps: list[StepState]) -> None:
            async with gate:
                await self._device(run, steps)

        async with asyncio.TaskGroup() as group:
            for steps in by_device.values():
                group.create_task(one(steps))
        if await self._host.cancelled(run.id) and any(step.state == SKIPPED for step in run.steps):
            run.state = "cancelled"
        else:
            run.state = "failed" if any(step.state in (FAILED, UNKNOWN) for step in run.steps) else "done"
        return run

    async def _device(self, run: RunState, steps: list[StepState]) -> None:
        stopped = ""
        for step in steps:
            if step.state in SETTLED:
                if step.state in (FAILED, UNKNOWN):
                    stopped = "An earlier step on this device did not succeed."
                continue
            if not stopped and await self._host.cancelled(run.id):
                stopped = "The run was stopped before this step; nothing of it was done."
            if stopped:
                step.state, step.message = SKIPPED, stopped
                await self._host.save_step(run.id, step)
                continue
            await self._step(run, step)
            if step.state in (FAILED, UNKNOWN):
                stopped = "An earlier step on this device did not succeed; this one was not begun."

    async def _step(self, run: RunState, step: StepState) -> None:
        try:
            target = await self._host.target(step.device)
            context = StepContext(
                run=run.id,
                by=run.by,
                step=step,
                target=target,
                profile=self._library.need(target.profile),
                drivers=self._drivers,
                host=self._host,
            )
            await STEPS[step.action].run(context)
            step.state = DONE
        except NetloomError as error:
            unknown = error.outcome == "unknown" and STEPS[step.action].writes
            step.state = UNKNOWN if unknown else FAILED
            step.code, step.message, step.hint = error.code, error.message, error.hint
        await self._host.save_step(run.id, step)
