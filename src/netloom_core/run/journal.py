"""The journal's chain: each entry's hash covers the entry and the hash before it."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from typing import Any

from netloom_core.plan.documents import canonical

GENESIS = "0" * 64


def chained(previous: str, entry: dict[str, Any]) -> str:
    """SHA-256 over the previous hash and the entry's canonical form, in hex."""
    return hashlib.sha256(previous.encode() + b"\n" + canonical(entry)).hexdigest()


def first_break(entries: Iterable[tuple[dict[str, Any], str]]) -> int | None:
    """Index of the first entry that is not what was written, None when the chain holds."""
    previous = GENESIS
    for index, (entry, stated) in enumerate(entries):
        if chained(previous, entry) != stated:
            return index
        previous = stated
    return None
