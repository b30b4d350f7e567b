"""Write settings that work at once, and read them back."""

from __future__ import annotations

from collections.abc import Sequence

from netloom_core.errors import NetloomError, NoAnswer, ReadBackMismatch, StalePlan
from netloom_core.model.change import Change
from netloom_core.plan.documents import MISSING, Document, get
from netloom_core.plan.steps.base import StepContext, patiently, read_back


def still_to_do(context: StepContext, running: Document) -> list[Change]:
    """Changes not yet on the device. Raises StalePlan where it has a third value."""
    todo = []
    for change in context.changes:
        now = get(running, change.path)
        now = None if now is MISSING else now
        if now == change.after:
            continue
        if now != change.before:
            raise StalePlan(
                f"{change.path} on {context.target.name} is {now!r} now; the plan was made when it was "
                f"{change.before!r}. Nothing was written.",
                "Somebody changed it meanwhile. Look at the values and plan again.",
                target=context.target.device,
            )
        todo.append(change)
    return todo


class WriteSettings:
    action = "write"
    writes = True

    async def run(self, context: StepContext) -> None:
        async with context.driver() as driver:
            await patiently(lambda: context.check_identity(driver))
            running = await driver.read("running")
            await context.host.save_documents(context.target.device, {"running": running})
            todo = still_to_do(context, running)
            if not todo:
                context.step.message = "The device had these values already; read, not written."
                await self._settled(context, running)
                return
            await context.acting(todo)
            trouble: NetloomError | None = None
            try:
                await driver.write(todo)
            except NetloomError as error:
                trouble = error
            try:
                running = await patiently(lambda: driver.read("running"))
            except NetloomError as error:
                silent = trouble or error
                await context.journal("outcome", [c.as_dict() for c in todo], "unknown", silent.message)
                raise NoAnswer(
                    f"{context.target.name} fell silent while it was written to: nobody knows which of {len(todo)} "
                    f"{'value' if len(todo) == 1 else 'values'} it took.",
                    "Look at its power and cable. When it answers again, read it: what is left is then planned anew.",
                    target=context.target.device,
                ) from error
            await context.host.save_documents(context.target.device, {"running": running})
            await self._confirm(context, todo, running, trouble)

    async def _settled(self, context: StepContext, running: Document) -> None:
        context.step.evidence = {"changes": read_back(context.changes, running)}
        await context.journal("outcome", read_back(context.changes, running), "done", context.step.message)

    async def _confirm(
        self, context: StepContext, todo: Sequence[Change], running: Document, trouble: NetloomError | None
    ) -> None:
        shown = read_back(todo, running)
        context.step.evidence = {"changes": shown}
        wrong = [item for item in shown if item["read_back"] != item["to"]]
        if not wrong:
            await context.journal("outcome", shown, "done")
            return
        taken = len(shown) - len(wrong)
        first = wrong[0]
        message = (
            f"{context.target.name} has {first['read_back']!r} at {first['path']}, not {first['to']!r}"
            f"{'' if len(wrong) == 1 else f', and {len(wrong) - 1} more differ'}; {taken} of {len(shown)} were taken."
        )
        if trouble is not None:
            message = f"{trouble.message} {message}"
        await context.journal("outcome", shown, "failed", message)
        raise ReadBackMismatch(
            message,
            "What it has now was read and is shown. Apply again, or take this run back.",
            target=context.target.device,
            outcome="refused" if taken == 0 else "applied",
        )
