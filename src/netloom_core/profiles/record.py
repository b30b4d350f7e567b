"""A device's own event record: what it tells of itself, by its own clock. Pure.

Its clock is asked for with the record, and every time in it is set on ours by the difference; a device whose clock
cannot be asked is taken at its word, and that is said.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

from pydantic import Field

from netloom_core.types.base import Part

MOST_EVENTS = 2000
MOST_TEXT = 300
UNIX, UPTIME, ISO = "unix", "uptime", "iso"


class Record(Part):
    """`time` is how it writes times: `iso` (ISO 8601, as UTC where nothing else is said), `unix` or `uptime` (seconds),
    or a pattern of strptime."""

    time: str = Field(default=ISO, max_length=60)


@dataclass(frozen=True)
class Event:
    """`own` is the time as the device has it in seconds, `at` on our clock; None where it told none that is one."""

    text: str
    code: str = ""
    own: float | None = None
    at: float | None = None

    def as_dict(self) -> dict[str, Any]:
        return {"text": self.text, "code": self.code, "own": self.own, "at": self.at}


@dataclass(frozen=True)
class Told:
    """`ahead` is by how many seconds its clock is ahead of ours; None where it could not be asked for its time, or
    counts from its start."""

    events: tuple[Event, ...]
    ahead: float | None = None


def moment(text: str, how: str) -> float | None:
    """A time as the device writes it, in seconds; None where it is none."""
    text = text.strip()
    try:
        if how in (UNIX, UPTIME):
            found = float(text)
            return found if abs(found) < 1e11 else None
        parsed = datetime.fromisoformat(text) if how == ISO else datetime.strptime(text, how)
    except (ValueError, OverflowError, re.error):
        return None
    return (parsed if parsed.tzinfo else parsed.replace(tzinfo=UTC)).timestamp()


def set_on_ours(events: Sequence[Event], own_now: float | None, our_now: float, how: str) -> Told:
    """The events with their times on our clock, the newest last. Without the device's own time the times stand as they
    are, but those that count from its start, which say nothing then."""
    kept = [replace(one, text=one.text[:MOST_TEXT], code=one.code[:40]) for one in events[-MOST_EVENTS:]]
    if own_now is None:
        placed = [replace(one, at=one.own if how != UPTIME else None) for one in kept]
        return Told(tuple(placed))
    ahead = own_now - our_now
    placed = [replace(one, at=None if one.own is None else one.own - ahead) for one in kept]
    placed.sort(key=lambda one: one.at if one.at is not None else our_now)
    return Told(tuple(placed), None if how == UPTIME else ahead)
