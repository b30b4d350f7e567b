"""Write a backup back. What was written is a decision, too."""

from netloom_core.engine.kinds.base import DeviceWork, Workshop, wrote
from netloom_core.model.work import RunState


class RestoreRun(DeviceWork):
    name = "restore"

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        for device, values in wrote(run).items():
            await shop.store.devices.adopt(device, values)
            shop.events.put("device", {"device": device}, latest=f"device:{device}")
