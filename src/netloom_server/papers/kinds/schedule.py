"""The address schedule as files that others read: tables, a hosts file, DHCP reservations; in one zip."""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Iterable
from pathlib import Path

from netloom_core.addressing.schedule import Place, as_csv, as_dhcpd, as_dnsmasq, as_hosts, as_xlsx
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_server.installation.services.schedule import places_by_device
from netloom_server.papers.kinds.base import Kind

FORMS: dict[str, Callable[[Iterable[Place]], str | bytes]] = {
    "addresses.csv": as_csv,
    "addresses.xlsx": as_xlsx,
    "hosts": as_hosts,
    "dnsmasq.conf": as_dnsmasq,
    "dhcpd.conf": as_dhcpd,
}


def make(path: Path, library: Library) -> None:
    places = list(places_by_device(library).values())
    if not places:
        raise RequestError("There is no device with an address yet.", "Sweep, take in what was found, or plan devices.")
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
        for name, form in FORMS.items():
            made.writestr(name, form(places))


KIND = Kind("Address schedule", make, ".zip", "application/zip", "netloom-addresses")
