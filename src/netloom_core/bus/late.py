"""Answers that come late, on a line whose questions bear no numbers.

Whoever is asked answers in the order in which it was asked. After a question that was given up, up to as many answers
belong to earlier questions as were left without one; nothing in an answer shows whose it is. So the same is asked
until it was answered alike once more often than that: one of those answers is its own. Then as many are owed as before,
to this question, unless all came in time and were alike. Answers to different questions may be alike, too, so one of
them may still be on its way when nothing is owed any more: before the next question nothing may be heard for as long as
an answer usually takes. It costs nothing while all is answered, and a few questions more after somebody was away.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import TypeVar, cast

from netloom_core.errors import NetloomError, NoAnswer, OutOfStep, ProtocolError
from netloom_core.patience import Patience, heard

Result = TypeVar("Result")
LATE = 5.0  # times as long as an answer usually takes: what was not answered by then never will be
MOST_OWED = 6  # with more the same is not asked often enough; nor is anything, before some have come
HEARD_OUT_S = 1.0  # at most, since others wait for the line: most of what is late comes by then
TRIES = 3  # times as many questions as would do


class Owed:
    """What one unit may still say to earlier questions."""

    def __init__(self) -> None:
        self._until: list[float] = []  # of each answer that is owed, in the event loop's time
        self._due = 0.0
        self._settled = True  # nothing is on its way: nobody is late, or it was silent since
        self.usual = 0.0
        self.untold = 0  # commands that are answered only by a refusal, since the last answer

    def left_waiting(self, seconds: float) -> None:
        """One answer is missing. They usually come within `seconds`."""
        now = asyncio.get_running_loop().time()
        self.usual = seconds if self._settled else max(seconds, self.usual)
        self._settled = False
        self._due = max(self._due, now + min(seconds, HEARD_OUT_S))
        self._until = [*self._until, now + LATE * seconds]

    def left(self) -> float:
        """Seconds for which it is heard out before anybody asks anew."""
        return self._due - asyncio.get_running_loop().time()

    def answers(self) -> int:
        now = asyncio.get_running_loop().time()
        self._until = [until for until in self._until if until > now]
        return len(self._until)

    async def silence(self, hear: Callable[[float], Awaitable[bytes]]) -> None:
        """Once nothing is owed any more: until what is on its way has come. One who talks all the time is not waited
        for longer than for one who is late."""
        if self._settled:
            return
        patience = Patience(LATE * self.usual)
        while await heard(hear, patience.rest(self.usual)):
            pass
        self._settled = True

    def renew(self) -> None:
        """As many are owed still: to the questions that earlier answers were taken for."""
        until = asyncio.get_running_loop().time() + LATE * self.usual
        self._until = [until] * len(self._until)


async def surely(ask: Callable[[], Awaitable[Result]], owed: Owed, hear: Callable[[float], Awaitable[bytes]]) -> Result:
    """The answer to this question though others may come before it; a refusal is one, too. `hear` is what comes within
    so many seconds.

    Raises OutOfStep where what it says does not settle, and what asking and hearing raise.
    """
    count = owed.answers()
    if not count:
        await owed.silence(hear)
        return await ask()
    clock = asyncio.get_running_loop().time
    if count > MOST_OWED:
        await heard(hear, Patience(owed.usual))
        raise out_of_step()
    begun, longest, alike, settled = clock(), 0.0, 0, False
    last: object = None
    try:
        for asked in range(1 + TRIES * count):
            said = await _outcome(ask)
            longest, begun = max(longest, clock() - begun), clock()
            alike = alike + 1 if asked and _alike(said, last) else 0
            last = said
            if alike == count:
                settled = asked == count and longest <= owed.usual
                if isinstance(said, NetloomError):
                    raise said
                return cast(Result, said)
        settled = True  # or a value that is another one each time: that is no reason to doubt for longer
    finally:
        if not settled:
            owed.renew()
    raise out_of_step()


def out_of_step() -> OutOfStep:
    return OutOfStep(
        "It left a question without an answer a moment ago, and what it says now may still be the answer to that.",
        "Read it again in a moment.",
    )


async def _outcome(ask: Callable[[], Awaitable[object]]) -> object:
    try:
        return await ask()
    except (NoAnswer, ProtocolError):
        raise
    except NetloomError as refusal:
        return refusal


def _alike(one: object, other: object) -> bool:
    if isinstance(one, NetloomError) and isinstance(other, NetloomError):
        return type(one) is type(other) and one.message == other.message
    return one == other
