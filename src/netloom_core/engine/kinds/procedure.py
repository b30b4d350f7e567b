"""Let devices do something as a whole: restart, set themselves back, show which one they are."""

from netloom_core.engine.kinds.base import DeviceWork, Workshop, note_troubles
from netloom_core.model.work import RunState


class ProcedureRun(DeviceWork):
    name = "procedure"

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        await note_troubles(run, shop)
