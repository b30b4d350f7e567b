"""Let devices do something as a whole: restart, set themselves back, show which one they are."""

from netloom_core.engine.kinds.base import DeviceWork


class ProcedureRun(DeviceWork):
    name = "procedure"
