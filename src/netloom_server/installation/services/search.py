"""Settings over the whole installation, found by label, place or value: `pulse time > 1`, `idle = closed`, `chime`."""

from __future__ import annotations

import operator
import re
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from netloom_core.documents.tree import MISSING, get
from netloom_core.library.load import Library
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device

MOST = 200
MOST_ALIKE = 500_000  # values that are kept once
MAX_QUERY = 120
HOW = {">": operator.gt, "<": operator.lt, ">=": operator.ge, "<=": operator.le, "=": operator.eq}
_COMPARED = re.compile(r"^(?P<words>.*?)(?P<how>>=|<=|>|<|=)(?P<value>.+)$")
_NUMBER = re.compile(r"^\s*([+-]?\d+(?:[.,]\d+)?)")


@dataclass(frozen=True)
class Query:
    """`words` are all in the label or the path; `fits` says whether a value does, where the query compares."""

    words: tuple[str, ...]
    fits: Callable[[Any, Item], bool] | None = None


def parsed(text: str) -> Query:
    text = text[:MAX_QUERY].casefold().strip()
    found = _COMPARED.match(text)
    if found is None:
        return Query(tuple(text.split()))
    how, wanted = found["how"], found["value"].strip()
    return Query(tuple(found["words"].split()), lambda value, item: _compares(value, item, how, wanted))


def _compares(value: Any, item: Item, how: str, wanted: str) -> bool:
    number = _NUMBER.match(wanted)
    if isinstance(value, int | float) and not isinstance(value, bool):
        return number is not None and HOW[how](value, float(number[1].replace(",", ".")))
    return how == "=" and wanted in (str(value).casefold(), item.type.show(value).casefold())


class Index:
    """What all devices have, ready to be looked through: parsed once for each reading, kept while a device has it.

    A row has the values in the order of its profile's items, and all of them in words, to pass by at a glance whoever
    has none of what is looked for.
    """

    def __init__(self) -> None:
        self._rows: dict[tuple[str, str], Row] = {}
        self._same: dict[Any, Any] = {}  # equal values are one: most devices have most of them alike
        self._busy = threading.Lock()
        self._number = -1

    def rows(self, wanted: set[tuple[str, str]], library: Library) -> dict[tuple[str, str], Row]:
        """By digest and profile; what no device has any more is forgotten."""
        with self._busy:
            if self._number != library.number:  # a profile may have become another one
                self._number, self._rows = library.number, {}
            fresh = wanted - self._rows.keys()
            documents = Document.load_many({digest for digest, _ in fresh})
            kept = {key: row for key, row in self._rows.items() if key in wanted}
            for digest, ident in fresh:
                profile = library.get(ident)
                if profile is not None:
                    kept[digest, ident] = self._row(profile, documents.get(digest, {}))
            self._rows = kept
            if len(self._same) > MOST_ALIKE:
                self._same.clear()
            return kept

    def _row(self, profile: Profile, document: dict[str, Any]) -> Row:
        values: list[Any] = []
        words: list[str] = []
        for path, item in profile.by_path.items():
            value = MISSING if item.secret or not item.decided else get(document, path)
            if isinstance(value, str | int | float):
                value = self._same.setdefault((type(value), value), value)
            values.append(value)
            if value is not MISSING:
                words.append(_in_words(value, item))
        return Row(tuple(values), "\n".join(words))


@dataclass(frozen=True)
class Row:
    values: tuple[Any, ...]
    words: str


INDEX = Index()


def find_settings(text: str, library: Library, index: Index = INDEX) -> tuple[list[dict[str, Any]], int]:
    """(what fits, at most so much; how many fit in all). Secrets are never looked into."""
    query = parsed(text)
    if not query.words and query.fits is None:
        return [], 0
    devices = list(
        Device.objects.filter(taken_in=True, unit__isnull=False)
        .exclude(unit__running="")
        .values_list("id", "name", "profile", "unit__running")
    )
    rows = index.rows({(digest, ident) for _, _, ident, digest in devices}, library)
    profiles = ((ident, library.get(ident)) for ident in {ident for _, _, ident, _ in devices})
    looked = {ident: _Looked(profile, query) for ident, profile in profiles if profile is not None}
    found: list[dict[str, Any]] = []
    count = 0
    for device, name, ident, digest in devices:
        row, look = rows.get((digest, ident)), looked.get(ident)
        for item, value in look.hits(row) if row is not None and look is not None else ():
            count += 1
            if len(found) < MOST:
                shown = f"{item.type.show(value)} {item.unit}".strip()
                found.append({"device": device, "name": name, "path": item.path, "label": item.label, "value": shown})
    return found, count


class _Looked:
    """A query on the devices of one profile."""

    def __init__(self, profile: Profile, query: Query) -> None:
        self._query = query
        self._items = list(profile.by_path.values())
        named = set(_named(profile, query))
        self._named = [at for at, item in enumerate(self._items) if item.path in named]

    def hits(self, row: Row) -> Iterator[tuple[Item, Any]]:
        """Those whose label or path has all words; where a model has none such, those whose value has them."""
        fits, words = self._query.fits, self._query.words
        if self._named:
            for at in self._named:
                value = row.values[at]
                if value is not MISSING and (fits is None or fits(value, self._items[at])):
                    yield self._items[at], value
        elif fits is None and all(word in row.words for word in words):
            for item, value in zip(self._items, row.values, strict=True):
                if value is not MISSING and _all_in(_in_words(value, item), words):
                    yield item, value


def _in_words(value: Any, item: Item) -> str:
    return f"{value} {item.type.show(value)}".casefold()


def _named(profile: Profile, query: Query) -> list[str]:
    """Paths of the settings that all words name; of all settings where a query only compares."""
    return [
        path for path, item in profile.by_path.items() if item.decided and _all_in(f"{item.label} {path}", query.words)
    ]


def _all_in(text: str, words: tuple[str, ...]) -> bool:
    low = text.casefold()
    return all(word in low for word in words)
