"""Read devices now."""

from __future__ import annotations

from netloom_core.errors import RequestError
from netloom_server.installation.models import Device
from netloom_server.installation.services.records import can_be_read, chosen
from netloom_server.runs.kinds.base import Asked, steps_on
from netloom_server.runs.models import Run
from netloom_server.runs.services.runs import create_run


def readable(asked: Asked, *, found_only: bool = False) -> list[Device]:
    """Those named, or all that can be read; raises RequestError where there is none."""
    devices = [device for device in chosen(asked.devices) if can_be_read(device, asked.library)]
    if found_only and not asked.devices:
        devices = [device for device in devices if device.identity_key]
    if not devices:
        raise RequestError("There is no device for that yet.", "Sweep, and take in what was found.")
    return devices


class Read:
    name = "read"

    def begin(self, asked: Asked) -> Run:
        return create_run(self.name, asked.by, {}, steps_on(readable(asked), "read"))
