"""By what a device has its power: the port of a switch on which it was last seen."""

from __future__ import annotations

from netloom_core.library.load import Library
from netloom_server.installation.models import Device


def feeder_of(device: Device, library: Library) -> dict[str, str]:
    """`device`, `name`, `point`, `label` of what feeds it and can be driven; empty where none is known."""
    told = device.switch or {}
    number = str(told.get("interface") or told.get("port", ""))
    if not told.get("address") or not number.isdecimal():
        return {}
    found = Device.objects.filter(address=told["address"], taken_in=True, line__archived=None).exclude(id=device.id)
    for switch in found[:2]:
        profile = library.get(switch.profile)
        for item in profile.by_point.values() if profile is not None else ():
            numbers = profile.places[item.path][1] if profile is not None else {}
            if item.kind == "power" and item.drive and list(numbers.values()) == [int(number)]:
                return {"device": switch.id, "name": switch.name, "point": item.id, "label": item.label}
    return {}
