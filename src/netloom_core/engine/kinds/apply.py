"""Write what was decided, as the plan showed it."""

from netloom_core.engine.kinds.base import DeviceWork


class ApplyRun(DeviceWork):
    name = "apply"
