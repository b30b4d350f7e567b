"""Decide values again, without a word to the device: it has them already."""

from __future__ import annotations

from netloom_core.run.steps.base import ReadingStep, StepContext


class Decide(ReadingStep):
    """`values` by path are in the step's params."""

    action = "decide"

    async def run(self, context: StepContext) -> None:
        await context.records.adopt(context.target.device, context.step.params["values"])
