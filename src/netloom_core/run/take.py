"""Driving several points of a device in one go: a route, a row of a grid, a preset. With the journal, and a look after.

What is as wanted already is not sent again. What one point answers does not keep the others; a device that falls silent
is told nothing more.
"""

from __future__ import annotations

import asyncio
import logging
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, cast

from netloom_core.bus.turns import Priority
from netloom_core.errors import DeviceError, NetloomError, NoAnswer, RequestError
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Target
from netloom_core.model.lock import Lock
from netloom_core.model.said import Of, Seen, seen, word
from netloom_core.model.work import JournalEntry
from netloom_core.profiles.profile import Profile
from netloom_core.run.drive import FOLLOWS_S, LOOK_AGAIN_S, checked_point, short_name
from netloom_core.run.insist import insist, own_fault
from netloom_core.run.locks import kept_from
from netloom_core.run.steps.base import Records

log = logging.getLogger("netloom.take")
TAKE_S = 20.0  # of a few points; more of them have longer
EACH_S = 0.5
Word = Literal["taken", "same", "locked", "refused", "not-followed", "not-sent", "unknown", "unproven"]
DONE: frozenset[str] = frozenset({"taken", "same"})


@dataclass
class Taken:
    """What came of one point: it was `before`, is `now` as last looked at; empty where nobody knows."""

    device: str
    point: str
    wanted: str
    before: str = ""
    now: str = ""
    word: Word = "not-sent"
    message: str = ""

    def as_dict(self) -> dict[str, str]:
        return dict(vars(self))


async def take(
    target: Target,
    profile: Profile,
    wanted: Mapping[str, str],
    sessions: Sessions,
    records: Records,
    by: str,
    locks: Sequence[Lock] = (),
) -> tuple[list[Taken], dict[str, str]]:
    """Drive all of them but what is locked; what came of each, and all states as last told. Raises only where nothing
    was sent.

    `wanted` are states by the short name of a point, or its path. Raises UnknownSetting and OutOfRange before anything
    else, and what the session raises when its states are asked for.
    """
    points = {short_name(profile, point): state for point, state in wanted.items()}
    if len(points) < len(wanted):
        raise RequestError(f"A point of {target.name} is wanted in two states at once. Nothing was driven.")
    points = {point: checked_point(profile, point, state) for point, state in points.items()}
    talk = await sessions.talk(target, f"{by} drives", Priority.DRIVE)
    deadline = asyncio.get_running_loop().time() + TAKE_S + EACH_S * len(points)
    try:
        async with asyncio.timeout_at(deadline):
            states = await talk.states()
    except TimeoutError:
        raise NoAnswer(
            f"{target.name} did not tell its states in time. Nothing was driven.",
            "Look at its power and cable, and try again.", target=target.device, outcome="not_sent",
        ) from None  # fmt: skip
    except NetloomError as error:
        error.outcome = "not_sent"  # of the drive: only its states were asked for
        raise
    found = [Taken(target.device, point, state, states.get(point, "")) for point, state in points.items()]
    for one in found:
        if one.before == one.wanted:
            one.now, one.word = one.before, "same"
        elif why := kept_from(locks, profile, states, one.point, one.wanted):
            one.now, one.word, one.message = one.before, "locked", why
    todo = [one for one in found if one.word == "not-sent"]
    if todo:
        after = await _written_down(target, todo, talk, profile, records, by, deadline)
        for one in found:
            if one.word in ("same", "locked"):
                _still_so(one, after, profile, target)
        states = after or states
    return found, states


def _still_so(one: Taken, after: Mapping[str, str], profile: Profile, target: Target) -> None:
    """One that was as wanted before the others were driven: interlocked points follow one another."""
    one.now = after.get(one.point, "")
    if one.word == "locked":
        return
    told = seen(asked=bool(after), told=bool(one.now), fits=_fits(one, profile))
    one.word = "same" if told is Seen.AS_WANTED else word_for(told)
    if told is Seen.OTHERWISE:
        text = f"{one.point} of {target.name} was {one.before!r} and is {one.now!r} since others were driven with it."
        one.message = text
    elif told is not Seen.AS_WANTED:
        one.message = f"It was {one.before!r} before others were driven; whether it still is was not told."


def _fits(one: Taken, profile: Profile) -> bool:
    return one.now in (one.wanted, *profile.by_point[one.point].by_way_of.get(one.wanted, []))


def word_for(told: Seen) -> Word:
    return cast(Word, word(Of.POINT, told))


async def _written_down(
    target: Target, todo: list[Taken], talk: Talk, profile: Profile, records: Records, by: str, deadline: float
) -> dict[str, str]:
    intent = secrets.token_hex(8)

    def entry(kind: str, outcome: str = "", said: str = "") -> JournalEntry:
        changes: tuple[dict[str, Any], ...] = tuple(
            {"path": f"point:{one.point}", "from": one.before, "to": one.wanted}
            | ({"read_back": one.now or None} if kind == "outcome" else {})
            for one in todo
        )
        return JournalEntry(
            kind, "", target.device, target.line.id, target.address, "drive", by, intent,
            outcome=outcome, message=said, changes=changes,
        )  # fmt: skip

    await records.intend(entry("intent"))
    states: dict[str, str] = {}
    try:
        states = await _all(target, todo, talk, profile, deadline)
    except Exception as error:
        log.exception("driving %s broke", target.device)
        for one in todo:
            one.word, one.message = "unknown", one.message or own_fault(error).message
    words = {one.word for one in todo}
    outcome = (
        "done" if words <= DONE else "unproven" if words <= DONE | {"unproven"}
        else "unknown" if "unknown" in words else "failed"
    )  # fmt: skip
    said = " ".join(dict.fromkeys(one.message for one in todo if one.message))[:1000]
    await insist(lambda: records.conclude(entry("outcome", outcome, said)), "what came of a take")
    return states


async def _all(target: Target, todo: list[Taken], talk: Talk, profile: Profile, deadline: float) -> dict[str, str]:
    """The states after it. Each of them has its word then."""
    sent: list[Taken] = []
    silent = ""
    late = f"{target.name} did not do it in time, and it was given up."
    try:
        async with asyncio.timeout_at(deadline):
            for one in todo:
                if silent:
                    one.message = f"It was not sent, since {silent[0].lower()}{silent[1:]}"
                    continue
                sent.append(one)
                one.word = "unknown"
                try:
                    await talk.drive(one.point, one.wanted)
                except NetloomError as error:
                    one.message = error.message
                    if error.outcome == "not_sent":
                        one.word = "not-sent"
                        sent.remove(one)
                    elif isinstance(error, DeviceError):
                        one.word = "refused"
                    if not isinstance(error, DeviceError):
                        silent = error.message
            states = await _followed(talk, sent, profile)
    except (NetloomError, TimeoutError) as error:
        message = error.message if isinstance(error, NetloomError) else late
        for one in sent:
            one.message = one.message or message
        for one in todo:
            if one not in sent and not one.message:
                one.message = f"It was not sent. {message}"
        return {}
    for one in sent:
        _judge(one, states, profile, target)
    return states


async def _followed(talk: Talk, sent: list[Taken], profile: Profile) -> dict[str, str]:
    """The states after it; where it said yes to what is as before, it may follow in a moment."""
    until = asyncio.get_running_loop().time() + FOLLOWS_S
    while True:
        states = await talk.states()
        late = [
            one for one in sent if not one.message and one.before and states.get(one.point) == one.before != one.wanted
        ]
        if not late or asyncio.get_running_loop().time() >= until:
            return states
        await asyncio.sleep(LOOK_AGAIN_S)


def _judge(one: Taken, states: Mapping[str, str], profile: Profile, target: Target) -> None:
    one.now = states.get(one.point, "")
    if not one.now:
        if one.word == "unknown" and not one.message:
            one.word, one.message = "unproven", f"{target.name} does not tell the state of {one.point}."
        return
    if _fits(one, profile):
        one.word = word_for(Seen.AS_WANTED)
    elif one.word != "refused":
        one.word = "not-followed"
        one.message = (
            one.message or f"{one.point} of {target.name} is {one.now!r} after it was driven to {one.wanted!r}."
        )
