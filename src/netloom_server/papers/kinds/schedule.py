"""The address schedule as files that others read: a table, a hosts file, DHCP reservations; in one zip."""

from __future__ import annotations

import zipfile
from pathlib import Path
from typing import Any

from netloom_core.addressing.schedule import Place, as_csv, as_dhcpd, as_dnsmasq, as_hosts
from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.model.line import address_key
from netloom_core.profiles.profile import Profile
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device
from netloom_server.installation.services.decisions import planned_address
from netloom_server.papers.kinds.base import Kind

AT_ONCE = 250  # devices whose documents are in memory
FORMS = {
    "addresses.csv": as_csv,
    "hosts": as_hosts,
    "dnsmasq.conf": as_dnsmasq,
    "dhcpd.conf": as_dhcpd,
}


def make(path: Path, library: Library) -> None:
    places = list(places_of(library))
    if not places:
        raise RequestError("There is no device with an address yet.", "Sweep, take in what was found, or plan devices.")
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
        for name, form in FORMS.items():
            made.writestr(name, form(places))


def places_of(library: Library) -> list[Place]:
    """All that belong to the installation, by line and address."""
    devices = list(Device.objects.filter(taken_in=True).select_related("line", "area", "unit"))
    found: list[Place] = []
    for at in range(0, len(devices), AT_ONCE):
        some = devices[at : at + AT_ONCE]
        running = Document.load_many({device.running for device in some if device.running})
        found += [_place(device, library.get(device.profile), running.get(device.running, {})) for device in some]
    placed = (place for place in found if place.address)
    return sorted(placed, key=lambda place: (place.line.casefold(), address_key(place.address)))


def _place(device: Device, profile: Profile | None, running: dict[str, Any]) -> Place:
    line = device.line
    known = (key.removeprefix("mac:") for key in device.keys if key.startswith("mac:"))
    return Place(
        name=device.name,
        line=line.name if line else "",
        address=planned_address(device, profile),
        ip=line is not None and line.kind == "ip",
        area=device.area.name if device.area else "",
        found=device.address,
        mask=_told(device, profile, running, "mask"),
        gateway=_told(device, profile, running, "gateway"),
        model=(profile.model if profile else "") or device.model,
        serial=device.serial,
        mac=next(known, device.facts.get("mac", "")),
    )


def _told(device: Device, profile: Profile | None, running: dict[str, Any], role: str) -> str:
    """As it was decided, else as it has it."""
    item = profile.with_role(role) if profile is not None else None
    if item is None:
        return ""
    value = get(device.intended, item.path)
    value = get(running, item.path) if value is MISSING else value
    return "" if value is MISSING else str(value)


KIND = Kind("Address schedule", make, ".zip", "application/zip", "netloom-addresses")
