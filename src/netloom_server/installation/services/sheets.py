"""Settings of many devices as a table: a row for each device, a column for each setting; and one that comes back."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.tables import plain
from netloom_core.documents.tree import MISSING, get, merged
from netloom_core.errors import NetloomError, RequestError
from netloom_core.library.load import Library
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.values import given
from netloom_server.base.problems import Conflict
from netloom_server.base.tables import WIDE
from netloom_server.installation.models import Device
from netloom_server.installation.services.decisions import profile_of, set_intended
from netloom_server.installation.services.places import with_running
from netloom_server.installation.services.together import conflicts

FIRST = ("Device", "Serial number")
_POINTER = re.compile(r"(/\S+)\s*$")


@dataclass
class Row:
    """`changes` and `before` are by the label of the setting, in words; `values` by its path, as they are decided."""

    number: int
    name: str
    device: str = ""
    changes: dict[str, str] = field(default_factory=dict)
    before: dict[str, str] = field(default_factory=dict)
    problem: str = ""
    hint: str = ""
    values: dict[str, Any] = field(default_factory=dict)

    def fails(self, problem: str, hint: str) -> None:
        self.problem, self.hint = problem, hint


def may_be_in(item: Item) -> bool:
    """Secrets are in no table, and an address has a schedule of its own, which looks who else is there."""
    return item.decided and not (item.secret or item.reserved or item.role in ("address", "password"))


def written(item: Item, value: Any) -> str:
    """A value as it stands in a cell: in words where those are understood when they come back."""
    if value is MISSING:
        return ""
    shown = item.type.show(value)
    try:
        return shown if given(item, shown) == value else str(value)
    except NetloomError:
        return str(value)


def sheet_of(devices: Sequence[Device], paths: Sequence[str], library: Library) -> list[tuple[str, ...]]:
    """What is decided, else what runs. Raises RequestError where nothing of it can be in a table."""
    profiles = {device.id: profile_of(device, library) for device in devices}
    wanted = list(dict.fromkeys(paths)) or list(dict.fromkeys(p for one in profiles.values() for p in one.by_path))
    items: dict[str, Item] = {}
    for path in wanted:
        known = (item for one in profiles.values() if (item := one.by_path.get(path)) is not None)
        if (item := next(known, None)) is not None and may_be_in(item):
            items[path] = item
    if not items:
        raise RequestError("None of these settings can be in a table.", "Choose others.")
    if len(items) + len(FIRST) > WIDE:
        raise RequestError(
            f"That would be {len(items)} columns; a table has at most {WIDE - len(FIRST)}.",
            "Search for some of the settings first, or choose devices of one model.",
        )
    rows: list[tuple[str, ...]] = [(*FIRST, *(f"{item.label} {path}" for path, item in items.items()))]
    for device, running in with_running(devices):
        cells = [device.name, device.serial]
        for path in items:
            own = profiles[device.id].by_path.get(path)
            value = get(device.intended, path)
            value = get(dict(running), path) if value is MISSING else value
            cells.append(written(own, value) if own is not None else "")
        rows.append(tuple(cells))
    return rows


def look_at(table: Sequence[Sequence[str]], library: Library) -> list[Row]:
    """Rows with what each would change. Empty cells change nothing. Raises RequestError for what is no such table."""
    rows = [(number, [plain(cell) for cell in row]) for number, row in enumerate(table, 1) if any(row)]
    if not rows:
        raise RequestError("The table is empty.", "Take one out first, change it, and bring it back.")
    head = rows[0][1]
    columns = _columns(head)
    numbered_at = next((n for n, cell in enumerate(head) if cell.strip().casefold() == FIRST[1].casefold()), 0)
    taken = Device.objects.filter(taken_in=True).select_related("unit", "area", "line")
    by_serial: dict[str, list[Device]] = {}
    by_name: dict[str, list[Device]] = {}
    devices = list(taken)
    for device in devices:
        by_serial.setdefault(device.serial.casefold(), []).append(device)
        by_name.setdefault(device.name.casefold(), []).append(device)
    running = {device.id: dict(values) for device, values in with_running(devices)}
    found: list[Row] = []
    seen: dict[str, int] = {}
    for number, cells in rows[1:]:
        row = Row(number, cells[0] if cells else "")
        found.append(row)
        meant = _meant(row, cells, numbered_at, by_name, by_serial)
        if meant is None:
            continue
        row.device = meant.id
        if meant.id in seen:
            row.fails(f"{meant.name} stands in row {seen[meant.id]}, too.", "Leave one of them out.")
            continue
        seen[meant.id] = number
        profile = library.get(meant.profile)
        if profile is None:
            row.fails("Nobody knows yet what model it is.", "Say which model it is on the bench under Survey.")
            continue
        _fill(row, meant, profile, cells, columns, running[meant.id])
    return found


def _columns(head: Sequence[str]) -> dict[int, str]:
    """By column the path or the label that it is of. Raises RequestError."""
    if not head or head[0].strip().casefold() != FIRST[0].casefold():
        raise RequestError(
            f"The first row has to begin with {FIRST[0]!r}, and name a setting in each column.",
            "Take a table out of Netloom first, and change that.",
        )
    columns: dict[int, str] = {}
    for number, cell in enumerate(head):
        if number == 0 or not cell.strip() or cell.strip().casefold() == FIRST[1].casefold():
            continue
        pointer = _POINTER.search(cell)
        columns[number] = pointer[1] if pointer else cell.strip()
    if not columns:
        raise RequestError("No column names a setting.", "Write its label or its path into the first row.")
    if len(set(columns.values())) < len(columns):
        twice = next(one for one in columns.values() if list(columns.values()).count(one) > 1)
        raise RequestError(f"Two columns are of {twice[:80]}.", "Leave one of them out.")
    return columns


def _meant(
    row: Row,
    cells: Sequence[str],
    numbered_at: int,
    by_name: Mapping[str, list[Device]],
    by_serial: Mapping[str, list[Device]],
) -> Device | None:
    """The device of a row by its name, or its serial number where that tells more."""
    serial = cells[numbered_at].strip() if 0 < numbered_at < len(cells) else ""
    named = by_name.get(row.name.strip().casefold(), [])
    numbered = by_serial.get(serial.casefold(), []) if serial else []
    if len(named) == 1 and serial and named[0].serial and named[0].serial.casefold() != serial.casefold():
        row.fails(f"{row.name} is {named[0].serial}, not {serial[:60]}.", "Look which of the two is meant.")
        return None
    either = [one for one in named if one in numbered] or (named if len(named) == 1 else []) or numbered
    if len(either) == 1:
        return either[0]
    meant = row.name[:80] or serial[:80]
    row.fails(
        f"{'Several devices are' if either or len(named) > 1 else 'No device is'} called {meant}.",
        "Write the name or the serial number as Netloom has it.",
    )
    return None


def _fill(
    row: Row,
    device: Device,
    profile: Profile,
    cells: Sequence[str],
    columns: Mapping[int, str],
    running: dict[str, Any],
) -> None:
    by_label = {item.label.casefold(): path for path, item in profile.by_path.items()}
    for number, word in columns.items():
        cell = cells[number].strip() if number < len(cells) else ""
        if not cell:
            continue
        path = word if word in profile.by_path else by_label.get(word.casefold(), "")
        item = profile.by_path.get(path)
        if item is None:
            row.fails(f"A {profile.model} has no {word[:80]}.", "Leave that cell empty.")
            return
        if not may_be_in(item):
            row.fails(f"{item.label} is set in no table.", item.reserved or "Set it on the bench.")
            return
        now = get(device.intended, path)
        now = get(running, path) if now is MISSING else now
        if cell == written(item, now):
            continue
        try:
            value = given(item, cell)
        except NetloomError as error:
            row.fails(error.message, error.hint)
            return
        if value != now:
            row.values[path] = value
            row.changes[item.label], row.before[item.label] = written(item, value), written(item, now)
    told = conflicts(profile, merged(device.intended, row.values), running)
    if told["broken"] and any(set(one["paths"]) & row.values.keys() for one in told["broken"]):
        one = told["broken"][0]
        near = ", ".join(f"{offer['label']} {offer['shown']}" for offer in told["offer"])
        row.fails(f"{', '.join(one['labels'])} may not stand together so: {one['why']}.",
                  f"Near and allowed: {near}." if near else "Choose others.")  # fmt: skip


def take_over(rows: Iterable[Row], library: Library, by: str) -> list[Device]:
    """Decide what the good rows say; all of it, or none where somebody was faster."""
    changes = [(row.device, path, value) for row in rows if not row.problem for path, value in row.values.items()]
    if not changes:
        raise Conflict("No row of it changes anything.", "Nothing was changed.")
    return set_intended(changes, library, by=by)
