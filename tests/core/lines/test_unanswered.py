"""What a unit with numbers of two bits may still answer."""

from __future__ import annotations

import asyncio
import itertools

import pytest

from netloom_core.bus.owner import NUMBERS, SerialOwner
from netloom_core.bus.unanswered import LATE_S, MOST_UNSETTLED, Unanswered
from netloom_core.errors import OutOfStep
from netloom_core.model.line import Line
from netloom_core.protocols.osdp import flows
from netloom_core.protocols.osdp.constants import REPLY_TIMEOUT_S, Cmd, Rep
from netloom_core.protocols.osdp.frames import Frame, Receiver, encode
from netloom_core.testing.far_end import FarEnd
from netloom_core.testing.virtual_time import run

UNIT = (4, 9600)
OLD, NEW = b"old", b"new"


def reply(code: int, number: int, data: bytes = b"") -> Frame:
    return Frame(4, code, data, number, reply=True)


async def with_names_open() -> Unanswered:
    """Under each number the name was asked for, and answered by what may be an older question's answer."""
    waiting = Unanswered()
    for number in (1, 2, 3):
        waiting.sent(UNIT, number, Cmd.ID, OLD)
    return waiting


def test_a_doubt_ends_with_a_question_that_was_not_open() -> None:
    async def asked() -> None:
        waiting = await with_names_open()
        assert waiting.in_doubt(UNIT, 1, Cmd.MFG, NEW)
        spent = waiting.question(UNIT, 1)
        assert spent.code == Cmd.CAP
        waiting.sent(UNIT, 1, spent.code, NEW)
        waiting.heard(UNIT, reply(Rep.PDCAP, 1))
        assert not any(waiting.in_doubt(UNIT, number, Cmd.MFG, NEW) for number in (1, 2, 3)), "it answers in order"

    run(asked())


def test_what_came_while_nobody_looked_may_have_come_in_time() -> None:
    """The answer to the first was there before its time was over, and is taken after that: it is not the second's."""

    async def asked() -> None:
        waiting = Unanswered()
        waiting.taken()
        waiting.sent(UNIT, 1, Cmd.ID, OLD)
        await asyncio.sleep(LATE_S - 1)
        waiting.sent(UNIT, 1, Cmd.ID, OLD)
        await asyncio.sleep(2)
        waiting.heard(UNIT, reply(Rep.PDID, 1))
        assert waiting.in_doubt(UNIT, 1, Cmd.MFG, NEW)
        waiting.taken()
        waiting.heard(UNIT, reply(Rep.PDID, 1))
        assert not waiting.in_doubt(UNIT, 1, Cmd.MFG, NEW)

    run(asked())


def test_an_answer_is_only_to_what_it_can_answer() -> None:
    async def asked() -> None:
        waiting = await with_names_open()
        waiting.sent(UNIT, 1, Cmd.FILETRANSFER, NEW)
        waiting.heard(UNIT, reply(Rep.PDCAP, 1))
        assert waiting.in_doubt(UNIT, 2, Cmd.MFG, NEW), "nobody asked for that: it tells nothing"
        waiting.heard(UNIT, reply(Rep.NAK, 1, b"\x03"))
        assert waiting.in_doubt(UNIT, 1, Cmd.MFG, NEW), "the name may have been refused, and not the file"
        waiting.heard(UNIT, reply(Rep.FTSTAT, 1))
        assert not waiting.in_doubt(UNIT, 3, Cmd.MFG, NEW)

    run(asked())


@pytest.mark.parametrize(("code", "doubt"), [(Cmd.FILETRANSFER, True), (Cmd.ISTAT, True), (Cmd.ID, False)])
def test_the_same_question_is_another_one_unless_its_answer_does_not_change(code: int, doubt: bool) -> None:
    async def asked() -> None:
        waiting = Unanswered()
        waiting.sent(UNIT, 1, code, OLD)
        assert waiting.in_doubt(UNIT, 1, code, OLD) == doubt
        assert waiting.in_doubt(UNIT, 1, code, NEW)
        assert not waiting.in_doubt(UNIT, 2, code, NEW)

    run(asked())


def test_who_says_no_to_every_question_is_left_alone_until_nothing_can_come() -> None:
    """Nothing tells to which of them it says no, so that no question ends the doubt."""
    asked: list[int] = []
    receiver = Receiver()

    def says(data: bytes) -> tuple[bytes, bytes | None]:
        said = b""
        for frame in receiver.feed(data):
            asked.append(frame.code)
            yes = frame.code == Cmd.OSTAT
            code, more = (Rep.OSTATR, bytes(1)) if yes else (Rep.NAK, b"\x03")
            said += encode(Frame(4, code, more, frame.sequence, reply=True))
        return b"", said or None

    async def work() -> None:
        owner = SerialOwner(Line("bus", "Bus", "serial", path="made up", speed=9600, protocol="osdp"), lambda one: "")
        owner._link = FarEnd(says, itertools.repeat(0.05), REPLY_TIMEOUT_S)
        for number, code in itertools.product(range(NUMBERS), 3 * [Cmd.ID, Cmd.CAP, Cmd.LSTAT, Cmd.ISTAT]):
            owner._unanswered.sent(UNIT, number, code, OLD)
        for _ in range(MOST_UNSETTLED):
            with pytest.raises(OutOfStep):
                await owner.converse(*UNIT, flows.status(Cmd.OSTAT, Rep.OSTATR, 1))
        count = len(asked)
        for _ in range(3):
            with pytest.raises(OutOfStep):
                await owner.converse(*UNIT, flows.status(Cmd.OSTAT, Rep.OSTATR, 1))
        assert len(asked) == count, "what is asked adds to what may come"
        await asyncio.sleep(LATE_S)
        assert await owner.converse(*UNIT, flows.status(Cmd.OSTAT, Rep.OSTATR, 1)) == [0]

    run(work())
