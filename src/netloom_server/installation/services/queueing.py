"""New units one after the other: those that are planned and have none yet, and where new ones come up."""

from __future__ import annotations

from typing import Any

from netloom_core.library.load import Library
from netloom_core.library.standard import model_of
from netloom_core.model.line import address_key
from netloom_core.sweep.sweep import SweepResult
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services.decisions import planned_address
from netloom_server.installation.services.sweeping import record

MOST_PLACES = 4


def waiting_on(line: Line, library: Library) -> list[Device]:
    """Planned for the line and without a unit, in the order of their places."""
    planned = [
        device
        for device in Device.objects.filter(line=line, taken_in=True).exclude(profile="")
        if not device.identity_key and not device.seen
    ]
    return sorted(planned, key=lambda one: (address_key(planned_address(one, library.get(one.profile))), one.name))


def places_of_new(line: Line, waiting: list[Device], library: Library) -> list[str]:
    """Where units of their models come up on that line when they are new."""
    core = line.as_core()
    profiles = [library.get(ident) for ident in dict.fromkeys(device.profile for device in waiting)]
    found = [address for profile in profiles if profile for address in profile.factory.addresses if core.holds(address)]
    return list(dict.fromkeys(found))[:MOST_PLACES]


def came(results: list[SweepResult], waiting: list[Device], library: Library) -> list[dict[str, Any]]:
    """Who answered there, kept as evidence; and for whom of those that wait each could stand."""
    shown = []
    for result in results:
        for device, finding in record("", [], result, library):
            fits = next((one for one in waiting if one.profile == model_of(device.profile)), None)
            profile = library.get(device.profile)
            shown.append(
                {
                    "device": device.id,
                    "name": device.name,
                    "model": (profile.model if profile else "") or finding.identity.model,
                    "serial": device.serial,
                    "address": finding.address,
                    "several": device.status == "duplicate",
                    "taken_in": device.taken_in,
                    "stands_for": fits.id if fits and not device.taken_in else "",
                }
            )
    return shown


def shown_waiting(waiting: list[Device], library: Library) -> list[dict[str, str]]:
    return [
        {
            "device": one.id,
            "name": one.name,
            "address": planned_address(one, profile),
            "model": profile.model if profile else "",
        }
        for one in waiting
        for profile in [library.get(one.profile)]
    ]
