"""Read a device, and keep what was read as a backup."""

from __future__ import annotations

from collections.abc import Mapping

from netloom_core.run.steps.base import ReadingStep, StepContext

READ_PATIENCE_S = 2.0


def said(unreadable: Mapping[str, str]) -> str:
    """A sentence for people; the record has all of it."""
    (path, why), *others = unreadable.items()
    count = "1 value" if not others else f"{len(others) + 1} values"
    more = f"; and {len(others)} more" if others else ""
    return f"{count} could not be read and will be missing: {path}: {why}{more}."


class ReadDevice(ReadingStep):
    """Read running and startup values onto the record."""

    action = "read"

    async def run(self, context: StepContext) -> None:
        await context.patiently(lambda: context.read("running", "startup"), READ_PATIENCE_S)
        unreadable = (await context.sessions.of(context.target)).known.unreadable
        if unreadable:
            context.step.message = said(unreadable)


class BackupDevice(ReadDevice):
    """Read, then keep it in the backup store."""

    action = "backup"

    async def run(self, context: StepContext) -> None:
        await super().run(context)
        ident = await context.records.save_backup(
            context.target.device, context.run, context.by, baseline=bool(context.step.params.get("baseline"))
        )
        context.step.evidence = {"backup": ident}
