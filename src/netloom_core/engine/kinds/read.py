"""Read devices onto their records."""

from netloom_core.engine.kinds.base import DeviceWork


class ReadRun(DeviceWork):
    name = "read"
