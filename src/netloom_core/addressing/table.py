"""The address schedule read back: which cells say something else than what is decided, and which cannot be. Pure.

A table that was exported and not touched changes nothing. A row that is not right is named with its reason; the others
stand. What the table does not name stays as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from netloom_core.addressing.schedule import Place
from netloom_core.documents.tables import plain
from netloom_core.errors import RequestError

# What a column is, by its title: the first of each are the ones that are written.
TITLES = {
    "name": ("name", "device", "device name", "label"),
    "serial": ("serial", "serial number", "s/n"),
    "line": ("line", "network", "bus", "subnet"),
    "address": ("address", "ip", "ip address", "unit"),
    "mask": ("mask", "network mask", "netmask", "subnet mask"),
    "gateway": ("gateway", "router", "default gateway"),
    "host": ("host name", "hostname", "host"),
    "speed": ("speed", "baud"),
}
ROLES = {"address": "address", "mask": "mask", "gateway": "gateway", "host": "name", "speed": "speed"}


@dataclass
class Row:
    """`changes` are by role what is to become of the device; empty where all is as it was."""

    number: int
    name: str
    device: str = ""
    changes: dict[str, str] = field(default_factory=dict)
    before: dict[str, str] = field(default_factory=dict)
    problem: str = ""
    hint: str = ""


Holds = Callable[[str, str], bool]  # whether the network of that name holds an address


def rows_of(table: Sequence[Sequence[str]], places: Mapping[str, Place], holds: Holds = lambda *_: False) -> list[Row]:
    """Rows of a table with a first one that names its columns, against what is decided, by device.

    Raises RequestError where it is no table of addresses at all.
    """
    rows = [(number, row) for number, row in enumerate(table, 1) if any(row)]
    if not rows:
        raise RequestError(
            "The table is empty.", "Its first row names the columns; an export of the schedule has them."
        )
    columns = columns_of(rows[0][1], TITLES)
    if not {"name", "serial"} & columns.keys() or not set(ROLES) & columns.keys():
        raise RequestError(
            "The first row does not name the columns.",
            "It needs `name` or `serial`, and one of `address`, `mask`, `gateway`, `host name`, `speed`.",
        )
    known = _Known(places)
    seen: dict[str, int] = {}
    found = []
    for number, cells in rows[1:]:
        values = {what: plain(cells[at]) for what, at in columns.items() if at < len(cells)}
        row = Row(number, values.get("name", ""))
        found.append(row)
        device = known.of(values)
        if device is None:
            row.problem = f"There is no device {values.get('name') or values.get('serial') or 'without a name'} here."
            row.hint = "Look at its name and serial number; planned devices come in by the list of expected devices."
            continue
        place = places[device]
        row.device, row.name = device, place.name
        if device in seen:
            row.problem, row.hint = f"Row {seen[device]} is about {place.name}, too.", "Leave one of the two."
            continue
        seen[device] = number
        _compare(row, values, place, holds)
    return found


def _compare(row: Row, values: Mapping[str, str], place: Place, holds: Holds) -> None:
    line = values.get("line", "")
    other = bool(line) and line.casefold() != place.line.casefold()
    if other and not (place.ip and holds(line, values.get("address", ""))):
        row.problem = f"{place.name} is on {place.line}, not on {line}."
        row.hint = "Give it an address of that network as well; on other lines a device is where its cable is: sweep."
        return
    now = {"address": place.address, "mask": place.mask, "gateway": place.gateway, "host": place.host,
           "speed": place.speed}  # fmt: skip
    for what, role in ROLES.items():
        said = values.get(what)
        if said is None or said == now[what]:
            continue
        if what == "host" and not place.names_itself:
            if said != place.label:
                row.problem = f"{place.name} has no host name that can be written."
                row.hint = "Leave the cell as it was exported."
                return
            continue
        if not said:
            row.problem = f"Its {what} is empty; it is {now[what]}."
            row.hint = "Write what it is to be. Nothing is taken away by an empty cell."
            return
        row.changes[role], row.before[role] = said, now[what]


def columns_of(head: Sequence[str], titles: Mapping[str, Sequence[str]]) -> dict[str, int]:
    """Which column is what, by the words that its title may have; of two alike the first."""
    found: dict[str, int] = {}
    for at, title in enumerate(head):
        for what, words in titles.items():
            if title.strip().casefold() in words:
                found.setdefault(what, at)
    return found


class _Known:
    def __init__(self, places: Mapping[str, Place]) -> None:
        self._by_name = {place.name.casefold(): device for device, place in places.items()}
        self._by_serial: dict[str, str | None] = {}
        for device, place in places.items():
            if place.serial:
                key = place.serial.casefold()
                self._by_serial[key] = None if key in self._by_serial else device

    def of(self, values: Mapping[str, str]) -> str | None:
        """By its name; where that is not told, or nobody's, by a serial number that one bears alone."""
        device = self._by_name.get(values.get("name", "").casefold())
        return device or self._by_serial.get(values.get("serial", "").casefold())


def twice(rows: Iterable[Row], places: Mapping[str, Place]) -> None:
    """Rows that give one address of a line to two devices are both told."""
    at: dict[tuple[str, str], list[Row]] = {}
    for row in rows:
        if row.device and not row.problem and "address" in row.changes:
            at.setdefault((places[row.device].line, row.changes["address"]), []).append(row)
    for (_, address), those in at.items():
        for row in those if len(those) > 1 else ():
            others = ", ".join(str(one.number) for one in those if one is not row)
            row.problem = f"{address} is given to another device by row {others}, too."
            row.hint = "Give each its own."


def stays_in_the_way(rows: Iterable[Row], places: Mapping[str, Place]) -> None:
    """Whose row cannot be stays where it is, and whoever was to take that place cannot go either; and so on, along
    a chain of any length."""
    moving = [row for row in rows if row.device and "address" in row.changes]
    wants = {(places[row.device].line, row.changes["address"]): row for row in moving if not row.problem}
    fallen = [row for row in moving if row.problem]
    while fallen:
        stays = places[fallen.pop().device]
        row = wants.pop((stays.line, stays.found or stays.address), None)
        if row is not None and not row.problem:
            row.problem = f"{row.changes['address']} is {stays.name}'s, which does not leave it."
            row.hint = "Put that row right, or give this one another address."
            fallen.append(row)
