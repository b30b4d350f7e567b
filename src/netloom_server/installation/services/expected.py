"""A list of devices that should be there: pasted, CSV or XLSX, into planned records.

The first row names the columns, in any order: name, model, line, address, area, serial.
Files are untrusted: bounded, no formulas are reckoned, nothing in them is followed.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction

from netloom_core.errors import NetloomError, RequestError
from netloom_core.identity.keys import serial_key
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import Profile
from netloom_server.base.tables import MAX_ROWS
from netloom_server.installation.models import Area, Device, Line, Unit
from netloom_server.installation.services import decisions
from netloom_server.installation.services.fitting import fit

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
    names = _columns(table[0])
    if "name" not in names:
        told = ", ".join(COLUMNS)
        raise RequestError("The first row names no column `name`.", f"Name the columns in the first row: {told}.")
    if len(table) > MAX_ROWS + 1:
        raise RequestError(f"The list has more than {MAX_ROWS} rows.", "Split it.")
    models = _models(library)
    lines = {line.name.casefold(): line for line in Line.objects.all()}
    seen: dict[str, int] = {}
    found = []
    for number, cells in enumerate(table[1:], 2):
        values = {name: cells[at] for name, at in names.items() if at < len(cells) and cells[at]}
        row = Row(number, values)
        _check(row, models, lines, seen)
        found.append(row)
    return found


def _columns(head: list[str]) -> dict[str, int]:
    found: dict[str, int] = {}
    for at, title in enumerate(head):
        for name, words in COLUMNS.items():
            if title.casefold().strip() in words:
                found.setdefault(name, at)
    return found


def _models(library: Library) -> dict[str, Profile]:
    found: dict[str, Profile] = {}
    for profile in library:
        for name in (profile.id, profile.model, f"{profile.maker} {profile.model}", *profile.aliases):
            found.setdefault(name.casefold(), profile)
    return found


def _check(row: Row, models: dict[str, Profile], lines: dict[str, Line], seen: dict[str, int]) -> None:
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
    known = _known(values)
    if known is not None:
        row.device = known.id
        return
    line = lines.get(values.get("line", "").casefold())
    if line is None and not values.get("line"):
        line = _line_for(values.get("address", ""), lines)
    if line is None:
        row.problem = f"There is no line {values.get('line') or 'given'}."
        row.hint = f"Lines here: {', '.join(one.name for one in lines.values())}."
        return
    row.line = line.id
    address = values.get("address", "")
    if address and not line.as_core().holds(address):
        row.problem, row.hint = f"{address} is no address on {line.name}.", "Look at the address and the line."
    elif not row.profile:
        row.problem, row.hint = "It names no model.", "A planned device needs one, so that it is known when found."


def _known(values: dict[str, str]) -> Device | None:
    if values.get("serial") and (found := Device.objects.filter(unit__serial__iexact=values["serial"]).first()):
        return found
    return Device.objects.filter(name__iexact=values["name"], taken_in=True).first()


def _line_for(address: str, lines: dict[str, Line]) -> Line | None:
    fitting = [line for line in lines.values() if line.kind == "ip" and address and line.as_core().holds(address)]
    return fitting[0] if len(fitting) == 1 else None


@transaction.atomic
def plan(rows: list[Row], library: Library) -> list[Device]:
    """Planned devices of the rows without problems and without records."""
    made = []
    for row in rows:
        if row.problem or row.device:
            continue
        try:
            with transaction.atomic():
                made.append(_planned(row, library))
        except NetloomError as error:
            row.problem, row.hint = error.message, error.hint
    return made


def _planned(row: Row, library: Library) -> Device:
    values = row.values
    line = Line.objects.get(id=row.line)
    area = None
    if values.get("area"):
        area = Area.objects.filter(name__iexact=values["area"]).first() or Area.objects.create(name=values["area"][:80])
    profile = library.need(row.profile)
    serial = values.get("serial", "")
    device = Device.objects.create(
        name=decisions.unique_name(values["name"]),
        profile=row.profile,
        line=line,
        area=area,
        taken_in=True,
        status="planned",
    )
    if serial:
        key = serial_key(profile.maker, serial, library.maker)
        fit(device, Unit.objects.create(maker=profile.maker, serial=serial, identity_key=key))
    if values.get("address"):
        if profile.with_role("address") is not None:
            decisions.set_addresses([(device.id, values["address"], "")], library)
            device.refresh_from_db()
        device.address, device.speed = values["address"], line.speed if line.kind == "serial" else 0
        device.save(update_fields=["address", "speed"])
    row.device = device.id
    return device
