"""Commands that a unit may still answer, where a command bears a number of two bits: OSDP.

A unit answers in the order in which it is asked, so an answer tells that nothing before its command will come any more.
The numbers begin anew with each talk that is given up: a late answer to a command of the old talk then bears the
number of one of the new. So a number is not used for another command while the old one may still be answered. It is
spent on a question whose answer nobody needs, and not on one of the old: its answer would not tell to which of the two.
When its own answer is there, all before it were answered, or never will be.
"""

from __future__ import annotations

import asyncio
from collections.abc import Hashable
from typing import NamedTuple

from netloom_core.protocols.osdp.constants import NAK_CHECK, NAK_LENGTH, NAK_SEQUENCE, Cmd, Rep
from netloom_core.protocols.osdp.frames import Frame
from netloom_core.protocols.osdp.messages import Command, capabilities, identify

LATE_S = 5.0  # an answer that has not come by then will not; a server for serial lines may hold one up for seconds
MISHEARD = (NAK_CHECK, NAK_LENGTH, NAK_SEQUENCE)
MOST = 64
MOST_UNSETTLED = 6
# Questions with an answer of their own, which nothing else that we send is answered by.
ALONE = {Cmd.ID: Rep.PDID, Cmd.CAP: Rep.PDCAP, Cmd.LSTAT: Rep.LSTATR, Cmd.ISTAT: Rep.ISTATR}
STEADY = (Cmd.ID, Cmd.CAP)
QUESTIONS = (identify(), capabilities(), Command(Cmd.LSTAT), Command(Cmd.ISTAT))


class Sent(NamedTuple):
    number: int
    code: int
    data: bytes
    until: float  # of the event loop's time; after it no answer comes


class Unanswered:
    """Of one line, by unit and speed."""

    def __init__(self) -> None:
        self._sent: dict[Hashable, list[Sent]] = {}
        self._unsettled: dict[Hashable, int] = {}  # how often in a row
        self._rests: dict[Hashable, float] = {}
        self._taken = float("-inf")

    def taken(self) -> None:
        """All that came on the line until now was given to `heard`: what was too late by now did not come."""
        self._taken = asyncio.get_running_loop().time()

    def sent(self, unit: Hashable, number: int, code: int, data: bytes) -> None:
        until = asyncio.get_running_loop().time() + LATE_S
        self._sent[unit] = [*self._left(unit)[1 - MOST :], Sent(number, code, data, until)]

    def heard(self, unit: Hashable, frame: Frame) -> Sent | None:
        """The first command that it may answer; it may be the answer to a later one, too. None where nobody asked."""
        if frame.code == Rep.BUSY or (frame.code == Rep.NAK and frame.data[:1] and frame.data[0] in MISHEARD):
            return None  # it may bear another number than the command's (7, BUSY and NAK)
        waiting = self._left(unit)
        for n, one in enumerate(waiting):
            if one.number == frame.sequence and _may_answer(frame.code, one.code):
                self._sent[unit] = waiting[n + 1 :]
                return one
        return None

    def in_doubt(self, unit: Hashable, number: int, code: int, data: bytes) -> bool:
        """Whether an answer with that number may be to what was asked before. The very same question is another one
        each time, unless it is for what does not change: an older answer does as well then."""
        return any(one.number == number and (code not in STEADY or one.data != data) for one in self._open(unit))

    def question(self, unit: Hashable, number: int) -> Command:
        """What to spend a number on."""
        asked = {one.code for one in self._open(unit) if one.number == number}
        return next((one for one in QUESTIONS if one.code not in asked), QUESTIONS[0])

    def settled(self, unit: Hashable) -> None:
        self._unsettled.pop(unit, None)

    def unsettled(self, unit: Hashable) -> None:
        """Questions did not end the doubt. Where that is so again and again, it is asked nothing until nothing can come
        any more: each further question would only add to what may."""
        self._unsettled[unit] = self._unsettled.get(unit, 0) + 1
        if self._unsettled[unit] >= MOST_UNSETTLED:
            self.settled(unit)
            self._rests[unit] = asyncio.get_running_loop().time() + self.left(unit)

    def rests(self, unit: Hashable) -> bool:
        if unit in self._rests and self._rests[unit] <= asyncio.get_running_loop().time():
            del self._rests[unit]
        return unit in self._rests

    def left(self, unit: Hashable) -> float:
        """Seconds until nothing can come any more."""
        waiting = self._open(unit)
        return waiting[-1].until - asyncio.get_running_loop().time() if waiting else 0.0

    def _open(self, unit: Hashable) -> list[Sent]:
        """What may still be answered from now on."""
        now = asyncio.get_running_loop().time()
        return [one for one in self._left(unit) if one.until > now]

    def _left(self, unit: Hashable) -> list[Sent]:
        """With that to which an answer may have come since the line was looked at last."""
        left = [one for one in self._sent.pop(unit, ()) if one.until > self._taken]
        if left:
            self._sent[unit] = left
        return left


def _may_answer(reply: int, command: int) -> bool:
    if reply == Rep.NAK:
        return True
    return ALONE.get(command) == reply if command in ALONE else reply not in ALONE.values()
