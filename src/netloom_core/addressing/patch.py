"""The patch sheet: which fixture listens where, as a table, out and back. Pure.

A sheet that nobody touched changes nothing. A row that is not right is named with its reason, and the others stand. A
fixture that the sheet names and nobody knows here is a new one, where the sheet says of which model it is.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from netloom_core.addressing.table import columns_of
from netloom_core.addressing.universes import Fixture, together
from netloom_core.documents import tables
from netloom_core.documents.tables import plain
from netloom_core.errors import RequestError
from netloom_core.model.universe import LAST_SLOT, PORT_ADDRESSES

COLUMNS = ("fixture", "model", "area", "universe", "start", "last", "slots", "personality", "shares", "heard in",
           "listens at", "uid", "node")  # fmt: skip
TITLES = {
    "name": ("fixture", "name", "device", "label"),
    "model": ("model", "type", "fixture type"),
    "area": ("area", "position", "location"),
    "universe": ("universe", "port address"),
    "start": ("start", "start address", "address", "dmx address", "slot", "channel"),
    "personality": ("personality", "mode"),
    "shares": ("shares", "shares with"),
    "uid": ("uid", "rdm uid"),
}
MOST_ROWS = 5000


@dataclass(frozen=True)
class Model:
    """Of which a new fixture can be. `sizes` and `named` are by personality: how many slots, and what it is called;
    `usual` is the one that new units have."""

    profile: str
    names: tuple[str, ...]
    sizes: Mapping[str, int] = field(default_factory=dict)
    named: Mapping[str, str] = field(default_factory=dict)
    slots: int = 0
    usual: str = ""


@dataclass(frozen=True)
class Known:
    """A fixture with what the sheet tells of it besides."""

    fixture: Fixture
    model: Model
    uid: str = ""
    node: str = ""


@dataclass
class Row:
    """`changes` are what is to become of the fixture: universe, start, personality, shares, area. `profile` is that of
    a new one."""

    number: int
    name: str
    device: str = ""
    profile: str = ""
    changes: dict[str, str] = field(default_factory=dict)
    before: dict[str, str] = field(default_factory=dict)
    problem: str = ""
    hint: str = ""

    def fails(self, problem: str, hint: str) -> None:
        self.problem, self.hint = problem, hint


def as_csv(known: Iterable[Known]) -> str:
    rows: list[tuple[str, ...]] = [COLUMNS]
    for one in known:
        it = one.fixture
        model = one.model.names[0] if one.model.names else ""
        personality = one.model.named.get(it.personality, it.personality)
        cells = (
            it.name, model, it.area_name, _text(it.universe), _text(it.start or None), _text(it.last or None),
            _text(it.slots or None), personality, it.shares, _text(it.heard), _text(it.at or None), one.uid, one.node,
        )  # fmt: skip
        rows.append(cells)
    return tables.as_csv(rows)


def _text(number: int | None) -> str:
    return "" if number is None else str(number)


def rows_of(table: Sequence[Sequence[str]], known: Sequence[Known], models: Sequence[Model]) -> list[Row]:
    """Rows of a sheet whose first one names its columns. Raises RequestError where it is no patch sheet at all."""
    rows = [(number, row) for number, row in enumerate(table, 1) if any(row)]
    if not rows:
        raise RequestError("The sheet is empty.", "Its first row names the columns; an export has them.")
    if len(rows) > MOST_ROWS + 1:
        raise RequestError(f"The sheet has {len(rows) - 1} rows; {MOST_ROWS} are read.", "Split it.")
    columns = columns_of(rows[0][1], TITLES)
    if not {"name", "uid"} & columns.keys() or not {"universe", "start", "personality", "shares"} & columns.keys():
        raise RequestError(
            "The first row does not name the columns.",
            "It needs `fixture` or `uid`, and one of `universe`, `start`, `personality`, `shares`.",
        )
    reader = _Reader(known, models)
    made = [
        reader.row(number, {what: plain(cells[at]) for what, at in columns.items() if at < len(cells)})
        for number, cells in rows[1:]
    ]
    _overlapping(made, reader)
    return made


class _Reader:
    def __init__(self, known: Sequence[Known], models: Sequence[Model]) -> None:
        self.by_device = {one.fixture.device: one for one in known}
        self._by_name: dict[str, Known] = {one.fixture.name.casefold(): one for one in known}
        self._by_uid = {one.uid.casefold(): one for one in known if one.uid}
        self._models: dict[str, list[Model]] = defaultdict(list)
        for model in models:
            for name in {name.casefold() for name in model.names}:
                self._models[name].append(model)
        self._rows: dict[str, int] = {}
        self.meant: dict[int, Fixture] = {}  # by row, as it would be

    def row(self, number: int, values: Mapping[str, str]) -> Row:
        row = Row(number, values.get("name", ""))
        named = self._by_name.get(row.name.casefold()) if row.name else None
        one = named or self._by_uid.get(values.get("uid", "").casefold())
        key = one.fixture.device if one else row.name.casefold()
        if key in self._rows:
            row.fails(
                f"Row {self._rows[key]} is about {one.fixture.name if one else row.name}, too.", "Leave one of the two."
            )
            return row
        if key:
            self._rows[key] = number
        if one is None:
            one = self._new(row, values)
            if one is None:
                return row
        else:
            row.device, row.name = one.fixture.device, one.fixture.name
        self._compare(row, values, one)
        return row

    def _new(self, row: Row, values: Mapping[str, str]) -> Known | None:
        said = values.get("model", "")
        found = self._models.get(said.casefold(), [])
        if not row.name or not said:
            row.fails(f"There is no fixture {row.name or values.get('uid') or 'without a name'} here.",
                      "For a new one the sheet says `fixture` and `model`.")  # fmt: skip
        elif len(row.name) > 80:
            row.fails("Its name has more than 80 letters.", "Give it a shorter one.")
        elif len(found) != 1:
            which = f"no model of fixtures is called {said}" if not found else f"several models are called {said}"
            row.fails(f"{row.name} is new, and {which}.", "Write maker and model as Netloom shows them.")
        else:
            model = found[0]
            row.profile = model.profile
            slots = model.slots or model.sizes.get(model.usual, 0)
            fixture = Fixture("", row.name, slots=slots, sizes=model.sizes, fitted=False)
            return Known(fixture, model)
        return None

    def _compare(self, row: Row, values: Mapping[str, str], one: Known) -> None:
        it = one.fixture
        wanted: dict[str, str] = {}
        for what, now in (("universe", it.universe), ("start", it.start or None)):
            said = values.get(what, "")
            if not said or said == _text(now):
                continue
            low, high = (0, PORT_ADDRESSES - 1) if what == "universe" else (1, LAST_SLOT)
            if not (said.isascii() and said.isdecimal() and len(said) <= 5 and low <= int(said) <= high):
                word = "universe" if what == "universe" else "start address"
                row.fails(f"{said[:40]} is no {word}.", f"It is a number from {low} to {high}.")
                return
            if what == "start" and not it.can:
                row.fails(f"The start address of {it.name} cannot be written.", "Set it at the unit itself.")
                return
            wanted[what], row.before[what] = str(int(said)), _text(now)
        has = (it.personality.casefold(), one.model.named.get(it.personality, it.personality).casefold())
        if (said := values.get("personality", "")) and said.casefold() not in has:
            keys = [
                key for key, name in one.model.named.items() if said.casefold() in (key.casefold(), name.casefold())
            ]
            if not keys:
                there = ", ".join(one.model.named.values()) or "none that is known here"
                row.fails(f"{it.name} has no personality {said[:60]}.", f"There are: {there}.")
                return
            wanted["personality"], row.before["personality"] = keys[0], it.personality
        shares = values.get("shares")
        if shares is not None and shares.casefold() != it.shares.casefold():
            if len(shares) > 40:
                row.fails("The word of those it shares slots with has more than 40 letters.", "Give it a shorter one.")
                return
            wanted["shares"], row.before["shares"] = shares, it.shares
        if row.profile and (area := values.get("area", "")):
            wanted["area"], row.before["area"] = area[:80], ""
        row.changes = wanted
        self._meant(row, it, one)

    def _meant(self, row: Row, it: Fixture, one: Known) -> None:
        wanted = row.changes
        personality = wanted.get("personality", it.personality)
        slots = it.sizes.get(personality, 0) if "personality" in wanted else it.slots
        number = int(wanted["universe"]) if "universe" in wanted else it.universe
        start = int(wanted["start"]) if "start" in wanted else it.start
        meant = replace(it, universe=number, start=start, slots=slots or it.slots, personality=personality,
                        shares=wanted.get("shares", it.shares))  # fmt: skip
        if (wanted or row.profile) and meant.last > LAST_SLOT:
            row.fails(
                f"From {start} on its {meant.slots} slots reach beyond {LAST_SLOT}.", "Give it a lower start address."
            )
        self.meant[row.number] = meant


def _overlapping(rows: Sequence[Row], reader: _Reader) -> None:
    """No good row may put a fixture where another one is to be: of two such rows both fail, and whose row fails stays
    where it is, in the way of whoever was to come there; and so on, however long the chain."""
    moving = {row.number: row for row in rows if row.number in reader.meant and (row.changes or row.profile)}
    stays = {one.fixture.device: one.fixture for one in reader.by_device.values()}
    for row in moving.values():
        if row.device and not row.problem:
            stays.pop(row.device, None)
    taken = _Taken()
    for fixture in stays.values():
        taken.add(fixture)
    good = [row for row in moving.values() if not row.problem]
    coming = _Taken()
    for row in good:
        coming.add(reader.meant[row.number])
    fallen: list[Row] = []
    for row in good:
        it = reader.meant[row.number]
        other = taken.met_by(it) or coming.met_by(it)
        if other is not None and _is_new_there(row, it, other, reader):
            _fails_by(row, it, other)
            fallen.append(row)
    by_universe: dict[int, list[Row]] = defaultdict(list)
    for row in good:
        if (universe := reader.meant[row.number].universe) is not None:
            by_universe[universe].append(row)
    while fallen:
        row = fallen.pop()
        if not row.device:
            continue  # a new one that is not made is in nobody's way
        back = reader.by_device[row.device].fixture
        for other_row in by_universe.get(back.universe, []) if back.universe is not None and back.span else []:
            it = reader.meant[other_row.number]
            if not other_row.problem and other_row is not row and it.span & back.span and not together(it, back):
                _fails_by(other_row, it, back)
                fallen.append(other_row)


def _is_new_there(row: Row, it: Fixture, other: Fixture, reader: _Reader) -> bool:
    """A row that only says something else of a fixture that overlapped before is none that makes it so."""
    was = reader.by_device[row.device].fixture if row.device else None
    return was is None or (was.universe, was.span, was.shares) != (it.universe, it.span, it.shares)


def _fails_by(row: Row, it: Fixture, other: Fixture) -> None:
    row.fails(f"{it.start} to {it.last} of universe {it.universe} meets {other.name}, {other.start} to {other.last}.",
              "Give one of them other slots, or write the same word under `shares` of both.")  # fmt: skip


class _Taken:
    """Who is to have slots; of those alike two are enough to find another one than oneself."""

    def __init__(self) -> None:
        self._who: dict[int, dict[tuple[int, str], list[Fixture]]] = defaultdict(dict)

    def add(self, one: Fixture) -> None:
        if one.universe is not None and one.span:
            alike = self._who[one.universe].setdefault((one.span, one.shares.casefold()), [])
            if len(alike) < 2:
                alike.append(one)

    def met_by(self, one: Fixture) -> Fixture | None:
        if one.universe is None or not one.span:
            return None
        for (span, _), those in self._who.get(one.universe, {}).items():
            if span & one.span:
                for other in those:
                    if other.name != one.name and not together(one, other):
                        return other
        return None
