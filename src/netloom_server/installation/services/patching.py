"""The patch sheet of a network out of the records, and one that comes back changed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import transaction

from netloom_core.addressing.patch import Known, Model, Row, as_csv, rows_of
from netloom_core.library.load import Library
from netloom_core.model.line import host_of
from netloom_core.profiles.profile import Profile
from netloom_core.types.choice import Choice
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services import expected
from netloom_server.installation.services.places import Site
from netloom_server.installation.services.universes import decide, usual_personality


def model_of(profile: Profile) -> Model:
    """Raises nothing for a profile that does not listen: then it has no sizes."""
    listens = profile.listens
    names = [f"{profile.maker} {profile.model}".strip(), profile.model, *profile.aliases, profile.id]
    if listens is None:
        return Model(profile.id, tuple(names))
    item = profile.by_path.get(listens.personality)
    options = item.type.options if item is not None and isinstance(item.type, Choice) else []
    return Model(
        profile.id,
        tuple(names),
        listens.slots if isinstance(listens.slots, dict) else {},
        {str(option.value): option.label for option in options},
        listens.slots if isinstance(listens.slots, int) else 0,
        usual_personality(profile),
    )


def known_on(line: Line, library: Library) -> list[Known]:
    """Fixtures of the installation on that network, in the order of their places."""
    fixtures = [one for one in Site(library, [line.id]).fixtures.get(line.id, []) if one.mine]
    devices = Device.objects.in_bulk([one.device for one in fixtures])
    nodes = dict(Device.objects.filter(line=line).values_list("address", "name"))
    found = []
    for one in fixtures:
        device = devices[one.device]
        host = host_of(device.address)
        node = nodes.get(host, host) if host != device.address else ""
        model = model_of(library.need(device.profile))
        found.append(Known(one, model, str(device.facts.get("rdm_uid", "")), node))
    return sorted(
        found, key=lambda k: (k.fixture.universe is None, k.fixture.universe or 0, k.fixture.start, k.fixture.name)
    )


def sheet_of(line: Line, library: Library) -> str:
    return as_csv(known_on(line, library))


def look_at(line: Line, table: list[list[str]], library: Library) -> list[Row]:
    """Rows with what each would change. Raises RequestError for what is no patch sheet."""
    rows = rows_of(table, known_on(line, library), [model_of(profile) for profile in library if profile.listens])
    taken = {name.casefold() for name in Device.objects.filter(taken_in=True).values_list("name", flat=True)}
    for row in rows:
        if row.profile and not row.problem and row.name.strip().casefold() in taken:
            row.fails(f"{row.name} is a device on another line, or no fixture.", "Give the new one another name.")
    return rows


@transaction.atomic
def take_over(line: Line, rows: Iterable[Row], library: Library) -> list[Device]:
    """Decide what the good rows say, with new planned fixtures; all of it, or none where somebody was faster."""
    good = [row for row in rows if not row.problem and (row.changes or row.profile)]
    if not good:
        raise Conflict("No row of it changes anything.", "Nothing was changed.")
    new = [row for row in good if row.profile]
    wanted = [
        expected.Row(row.number, {"name": row.name, "area": row.changes.get("area", "")}, row.profile, line.id)
        for row in new
    ]
    made = expected.plan(wanted, library)
    if failed := next((row for row in wanted if row.problem), None):
        raise Conflict(failed.problem, f"{failed.hint} Nothing was saved.")
    for row, device in zip(new, made, strict=True):
        row.device = device.id
    return decide([(row.device, _values(row)) for row in good], {}, library)


def _values(row: Row) -> dict[str, Any]:
    values: dict[str, Any] = {name: text for name, text in row.changes.items() if name in ("personality", "shares")}
    return values | {name: int(row.changes[name]) for name in ("universe", "start") if name in row.changes}
