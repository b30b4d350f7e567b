"""What a reading shows of changes: the value that is there now, or nothing, and then nobody knows it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.model.said import Of, Seen, of_all, seen, word

NOT_TOLD = "the device does not tell it"


def read_back(
    changes: Sequence[Mapping[str, Any]], document: Document, unreadable: Mapping[str, str]
) -> list[dict[str, Any]]:
    """Changes with what the device now says as `read_back`; where it says nothing, why as `untold`.

    `unreadable` are the reasons of that reading, by path. A value that is to be none and is not there is as it should.
    """
    told = []
    for change in changes:
        value = get(document, change["path"])
        row = {**change, "read_back": None if value is MISSING else value}
        if value is MISSING and change["to"] is not None:
            row["untold"] = unreadable.get(change["path"], NOT_TOLD)
        told.append(row)
    return told


def seen_of(row: Mapping[str, Any]) -> Seen:
    """Of a change with its read-back; one without was not looked at."""
    told = "untold" not in row
    return seen(asked="read_back" in row, told=told, fits=told and row.get("read_back") == row["to"])


def otherwise(told: Iterable[dict[str, Any]]) -> list[dict[str, Any]]:
    """Those that were told, and are another value than wanted."""
    return [row for row in told if seen_of(row) is Seen.OTHERWISE]


def untold(told: Iterable[dict[str, Any]]) -> list[dict[str, Any]]:
    return [row for row in told if "untold" in row]


def word_of(told: Sequence[dict[str, Any]]) -> str:
    """The outcome in the journal of something that was cut off, and of which no more is known than this.

    Not told is not known then: nobody saw that it was done, either.
    """
    found = of_all(map(seen_of, told)) if told else Seen.AS_WANTED
    return word(Of.STEP, Seen.NOT_LOOKED if found is Seen.NOT_TOLD else found)
