"""The address schedule out of the records, and one that comes back changed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from netloom_core.addressing.checks import check_line
from netloom_core.addressing.schedule import Place, labelled
from netloom_core.addressing.table import Row, rows_of, stays_in_the_way, twice
from netloom_core.library.load import Library
from netloom_core.model.line import address_key
from netloom_core.profiles.profile import Profile
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device
from netloom_server.installation.services.decisions import planned_address
from netloom_server.installation.services.leasing import macs_of
from netloom_server.installation.services.places import Site, decide, has_by_role, rules_of, with_running
from netloom_server.installation.services.records import networks_in_use

HARD = {"own-address", "duplicate", "outside", "not-usable", "bound", "cannot"}  # no decision may leave a device so


def places_by_device(library: Library) -> dict[str, Place]:
    """All that belong to the installation and are on lines in use, by id, in the order of line and address."""
    devices = list(Device.objects.filter(taken_in=True, line__archived=None).select_related("line", "area", "unit"))
    found: dict[str, Place] = {}
    for device, running in with_running(devices):
        place = _place(device, library.get(device.profile), running)
        if place.address:
            found[device.id] = place
    ordered = sorted(found.items(), key=lambda pair: (pair[1].line.casefold(), address_key(pair[1].address)))
    return dict(zip((device for device, _ in ordered), labelled(place for _, place in ordered), strict=True))


def _place(device: Device, profile: Profile | None, running: Mapping[str, Any]) -> Place:
    line = device.line
    has = has_by_role(device, profile, running)
    names = profile.with_role("name") if profile is not None else None
    speed = has.get("speed", "") or (str(device.speed) if device.speed else "")
    return Place(
        name=device.name,
        line=line.name if line else "",
        address=planned_address(device, profile),
        ip=line is not None and line.kind == "ip",
        area=device.area.name if device.area else "",
        found=device.address if device.seen else "",
        mask=has.get("mask", ""),
        gateway=has.get("gateway", ""),
        model=(profile.model if profile else "") or device.model,
        serial=device.serial,
        mac=next(iter(macs_of(device)), ""),
        speed=speed,
        host=has.get("name", ""),
        names_itself=names is not None and not names.reserved,
    )


def look_at(table: list[list[str]], library: Library) -> list[Row]:
    """Rows with what each would change, and what speaks against it. Raises RequestError for what is no such table."""
    places = places_by_device(library)
    networks = {line.name.casefold(): line for line in networks_in_use()}

    def holds(name: str, address: str) -> bool:
        line = networks.get(name.casefold())
        return line is not None and line.holds(address)

    rows = rows_of(table, places, holds)
    twice(rows, places)
    _against_the_rest(rows, library)
    stays_in_the_way(rows, places)
    return rows


def _against_the_rest(rows: list[Row], library: Library) -> None:
    """A place is held against all who stay where they are, those of rows that cannot be among them."""
    site = Site(library)
    wanted = {row.device: row for row in rows if not row.problem and "address" in row.changes}
    there = site.with_places({device: row.changes["address"] for device, row in wanted.items()})
    for ident in {there.line_of[device] for device in wanted if device in there.line_of}:
        for trouble in check_line(there.cores[ident], rules_of(there.lines[ident]), there.residents[ident]):
            row = wanted.get(trouble.device)
            if trouble.code in HARD and row is not None and not row.problem:
                row.problem, row.hint = trouble.message, trouble.hint


def take_over(rows: Iterable[Row], library: Library) -> list[Device]:
    """Decide what the good rows say, all of it or, where somebody decided something else meanwhile, none."""
    good = [(row.device, row.changes) for row in rows if row.changes and not row.problem]
    if not good:
        raise Conflict("No row of it changes anything.", "Nothing was changed.")
    return decide(good, {}, library)
