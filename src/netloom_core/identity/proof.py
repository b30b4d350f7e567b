"""Whether who answers now is the device on record. Pure; the session asks it before anything else.

A serial number decides where both sides have one. Else any other fact that names one decides.
A device that bears nothing unique (serial number 000000) is proven by what it has: its maker
and model, and that it tells nothing that would make it somebody else.
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import Enum

from netloom_core.identity.keys import Makers, keys_of, kind_of
from netloom_core.model.device import Identity, Target


class Verdict(Enum):
    SAME = "same"
    OTHER = "other"  # somebody else, shown by a fact
    UNTOLD = "untold"  # it does not tell what would be needed to know


def told_by(identity: Identity, makers: Makers) -> list[str]:
    facts = {**identity.facts, "maker": identity.maker, "serial": identity.serial}
    return [key for _, key in keys_of(facts, makers)]


def judge(target: Target, identity: Identity, makers: Makers) -> Verdict:
    """What the answer shows. A record that was never found proves nobody."""
    if not target.found:
        return Verdict.UNTOLD
    told = told_by(identity, makers)
    verdict = _by_keys(target.keys, told)
    if verdict is not None:
        return verdict
    if any(kind_of(key) == "serial" for key in target.keys):
        return Verdict.UNTOLD
    if any(kind_of(key) == "serial" for key in told):
        return Verdict.UNTOLD if target.keys else Verdict.OTHER
    if not identity.model:
        return Verdict.UNTOLD
    return Verdict.SAME if _alike(target, identity, makers) else Verdict.OTHER


def _by_keys(known: Sequence[str], told: Sequence[str]) -> Verdict | None:
    """By the highest grade that both sides have; None where they have none in common."""
    for kinds in (("serial",), ("rdm", "uuid", "usb"), ("mac",)):
        mine = {key for key in known if kind_of(key) in kinds}
        theirs = {key for key in told if kind_of(key) in kinds}
        if mine & theirs:
            return Verdict.SAME
        if {kind_of(key) for key in mine} & {kind_of(key) for key in theirs}:
            return Verdict.OTHER
    return None


def _alike(target: Target, identity: Identity, makers: Makers) -> bool:
    maker = makers(identity.maker).casefold() == makers(target.maker).casefold() or not identity.maker
    return maker and identity.model.casefold() in {name.casefold() for name in target.models}
