"""Read devices onto their records."""

from netloom_core.engine.kinds.base import DeviceWork, Workshop, note_troubles
from netloom_core.model.work import RunState


class ReadRun(DeviceWork):
    name = "read"

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        await note_troubles(run, shop)
