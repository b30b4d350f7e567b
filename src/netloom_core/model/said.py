"""The one table of what may be said: what was asked, by what could have told it, and whether it told -> the word.

Whoever tells something of a device, a value, a place or a record looks what was seen up here, and takes the word for
it from here too. A word for many is that of the one that is least good, and nothing at all is never good.

    AS_WANTED   asked by what could tell, told, and as it should be
    OTHERWISE   the same, and something else
    NOT_TOLD    asked by what could tell, answered, and of this nothing was told
    NOT_LOOKED  not asked; or by nothing that could have told; or the asking did not come to its end; or too long ago
"""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum


class Seen(StrEnum):
    AS_WANTED = "as wanted"
    NOT_TOLD = "not told"
    NOT_LOOKED = "not looked"
    OTHERWISE = "otherwise"


class Of(StrEnum):
    """What the word is about."""

    STEP = "step"  # what a step of a run did; also the outcome in the journal
    VALUE = "value"  # a value of a device against the one that was approved
    POINT = "point"  # a point that was driven with others, or held
    BACKUP = "backup"  # what was to be kept of a device
    PLACE = "place"  # whether a device is where it was known to be
    CHAIN = "chain"  # whether records are what was written


def seen(*, asked: bool, could_tell: bool = True, told: bool = True, fits: bool = True, fresh: bool = True) -> Seen:
    """`could_tell` is whether the method or set could have shown it at all, and came to its end; `fresh` whether it was
    asked after the last thing that may have changed it."""
    if not (asked and could_tell and fresh):
        return Seen.NOT_LOOKED
    if not told:
        return Seen.NOT_TOLD
    return Seen.AS_WANTED if fits else Seen.OTHERWISE


WORDS: dict[tuple[Of, Seen], str] = {
    (Of.STEP, Seen.AS_WANTED): "done",
    (Of.STEP, Seen.OTHERWISE): "failed",
    (Of.STEP, Seen.NOT_TOLD): "unproven",
    (Of.STEP, Seen.NOT_LOOKED): "unknown",
    (Of.VALUE, Seen.AS_WANTED): "match",
    (Of.VALUE, Seen.OTHERWISE): "drift",
    (Of.VALUE, Seen.NOT_TOLD): "unproven",
    (Of.VALUE, Seen.NOT_LOOKED): "unproven",
    (Of.POINT, Seen.AS_WANTED): "taken",
    (Of.POINT, Seen.OTHERWISE): "not-followed",
    (Of.POINT, Seen.NOT_TOLD): "unproven",
    (Of.POINT, Seen.NOT_LOOKED): "unknown",
    (Of.BACKUP, Seen.AS_WANTED): "whole",
    (Of.BACKUP, Seen.OTHERWISE): "with-holes",
    (Of.BACKUP, Seen.NOT_TOLD): "with-holes",
    (Of.BACKUP, Seen.NOT_LOOKED): "with-holes",
    (Of.PLACE, Seen.AS_WANTED): "there",
    (Of.PLACE, Seen.OTHERWISE): "moved",
    (Of.PLACE, Seen.NOT_TOLD): "missing",
    (Of.PLACE, Seen.NOT_LOOKED): "not-looked",
    (Of.CHAIN, Seen.AS_WANTED): "whole",
    (Of.CHAIN, Seen.OTHERWISE): "broken",
    (Of.CHAIN, Seen.NOT_TOLD): "broken",  # what was kept outside names entries that are not there
    (Of.CHAIN, Seen.NOT_LOOKED): "not-checked",
}
WORST_FIRST = (Seen.OTHERWISE, Seen.NOT_LOOKED, Seen.NOT_TOLD, Seen.AS_WANTED)


def word(of: Of, what: Seen) -> str:
    return WORDS[of, what]


def of_all(every: Iterable[Seen]) -> Seen:
    """One for all of them together: a part never speaks for the whole, and of nothing nothing is known."""
    found = set(every)
    return next((one for one in WORST_FIRST if one in found), Seen.NOT_LOOKED)
