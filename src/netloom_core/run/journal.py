"""The journal's chain: each entry's hash covers all of the entry and the hash before it.

`Head` is what the chain ended with at some time. Kept outside of the records, it shows when the
newest entries were taken away.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from netloom_core.documents.tree import canonical

GENESIS = "0" * 64


@dataclass(frozen=True)
class Head:
    """`count` entries, the last of which has this hash."""

    count: int = 0
    hash: str = GENESIS

    def as_dict(self) -> dict[str, Any]:
        return {"entries": self.count, "head": self.hash}


def chained(previous: str, entry: dict[str, Any]) -> str:
    """SHA-256 over the previous hash and the entry's canonical form, in hex."""
    return hashlib.sha256(previous.encode() + b"\n" + canonical(entry)).hexdigest()


def first_break(
    entries: Iterable[tuple[dict[str, Any], str]], kept: Head | None = None, *, start: str = GENESIS
) -> int | None:
    """Index of the first entry that is not what was written, None when the chain holds.

    `start` is the hash before the first of them. With a `kept` head also the index at which
    entries are missing, or were written anew.
    """
    previous, count = start, 0
    for index, (entry, stated) in enumerate(entries):
        if chained(previous, entry) != stated:
            return index
        previous, count = stated, count + 1
        if kept is not None and count == kept.count and stated != kept.hash:
            return index
    return count if kept is not None and kept.count > count else None
