"""A line that is gone in the middle of something that acts: that nothing was sent is said only where nothing was."""

from __future__ import annotations

import itertools
from collections.abc import Awaitable, Callable
from typing import Any, cast

import pytest

from netloom_core.bus.turns import Priority
from netloom_core.errors import NetloomError, NoAnswer, PortMissing, ProtocolError, Unproven
from netloom_core.library.load import Library
from netloom_core.live.session import Session, Talk
from netloom_core.model.change import Change
from netloom_core.protocols.osdp import frames
from netloom_core.protocols.osdp.constants import Cmd
from netloom_core.testing.devices import ALL
from netloom_core.testing.far_end import FarEnd
from netloom_core.testing.virtual_time import run
from tests.core.lines.test_late import WAYS, far
from tests.core.lines.test_late_load import Far

BREAK = "5\x07"  # what no dialogue can say
THREE = [Change(f"/{name}", 1, 5) for name in "abc"]


class Once:
    """A session that hands each call to one driver, as often as a real one would."""

    def __init__(self, driver: Any) -> None:
        self.driver, self.target, self.abilities = driver, driver.target, ALL

    async def call(self, who: str, priority: Priority, ask: Callable[[Any], Awaitable[Any]], **more: Any) -> Any:
        for last in (False, True):
            try:
                return await ask(self.driver)
            except Unproven:
                if last:
                    raise
        raise AssertionError


def talk(session: Once) -> Talk:
    return Talk(cast(Session, session), "test", Priority.RUN)


def takes(asked: bytes) -> tuple[bytes, bytes | None]:
    """Each line, or each register."""
    if asked[:1] == b"\x07":
        return (asked[8:], asked[:8]) if len(asked) >= 8 else (asked, None)
    _, end, rest = asked.partition(b"\r\n")
    return (rest, b"ok\r\n") if end else (asked, None)


@pytest.mark.parametrize("gone_at", [1, 2, 3])
@pytest.mark.parametrize("way", [way for way in WAYS if not way.startswith("framed")])  # which is not answered there
def test_a_port_that_is_gone_after_a_command_left_says_that_nobody_knows(way: str, gone_at: int) -> None:
    async def work() -> tuple[str, int]:
        driver, sent = far(way, takes, itertools.repeat(0.01)), 0
        there: FarEnd = driver.there
        write = there.write

        def count(data: bytes) -> None:
            nonlocal sent
            sent += 1
            write(data)
            there.breaks = sent == gone_at

        there.write = count  # type: ignore[method-assign]
        with pytest.raises(PortMissing) as told:
            await talk(Once(driver)).write(THREE)
        return told.value.outcome, sent

    assert run(work()) == ("unknown", gone_at)


@pytest.mark.parametrize(("values", "outcome", "sent"), [((BREAK, 5), "not_sent", 0), ((5, BREAK), "unknown", 1)])
def test_what_cannot_be_said_is_not_sent_but_what_was_said_before_it(
    values: tuple[Any, ...], outcome: str, sent: int
) -> None:
    async def work() -> tuple[str, int]:
        asked = 0

        def heard(data: bytes) -> tuple[bytes, bytes | None]:
            nonlocal asked
            left, said = takes(data)
            asked += said is not None
            return left, said

        session = talk(Once(far("dialogue", heard, itertools.repeat(0.01))))
        with pytest.raises(ProtocolError) as told:
            await session.write([Change(f"/{name}", 1, value) for name, value in zip("ab", values, strict=True)])
        return told.value.outcome, asked

    assert run(work()) == (outcome, sent)


class Acts:
    """Whose talk has to be proven anew at its first call."""

    def __init__(self, acts: bool) -> None:
        self.target = far("dialogue", takes, itertools.repeat(0.01)).target
        self.acted, self.begun, self._acts = False, 0, acts

    async def restart(self) -> None:
        self.begun, self.acted = self.begun + 1, self._acts
        if self.begun == 1:
            raise Unproven("It has begun anew.")

    async def write(self, changes: Any) -> None:
        await self.restart()


def test_a_procedure_of_which_a_part_was_said_is_not_begun_again() -> None:
    async def work() -> None:
        nothing_yet, partly, again = Acts(False), Acts(True), Acts(True)
        await talk(Once(nothing_yet)).restart()
        with pytest.raises(NoAnswer, match="began its talk anew after a part of that") as told:
            await talk(Once(partly)).restart()
        assert told.value.outcome == "unknown"
        await talk(Once(again)).write([])
        assert (nothing_yet.begun, partly.begun, again.begun) == (2, 1, 2), "a value may be said twice"

    run(work())


def test_a_unit_that_was_switched_off_and_on_before_is_proven_anew_and_told_once(library: Library) -> None:
    bus, restarts = Far(library, []), []
    bus.unit.restart_soon = lambda: restarts.append(True)  # type: ignore[method-assign]

    async def work(one: Talk) -> None:
        await one.read("running")
        bus.unit.forget_talk()
        await one.restart()

    bus.does(work)
    assert restarts == [True]


@pytest.mark.parametrize(("lost", "outcome"), [(Cmd.ID, "not_sent"), (Cmd.MFG, "unknown")])
def test_a_bus_that_is_gone_with_the_write_and_one_that_is_gone_before(
    library: Library, lost: int, outcome: str
) -> None:
    heard: list[str] = []
    bus = Far(library, [])
    answer = bus.unit.answer

    def gone(frame: frames.Frame) -> bytes:
        if frame.code == lost:
            raise PortMissing("The port is gone.")
        return answer(frame)

    bus.unit.answer = gone  # type: ignore[method-assign]

    async def work(one: Talk) -> None:
        try:
            await one.write([Change("/lamp/level", 80, 33)])
        except NetloomError as error:
            heard.append(error.outcome)

    bus.does(work)
    assert heard == [outcome]
