"""Proof that a point stands still: it is watched until nothing changed for so long."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncGenerator

from netloom_core.errors import NotDone
from netloom_core.model.work import ACTING
from netloom_core.run.steps.base import PAUSE_S, ReadingStep, StepContext

LOOK_S = 1.0  # how often it is asked whether the run was stopped
STOPPED = "The run was stopped while it watched; whether it stands still is not known."


class Quiet(ReadingStep):
    """`point`, `label`, `seconds` without a change, and `within` how many at most are in the step's params."""

    action = "quiet"

    async def run(self, context: StepContext) -> None:
        params, step = context.step.params, context.step
        point, seconds = str(params["point"]), float(params["seconds"])
        step.state = ACTING
        await context.records.save_step(context.run, step)
        state, changes = await self._watched(context, point, seconds, float(params["within"]))
        now = (await context.patiently((await context.talk()).states)).get(point, "")
        if not now or now != state:
            raise NotDone(
                f"{context.target.name} did not tell what {params['label']} is at the end.",
                "Look whether it answers; then begin again.",
                target=context.target.device,
            )
        step.evidence = {"state": now, "changes": changes, "quiet_s": seconds}
        before = f" after {changes} more {'change' if changes == 1 else 'changes'}" if changes else ""
        step.message = f"{params['label']} stood still for {seconds:g} s{before}: it is {now}."

    async def _watched(self, context: StepContext, point: str, seconds: float, within: float) -> tuple[str, int]:
        """The state in which it stood still for so long, and how often it changed before. Raises NotDone."""
        loop = asyncio.get_running_loop()
        begun = still = loop.time()
        state, changes = "", 0
        async with contextlib.aclosing(_told(context)) as stream:
            following = asyncio.ensure_future(anext(stream))
            try:
                while loop.time() < still + seconds:
                    if loop.time() >= begun + within:
                        label = context.step.params["label"]
                        often = f"changed {changes} times in {within:g} s, and does still"
                        raise NotDone(
                            f"{label} of {context.target.name} {often}.",
                            "Look whether each step was done as it says; then begin again.",
                            target=context.target.device,
                        )
                    until = min(still + seconds, begun + within, loop.time() + LOOK_S)
                    done, _ = await asyncio.wait([following], timeout=max(until - loop.time(), 0.001))
                    if await context.records.cancelled(context.run):
                        raise NotDone(STOPPED, "Look at the point monitor.", target=context.target.device)
                    if not done:
                        continue
                    told = following.result()
                    following = asyncio.ensure_future(anext(stream))
                    if told.get(point, state) != state:
                        changes, still = (changes + 1, loop.time()) if state else (0, still)
                        state = told[point]
            finally:
                following.cancel()
                await asyncio.gather(following, return_exceptions=True)
        return state, changes


async def _told(context: StepContext) -> AsyncGenerator[dict[str, str], None]:
    """What the device tells of its points, on and on."""
    session = await context.sessions.of(context.target)
    while True:
        async with contextlib.aclosing(session.watch("proof")) as changes:
            async for told in changes:
                yield told
        await asyncio.sleep(PAUSE_S)
