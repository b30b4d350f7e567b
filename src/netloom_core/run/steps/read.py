"""Read a device, and keep what was read as a backup."""

from __future__ import annotations

from netloom_core.run.steps.base import ReadingStep, StepContext

READ_PATIENCE_S = 2.0


class ReadDevice(ReadingStep):
    """Read running and startup values onto the record."""

    action = "read"

    async def run(self, context: StepContext) -> None:
        await context.patiently(lambda: context.read("running", "startup"), READ_PATIENCE_S)


class BackupDevice(ReadDevice):
    """Read, then keep it in the backup store."""

    action = "backup"

    async def run(self, context: StepContext) -> None:
        await super().run(context)
        ident = await context.records.save_backup(
            context.target.device, context.run, context.by, baseline=bool(context.step.params.get("baseline"))
        )
        context.step.evidence = {"backup": ident}
