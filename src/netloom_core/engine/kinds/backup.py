"""Back devices up."""

from netloom_core.engine.kinds.base import DeviceWork, Workshop
from netloom_core.model.work import RunState


class BackupRun(DeviceWork):
    name = "backup"

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        run.result = {"backups": [s.evidence["backup"] for s in run.steps if s.evidence.get("backup")]}
