"""Read a device, and keep what was read as a backup."""

from __future__ import annotations

from netloom_core.plan.steps.base import StepContext, patiently

READ_PATIENCE_S = 2.0


class ReadDevice:
    """Read running and startup values onto the record."""

    action = "read"
    writes = False

    async def run(self, context: StepContext) -> None:
        async with context.driver() as driver:
            await patiently(lambda: context.check_identity(driver), READ_PATIENCE_S)
            await patiently(lambda: context.read_both(driver), READ_PATIENCE_S)


class BackupDevice(ReadDevice):
    """Read, then keep it in the backup store."""

    action = "backup"

    async def run(self, context: StepContext) -> None:
        await super().run(context)
        ident = await context.host.save_backup(
            context.target.device, context.run, baseline=bool(context.step.params.get("baseline"))
        )
        context.step.evidence = {"backup": ident}
