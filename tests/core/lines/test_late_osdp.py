"""An OSDP unit that answers late, or never: its numbers go from 0 to 3 only, and begin anew with each talk."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.bus.owner import Owners
from netloom_core.documents.tree import get
from netloom_core.drivers.registry import OPENERS
from netloom_core.errors import NetloomError, NoAnswer, NobodyThere, OutOfStep, Unproven, WrongCredentials
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import Line
from netloom_core.protocols.osdp import frames
from netloom_core.protocols.osdp.constants import REPLY_TIMEOUT_S, RETRIES
from netloom_core.testing.far_end import FarEnd
from netloom_core.testing.virtual_time import run
from netloom_standins.osdp_line import OsdpUnit
from netloom_standins.site import BUS, single

KEY = "00112233445566778899aabbccddeeff"
LEVEL = "/lamp/level"
VALUES = {"running": 33, "startup": 80}  # what it has, and what it would start with
IN_TIME = 0.05
LONG_S = 12  # twice as long as any answer is awaited
PATTERNS = st.lists(st.one_of(st.none(), st.floats(0.01, 0.9), st.floats(0.01, 24)), min_size=1, max_size=14)


class Far:
    """The unit behind its port. At the answers numbered in `cuts` its power is away for a moment."""

    def __init__(self, library: Library, secured: bool, delays: Iterator[float | None], cuts: set[int]) -> None:
        key = KEY if secured else ""
        self.unit: OsdpUnit = single(library, "dunmarrow-dr5", "00A41C55", "4", BUS, key=key, must=secured)
        self.unit.memory.set(LEVEL, VALUES["running"])
        self.asked, self._cuts, self._receiver = 0, cuts, frames.Receiver()
        self.names: list[str] = []
        line, owners = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol="osdp"), Owners()
        owners.serial(line)._link = FarEnd(self._reply, delays, REPLY_TIMEOUT_S)
        logins = (Credentials("", KEY),) if secured else ()
        target = Target("d", "Gate reader", "dunmarrow-dr5", line, "4", 9600, credentials=logins)
        profile = library.need("dunmarrow-dr5")
        self.driver: Any = OPENERS["osdp"](target, profile, next(iter(profile.channels)), owners)

    def _reply(self, asked: bytes) -> tuple[bytes, bytes | None]:
        said = b""
        for frame in self._receiver.feed(asked):
            self.asked += 1
            if self.asked in self._cuts:
                self.unit.forget_talk()
            said += self.unit.answer(frame)
        return b"", said or None

    async def told(self, times: int) -> list[Any]:
        """The lamp's level in each set of values as it is believed, and the errors."""
        heard: list[Any] = []
        for which in ("running", "startup") * times:
            try:
                heard.append((which, await self._level(which)))
            except NetloomError as error:
                heard.append(error)
        return heard

    async def _level(self, which: str) -> Any:
        """As a session does: who lost its proof on the way is proven once again."""
        for last in (False, True):
            try:
                if self.driver._trusted is None or self.driver.connection != self.driver._trusted:
                    self.names.append((await self.driver.identify()).serial)
                    self.driver.trust(self.driver.connection)
                return get(await self.driver.read(which), LEVEL)
            except Unproven:
                if last:
                    raise
        raise AssertionError


def of_others(heard: list[Any]) -> list[Any]:
    """What was believed and is another question's."""
    return [one for one in heard if isinstance(one, tuple) and VALUES[one[0]] != one[1]]


@pytest.mark.parametrize("secured", [False, True])
@settings(max_examples=80, deadline=None)
@given(first=PATTERNS, cuts=st.sets(st.integers(2, 20), max_size=1))
def test_no_value_is_ever_another_ones(
    library: Library, secured: bool, first: list[float | None], cuts: set[int]
) -> None:
    """What it would start with is never what it has: else something is called kept that is not."""

    def delays() -> Iterator[float | None]:
        yield from first
        while True:
            yield IN_TIME

    far = Far(library, secured, delays(), cuts)

    async def asked() -> list[Any]:
        heard = await far.told(8)
        for _ in range(LONG_S):  # one that is left alone for a moment has its time, too
            await asyncio.sleep(1)
            heard += await far.told(1)
        return heard

    heard = run(asked())
    assert of_others(heard) == [], heard
    assert set(far.names) <= {"00A41C55"}
    assert heard[-1] == ("startup", 80), "it is in step again"
    errors = [one for one in heard if isinstance(one, NetloomError)]
    assert all(isinstance(error, NoAnswer) for error in errors), errors


@settings(max_examples=80, deadline=None)
@given(first=PATTERNS, cuts=st.sets(st.integers(2, 20), max_size=1))
def test_no_value_is_one_from_before_it_was_asked_for(
    library: Library, first: list[float | None], cuts: set[int]
) -> None:
    """The same question's answer from a moment before would tell what it had then: here it has another value each time
    that it is asked."""
    far = Far(library, False, itertools.chain(first, itertools.repeat(IN_TIME)), cuts)
    answer, stale, values = far.unit.answer, [], 101

    def changed(frame: frames.Frame) -> bytes:
        far.unit.memory.set(LEVEL, far.asked % values)
        return answer(frame)

    async def asked() -> None:
        for _ in range(12):
            before = far.asked
            try:
                value = await far._level("running")
            except NetloomError:
                continue
            if value not in [n % values for n in range(before + 1, far.asked + 1)]:
                stale.append((value, before, far.asked))

    far.unit.answer = changed  # type: ignore[method-assign]
    run(asked())
    assert not stale
    assert far.asked < values


@pytest.mark.parametrize("delay", [0.02, 0.9])
def test_who_answers_in_time_is_asked_once(library: Library, delay: float) -> None:
    def delays() -> Iterator[float]:
        while True:
            yield delay

    far = Far(library, False, delays(), set())
    assert of_others(run(far.told(3))) == []
    assert far.asked == 1 + 6


def test_a_unit_that_is_back_is_asked_one_question_more(library: Library) -> None:
    """Not a second is waited for what may still come."""

    delays = itertools.chain([None, IN_TIME], [None] * (1 + RETRIES), itertools.repeat(IN_TIME))
    far = Far(library, False, delays, set())

    async def seconds() -> float:
        begun = asyncio.get_running_loop().time()
        lost, kept = await far.told(1)
        assert isinstance(lost, NobodyThere)
        assert kept == ("startup", 80)
        assert far.asked == 2 + (1 + RETRIES) + 3  # its name twice, once under the number of what was given up
        return asyncio.get_running_loop().time() - begun

    assert run(seconds()) < (3 + RETRIES) * 1.2 * REPLY_TIMEOUT_S


def test_another_keys_unit_is_told_at_once_and_not_for_a_late_answer(library: Library) -> None:
    far = Far(library, True, itertools.repeat(IN_TIME), set())
    far.unit.key = bytes(16)

    async def asked() -> float:
        begun = asyncio.get_running_loop().time()
        with pytest.raises(WrongCredentials):
            await far.driver.identify()
        return asyncio.get_running_loop().time() - begun

    assert run(asked()) < 5 * REPLY_TIMEOUT_S


def test_a_unit_that_will_not_finish_its_secure_channel_is_not_called_one_without(library: Library) -> None:
    """Each challenge that is said again makes a new one of it: then the first answer leads nowhere."""
    far = Far(library, True, itertools.cycle([1.4, IN_TIME, IN_TIME]), set())

    async def asked() -> None:
        with pytest.raises(OutOfStep):
            await far.driver.identify()

    run(asked())


def test_another_unit_in_its_place_is_told_nothing(library: Library) -> None:
    """It was changed since the one on record was proven: it expects another number, and gets no value."""
    far = Far(library, False, itertools.repeat(IN_TIME), set())

    async def swapped() -> None:
        await far.told(1)
        far.unit = single(library, "dunmarrow-dr5", "00A41C66", "4", BUS)
        with pytest.raises(Unproven):
            await far.driver.write([Change(LEVEL, 33, 55)])
        assert (await far.driver.identify()).serial == "00A41C66"

    run(swapped())
    assert far.unit.memory.value(LEVEL) == 80


def test_a_reply_in_pieces_with_a_pause_between_makes_sense(library: Library) -> None:
    """As a busy computer hands it over: half of it in time, the rest later than its line time."""
    far = Far(library, False, itertools.repeat(IN_TIME), set())
    link = far.driver._owner._link
    come = link._come

    def in_pieces(data: bytes) -> None:
        come(data[:5])
        asyncio.get_running_loop().call_later(REPLY_TIMEOUT_S + 0.4, come, data[5:])

    link._come = in_pieces
    assert run(far.told(1)) == [("running", 33), ("startup", 80)]
    assert far.asked == 1 + 2
