"""A list of devices that should be there: pasted, CSV or XLSX, into planned records.

The first row names the columns, in any order: name, model, line, address, area, serial.
Files are untrusted: bounded, no formulas are reckoned, nothing in them is followed.
"""

from __future__ import annotations

from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from django.db import transaction

from netloom_core.addressing.conflicts import Holders, check_address
from netloom_core.addressing.table import columns_of
from netloom_core.documents.tree import put
from netloom_core.errors import NetloomError, RequestError
from netloom_core.identity.keys import serial_key
from netloom_core.library.load import Library
from netloom_core.model import line as core
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.values import checked
from netloom_server.base.problems import Conflict
from netloom_server.base.tables import MAX_ROWS
from netloom_server.installation.models import Area, Device, Fitting, Line, Unit
from netloom_server.installation.services import decisions

COLUMNS = {
    "name": ("name", "device", "device name", "label", "tag"),
    "model": ("model", "type", "product", "part"),
    "line": ("line", "network", "bus", "subnet"),
    "address": ("address", "ip", "ip address", "unit", "node"),
    "area": ("area", "room", "location", "place", "where"),
    "serial": ("serial", "serial number", "s/n", "sn"),
}


@dataclass
class Row:
    """One row with what is wrong with it; `device` is the record that it means already."""

    number: int
    values: dict[str, str]
    profile: str = ""
    line: str = ""
    device: str = ""
    problem: str = ""
    hint: str = ""

    def as_dict(self) -> dict[str, Any]:
        blank = dict.fromkeys(COLUMNS, "")
        return {**blank, **self.values, "row": self.number, "profile": self.profile, "device": self.device,
                "problem": self.problem, "try": self.hint}  # fmt: skip


def rows_of(table: list[list[str]], library: Library) -> list[Row]:
    """Rows with problems told, against the profiles, the lines and the records. Raises RequestError."""
    table = [row for row in table if any(row)]
    if not table:
        raise RequestError("The list is empty.", "Paste rows with a first one that names the columns.")
    names = columns_of(table[0], COLUMNS)
    if "name" not in names:
        told = ", ".join(COLUMNS)
        raise RequestError("The first row names no column `name`.", f"Name the columns in the first row: {told}.")
    if len(table) > MAX_ROWS + 1:
        raise RequestError(f"The list has more than {MAX_ROWS} rows.", "Split it.")
    models = _models(library)
    lines = _Lines()
    seen: dict[str, int] = {}
    records = _Records()
    found = []
    for number, cells in enumerate(table[1:], 2):
        values = {name: cells[at] for name, at in names.items() if at < len(cells) and cells[at]}
        row = Row(number, values)
        _check(row, models, lines, records, seen)
        found.append(row)
    return found


def _models(library: Library) -> dict[str, Profile]:
    found: dict[str, Profile] = {}
    for profile in library:
        for name in (profile.id, profile.model, f"{profile.maker} {profile.model}", *profile.aliases):
            found.setdefault(name.casefold(), profile)
    return found


def _check(row: Row, models: dict[str, Profile], lines: _Lines, records: _Records, seen: dict[str, int]) -> None:
    values = row.values
    name = values.get("name", "")
    if not name:
        row.problem, row.hint = "It has no name.", "Give it one."
        return
    if name.casefold() in seen:
        row.problem, row.hint = f"Row {seen[name.casefold()]} has the same name.", "Names are for one device each."
        return
    seen[name.casefold()] = row.number
    profile = models.get(values.get("model", "").casefold())
    if values.get("model") and profile is None:
        row.problem = f"No profile knows the model {values['model']}."
        row.hint = "Write it as on its label, or add a profile."
        return
    row.profile = profile.id if profile else ""
    known = records.of(values)
    if known:
        row.device = known
        return
    line = lines.named(values["line"]) if values.get("line") else lines.around(values.get("address", ""))
    if line is None:
        row.problem = f"There is no line {values.get('line') or 'given'}."
        row.hint = f"Lines here: {lines.names()}."
        return
    row.line = line.id
    address = values.get("address", "")
    if address and not line.holds(address):
        row.problem, row.hint = f"{address} is no address on {line.name}.", "Look at the address and the line."
    elif not row.profile:
        row.problem, row.hint = "It names no model.", "A planned device needs one, so that it is known when found."


class _Records:
    """Which record a row means already: by serial number, else by name."""

    def __init__(self) -> None:
        self._by_serial: dict[str, str] = {}
        self._by_name: dict[str, str] = {}
        for ident, name, taken_in, serial in Device.objects.values_list("id", "name", "taken_in", "unit__serial"):
            if serial:
                self._by_serial.setdefault(serial.casefold(), ident)
            if taken_in:
                self._by_name.setdefault(name.casefold(), ident)

    def of(self, values: dict[str, str]) -> str:
        serial = values.get("serial", "").casefold()
        return (self._by_serial.get(serial) if serial else None) or self._by_name.get(values["name"].casefold(), "")


class _Lines:
    """Lines in use by name and by the addresses that they hold; each reckoned once for thousands of rows."""

    def __init__(self) -> None:
        self._by_name = {line.name.casefold(): line.as_core() for line in Line.objects.filter(archived=None)}
        self._networks = [(IPv4Network(line.network), line) for line in self._by_name.values() if line.kind == "ip"]

    def named(self, name: str) -> core.Line | None:
        return self._by_name.get(name.casefold())

    def around(self, address: str) -> core.Line | None:
        """The one IP line that an address lies on; None where there is none, or several."""
        try:
            at = IPv4Address(address)
        except ValueError:
            return None
        found = [line for network, line in self._networks if at in network and line.holds(address)]
        return found[0] if len(found) == 1 else None

    def names(self) -> str:
        return ", ".join(line.name for line in self._by_name.values())


def plan(rows: list[Row], library: Library) -> list[Device]:
    """Planned devices of the rows without problems and without records: worked out first, then saved at once."""
    site = _Site(library)
    made: list[tuple[Row, Device, Unit | None]] = []
    for row in rows:
        if row.problem or row.device:
            continue
        try:
            made.append((row, *site.planned(row)))
        except NetloomError as error:
            row.problem, row.hint = error.message, error.hint
    _save([device for _, device, _ in made], [unit for _, _, unit in made if unit is not None], site)
    for row, device, _ in made:
        row.device = device.id
    return [device for _, device, _ in made]


class _Site:
    """What the rows are held against, looked up once: names, lines, areas, who has which address."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._lines = {line.id: line for line in Line.objects.all()}
        self._cores = {ident: line.as_core() for ident, line in self._lines.items()}
        self._taken: dict[str, Holders] = {}
        self.names = _names()
        self.areas = {area.name.casefold(): area for area in Area.objects.all()}
        self.new_areas: list[Area] = []

    def planned(self, row: Row) -> tuple[Device, Unit | None]:
        """The device of a row, and its unit where the serial number is told. Raises NetloomError."""
        values, line = row.values, self._lines[row.line]
        profile = self._library.need(row.profile)
        name = values["name"].strip()[:80]
        if name.casefold() in self.names:
            raise Conflict(f"Another device is named {name} already.", "Choose another name.")
        device = Device(
            name=name, profile=row.profile, line=line, area=self._area(values), taken_in=True, status="planned"
        )
        self._place(device, line, profile, values.get("address", ""))
        self.names.add(name.casefold())
        serial = values.get("serial", "")
        if not serial:
            return device, None
        key = serial_key(profile.maker, serial, self._library.maker)
        device.unit = Unit(maker=profile.maker, serial=serial, identity_key=key)
        return device, device.unit

    def _area(self, values: dict[str, str]) -> Area | None:
        name = values.get("area", "")[:80]
        if not name:
            return None
        if name.casefold() not in self.areas:
            self.areas[name.casefold()] = Area(name=name)
            self.new_areas.append(self.areas[name.casefold()])
        return self.areas[name.casefold()]

    def _place(self, device: Device, line: Line, profile: Profile, address: str) -> None:
        if not address:
            return
        setting = profile.with_role("address")
        if setting is not None:
            address = str(checked(profile, setting.path, address))
            taken = self._taken.get(line.id)
            if taken is None:
                taken = self._taken[line.id] = Holders(decisions.holders(self._library, line))
            check_address(self._cores[line.id], address, device.id, taken.at(line.id, address))
            taken.plan(device.id, device.name, line.id, "", address)
            put(device.intended, setting.path, address)
            device.version = 2
        device.address, device.speed = address, line.speed if line.kind == "serial" else 0


def _names() -> set[str]:
    return {name.casefold() for name in Device.objects.filter(taken_in=True).values_list("name", flat=True)}


@transaction.atomic
def _save(devices: list[Device], units: list[Unit], site: _Site) -> None:
    """Raises Conflict where somebody took one of the names meanwhile; then nothing is saved."""
    mine = {device.name.casefold() for device in devices}
    if both := mine & _names():
        raise Conflict(f"Somebody planned {sorted(both)[0]} meanwhile. Nothing was saved.", "Look at the list again.")
    for area in site.new_areas:
        area.save()
    Unit.objects.bulk_create(units)
    for device in devices:
        device.area_id = device.area.pk if device.area else None
    Device.objects.bulk_create(devices)
    Fitting.objects.bulk_create(Fitting(device=device, unit=device.unit) for device in devices if device.unit)
