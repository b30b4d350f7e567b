"""Settings over the whole installation, found by label, place or value: `pulse time > 1`, `idle = closed`, `chime`."""

from __future__ import annotations

import operator
import re
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


def find_settings(text: str, library: Library) -> tuple[list[dict[str, Any]], int]:
    """(what fits, at most so much; how many fit in all). Secrets are never looked into."""
    query = parsed(text)
    if not query.words and query.fits is None:
        return [], 0
    devices = [device for device in Device.objects.filter(taken_in=True) if device.running]
    named = {ident: _named(library.get(ident), query) for ident in {device.profile for device in devices}}
    documents = Document.load_many({device.running for device in devices})
    found: list[dict[str, Any]] = []
    count = 0
    for device in devices:
        for item, value in _hits(library.get(device.profile), documents.get(device.running, {}), named, query):
            count += 1
            if len(found) < MOST:
                shown = f"{item.type.show(value)} {item.unit}".strip()
                row = {"device": device.id, "name": device.name, "path": item.path, "label": item.label, "value": shown}
                found.append(row)
    return found, count


def _hits(
    profile: Profile | None, document: dict[str, Any], named: dict[str, list[str]], query: Query
) -> Iterator[tuple[Item, Any]]:
    """Those whose label or path has all words; where a model has none such, those whose value has them."""
    if profile is None:
        return
    paths = named[profile.id]
    for path in paths or (() if query.fits else profile.by_path):
        item, value = profile.by_path[path], get(document, path)
        if value is MISSING or item.secret or not item.decided:
            continue
        if query.fits(value, item) if query.fits else paths or _all_in(f"{value} {item.type.show(value)}", query.words):
            yield item, value


def _named(profile: Profile | None, query: Query) -> list[str]:
    """Paths of the settings that all words name; of all settings where a query only compares."""
    items = profile.by_path if profile else {}
    return [path for path, item in items.items() if item.decided and _all_in(f"{item.label} {path}", query.words)]


def _all_in(text: str, words: tuple[str, ...]) -> bool:
    low = text.casefold()
    return all(word in low for word in words)
