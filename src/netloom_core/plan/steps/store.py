"""Store: make the running values the ones after a power cut, and prove it."""

from __future__ import annotations

from netloom_core.errors import NetloomError, ReadBackMismatch
from netloom_core.plan.documents import Document
from netloom_core.plan.planner import is_staged, unkept_paths
from netloom_core.plan.steps.base import StepContext, patiently


class StoreSettings:
    action = "store"
    writes = True

    async def run(self, context: StepContext) -> None:
        async with context.driver() as driver:
            await patiently(lambda: context.check_identity(driver))
            running, startup = await context.read_both(driver)
            if not self._loose(context, running, startup):
                context.step.message = "All values were kept already."
                return
            await context.acting([])
            try:
                await driver.store()
            except NetloomError as error:
                await context.journal("outcome", [], "unknown", error.message)
                running, startup = await patiently(lambda: context.read_both(driver))
                if self._loose(context, running, startup):
                    raise
            running, startup = await patiently(lambda: context.read_both(driver))
        loose = self._loose(context, running, startup)
        context.step.evidence = {"unkept": loose}
        if loose:
            await context.journal("outcome", [], "failed", f"{len(loose)} values are still not kept")
            raise ReadBackMismatch(
                f"{context.target.name} says it stored, but {loose[0]} would still go at a power cut.",
                "Store again; if it stays, the device's memory may be worn out.",
                target=context.target.device,
                outcome="applied",
            )
        await context.journal("outcome", [], "done")

    def _loose(self, context: StepContext, running: Document, startup: Document) -> list[str]:
        return [p for p in unkept_paths(context.profile, running, startup) if not is_staged(context.profile, p)]
