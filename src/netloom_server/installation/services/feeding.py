"""Who hangs on which port of a switch, as it was last seen there; and by what a device has its power."""

from __future__ import annotations

from typing import Any

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


def hanging_on(device: Device) -> list[dict[str, Any]]:
    """Who was last seen behind each port of it, by the port's order: `port`, `devices` with `id`, `name`, `status`."""
    if not device.address or not device.taken_in:
        return []
    ports: dict[str, list[dict[str, str]]] = {}
    seen = Device.objects.filter(unit__switch__address=device.address, line__archived=None).exclude(id=device.id)
    for one in seen.order_by("name"):
        told = one.switch or {}
        if port := str(told.get("port") or told.get("interface") or ""):
            ports.setdefault(port, []).append({"id": one.id, "name": one.name, "status": one.status})
    return [{"port": port, "devices": ports[port]} for port in sorted(ports, key=_in_order)]


def _in_order(port: str) -> tuple[int, str]:
    return (int(port) if port.isdecimal() else 1 << 31, port)
