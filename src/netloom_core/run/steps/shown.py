"""What a reading shows of changes: the value that is there now, or nothing, and then nobody knows it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from netloom_core.documents.tree import MISSING, Document, get

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


def otherwise(told: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Those that were told, and are another value than wanted."""
    return [row for row in told if "untold" not in row and row["read_back"] != row["to"]]


def untold(told: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    return [row for row in told if "untold" in row]


def word_of(told: Sequence[dict[str, Any]]) -> str:
    """The outcome in the journal of something of which no more is known than this."""
    return "failed" if otherwise(told) else "unknown" if untold(told) else "done"
