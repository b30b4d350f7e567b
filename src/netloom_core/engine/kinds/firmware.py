"""Load firmware, one unit after the other on a line and side by side elsewhere, as the plan showed it."""

from netloom_core.engine.kinds.base import DeviceWork, Workshop, note_troubles
from netloom_core.model.work import RunState


class FirmwareRun(DeviceWork):
    name = "firmware"

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        await note_troubles(run, shop)
