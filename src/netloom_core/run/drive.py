"""Driving a point now, with the journal and a look at what came of it."""

from __future__ import annotations

import asyncio
import secrets

from netloom_core.bus.turns import Priority
from netloom_core.errors import (
    CannotDo,
    DeviceError,
    Locked,
    NetloomError,
    NoAnswer,
    OutOfRange,
    ReadBackMismatch,
    UnknownSetting,
)
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Target
from netloom_core.model.lock import FREE_IT
from netloom_core.model.work import JournalEntry
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.values import given
from netloom_core.run.insist import insist, own_fault
from netloom_core.run.locks import kept_from
from netloom_core.run.steps.base import Records

DRIVE_S = 20.0
FOLLOWS_S, LOOK_AGAIN_S = 2.0, 0.25  # how long a point that was driven may still tell its former state


def short_name(profile: Profile, point: str) -> str:
    """A point by its short name or by its path; what it is not is told by the check."""
    item = profile.points_by_path.get(point)
    return item.id if item is not None else point


def checked_point(profile: Profile, point: str, state: str) -> str:
    """The state as the point tells it. Raises UnknownSetting and OutOfRange."""
    targets = profile.targets.get(point)
    if targets is None:
        drivable = ", ".join(profile.targets) or "none"
        raise UnknownSetting(f"{profile.model} has no point {point} to drive.", f"It has: {drivable}.", target=point)
    one = profile.by_point[point]
    if not targets:
        return one.state_of(given(one, state))
    if state not in targets:
        raise OutOfRange(f"{one.label} cannot be {state!r}.", f"Say {' or '.join(targets)}.", target=point)
    return state


def held_and_rest(profile: Profile, point: str, state: str) -> tuple[str, str, str]:
    """(point, state, the other state), of what can be held: a point of two states. Raises CannotDo for any other."""
    point = short_name(profile, point)
    state = checked_point(profile, point, state)
    one = profile.by_point[point]
    targets = profile.targets[point]
    if len(targets) != 2:
        raise CannotDo(
            f"{one.label} has no two states, one to hold and one to let it go to.", "Drive it to one of them."
        )
    return point, state, next(other for other in targets if other != state)


async def drive(
    target: Target, profile: Profile, point: str, state: str, sessions: Sessions, records: Records, by: str
) -> dict[str, str]:
    """Drive and read back; returns all states. Raises ReadBackMismatch when it did not follow, Locked where somebody
    locked what it would change.

    The states before are asked on the same session, so who is there is proven before the journal
    names the device.
    """
    point = short_name(profile, point)
    state = checked_point(profile, point, state)
    intent = secrets.token_hex(8)
    talk = await sessions.talk(target, f"{by} drives", Priority.DRIVE)

    async def tell(kind: str, before: str | None, outcome: str = "", now: str | None = None, said: str = "") -> None:
        change = {"path": f"point:{point}", "from": before, "to": state}
        if kind == "outcome":
            change["read_back"] = now
        entry = JournalEntry(
            kind, "", target.device, target.line.id, target.address, "drive", by, intent,
            outcome=outcome, message=said, changes=(change,),
        )  # fmt: skip
        if kind == "intent":
            await records.intend(entry)
        else:
            await insist(lambda: records.conclude(entry), "what came of a drive")

    late = NoAnswer(
        f"{target.name} did not do it within {DRIVE_S:g} s, and it was given up. "
        f"Whether {point} followed is not known.",
        "Look at its state before it is driven again.",
        target=target.device,
    )
    # Never later than whoever pressed it is told: what switches a minute afterwards is a danger. What came of it
    # is written down without any limit.
    deadline = asyncio.get_running_loop().time() + DRIVE_S
    try:
        async with asyncio.timeout_at(deadline):
            states = await talk.states()
    except TimeoutError:
        raise NoAnswer(
            f"{target.name} did not tell its states within {DRIVE_S:g} s. Nothing was driven.",
            late.hint,
            target=target.device,
            outcome="not_sent",
        ) from None
    except NetloomError as error:
        error.outcome = "not_sent"  # of the drive: only its states were asked for
        raise
    if why := kept_from(await records.locks(target.device), profile, states, point, state):
        raise Locked(why, FREE_IT, target=target.device, outcome="not_sent")
    before = states.get(point)
    await tell("intent", before)
    try:
        async with asyncio.timeout_at(deadline):
            states, trouble = await _act(talk, point, state, states)
    except TimeoutError:
        await tell("outcome", before, "unknown", said=late.message)
        raise late from None
    except NetloomError as error:
        await tell("outcome", before, "failed" if error.outcome == "not_sent" else "unknown", said=error.message)
        raise
    except Exception as error:
        await tell("outcome", before, "unknown", said=own_fault(error).message)
        raise
    followed = states.get(point) in (state, *profile.by_point[point].by_way_of.get(state, []))
    unseen = point not in states
    word = "done" if followed else "failed"
    if unseen and not isinstance(trouble, DeviceError):  # else it said itself that it did not do it
        word = "unproven" if trouble is None else "unknown"
    await tell("outcome", before, word, states.get(point), trouble.message if trouble else "")
    if trouble is not None and not followed:
        raise trouble
    if not followed and not unseen:
        raise ReadBackMismatch(
            f"{point} of {target.name} is {states.get(point)!r} after being driven to {state!r}.",
            "A pulse may have ended already; otherwise something else holds it.",
            target=target.device,
            outcome="applied",
        )
    return states


async def _act(
    talk: Talk, point: str, state: str, states: dict[str, str]
) -> tuple[dict[str, str], NetloomError | None]:
    """The states after it, and what it answered if that was an error. Raises where no look tells what came of it."""
    trouble: NetloomError | None = None
    try:
        await talk.drive(point, state)
    except NetloomError as error:
        if error.outcome == "not_sent":
            raise
        trouble = error
    try:
        before = states.get(point)
        until = asyncio.get_running_loop().time() + FOLLOWS_S
        states = await talk.states()
        # It said yes: what tells its former state may follow in a moment.
        while trouble is None and states.get(point) == before not in (None, state):
            if asyncio.get_running_loop().time() >= until:
                break
            await asyncio.sleep(LOOK_AGAIN_S)
            states = await talk.states()
        return states, trouble
    except NetloomError as error:
        error.outcome = "unknown"  # of the drive, which was sent; that the look was not is another matter
        raise trouble or error from error
