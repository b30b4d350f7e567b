"""Load firmware, as the plan showed it."""

from netloom_core.engine.kinds.base import DeviceWork


class FirmwareRun(DeviceWork):
    name = "firmware"
