"""A text that is said again and again: proven by what the device tells, ended by anybody, looked at afterwards."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Any

import pytest
import pytest_asyncio

from netloom_core.errors import Busy, Fenced, NoAnswer, OutOfRange, UnknownSetting
from netloom_core.library.load import Library
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import BUS, Rig, device

AFTER_S = 3.0


class Display:
    """What a line display does with what it is told: it goes on by itself when it is told nothing for a while."""

    def __init__(self, box: MemoryDevice) -> None:
        self.box, self.times, self.dead, self.stays = box, [], False, False  # type: ignore[var-annotated]
        self._alone: asyncio.TimerHandle | None = None
        box.before = self._before
        box.points = {"text": "own", "source": "own", "keys": "on"}

    async def _before(self, name: str) -> None:
        if self.dead:
            raise NoAnswer("It says nothing.")
        if name != "drive text":
            return
        loop = asyncio.get_running_loop()
        self.times.append(loop.time())
        if self._alone is not None:
            self._alone.cancel()
        self.box.points |= {"source": "outside", "keys": "off"}
        self._alone = loop.call_later(AFTER_S, self._by_itself)

    def _by_itself(self) -> None:
        if not self.stays:
            self.box.points |= {"text": "own", "source": "own", "keys": "on"}


@pytest_asyncio.fixture
async def rig(library: Library) -> AsyncIterator[Rig]:
    made = Rig(library, [device(library.need("quenby-ld2"), 1)], BUS)
    yield made
    await made.engine.stop()


async def feed(rig: Rig, text: str = "Gate 2", **more: Any) -> dict[str, Any]:
    command = {"do": "feed", "device": "dev1", "point": "text", "text": text, "by": "Ann", **more}
    return dict((await rig.engine.do(command))["feed"])


async def now(rig: Rig) -> dict[str, Any]:
    return dict((await rig.engine.do({"do": "feed now", "device": "dev1"}))["feed"])


async def end(rig: Rig) -> None:
    await rig.engine.do({"do": "end feed", "device": "dev1", "by": "Ben"})


def holds(told: dict[str, Any]) -> list[bool | None]:
    return [one["holds"] for one in told["told"]]


async def test_it_is_said_at_its_rate_until_its_time_is_over(rig: Rig) -> None:
    display = Display(rig.box)
    told = await feed(rig, every=0.5, minutes=1)
    assert (told["phase"], told["by"]) == ("saying", "Ann")
    await asyncio.sleep(30)
    told = await now(rig)
    assert holds(told) == [True, True, True]
    assert 59 <= told["said"] <= 62
    assert {round(b - a, 2) for a, b in zip(display.times, display.times[1:], strict=False)} == {0.5}
    await asyncio.sleep(40)
    told = await now(rig)
    assert told["phase"] == "over"
    assert told["shown"] == told["looks"] > 10
    assert 2.4 <= told["alone_after"] <= 3.6, "it went on by itself after the last one"
    assert "Its time was over." in told["account"]
    [intent, outcome] = rig.entries()
    assert (intent.action, outcome.outcome, outcome.changes[0]["read_back"]) == ("feed", "done", "Gate 2")


async def test_anybody_ends_it_at_once_and_it_is_looked_at(rig: Rig) -> None:
    display = Display(rig.box)
    await feed(rig, minutes=100)
    await asyncio.sleep(5)
    await end(rig)
    said = len(display.times)
    await asyncio.sleep(1)
    told = await now(rig)
    assert (told["phase"], holds(told)) == ("ending", [False, False]), "it still shows it"
    await end(rig)  # a second time is no trouble
    await asyncio.sleep(4)
    told = await now(rig)
    assert told["phase"] == "over"
    assert "Ben ended it" in told["account"]
    assert len(display.times) == said
    rig.every_intent_has_its_outcome()


async def test_one_that_takes_it_and_does_not_show_it_is_not_called_proven(rig: Rig) -> None:
    Display(rig.box)
    rig.box.lies_about = "text"
    await feed(rig, minutes=0.2)
    await asyncio.sleep(5)
    assert holds(await now(rig)) == [False, True, True]
    await asyncio.sleep(30)
    assert (await now(rig))["shown"] == 0
    assert [one.outcome for one in rig.entries("outcome")] == ["failed"]


async def test_one_that_goes_on_showing_it_is_told(rig: Rig) -> None:
    Display(rig.box).stays = True
    await feed(rig, minutes=0.2)
    await asyncio.sleep(30)
    told = await now(rig)
    assert (told["phase"], told["alone_after"], holds(told)) == ("over", None, [False, False])
    assert "did not tell within 8 s" in told["account"]
    assert [one.outcome for one in rig.entries("outcome")] == ["failed"]


async def test_a_pulled_cable_is_told_and_it_goes_on_when_it_is_back(rig: Rig) -> None:
    display = Display(rig.box)
    await feed(rig, every=1)
    await asyncio.sleep(4)
    display.dead = True
    await asyncio.sleep(10)
    told = await now(rig)
    assert told["trouble"] == "It says nothing."
    assert holds(told) == [None, None, None], "what it showed before is not known any more"
    assert told["failed"] in (5, 6), "every two seconds"
    display.dead = False
    await asyncio.sleep(6)
    told = await now(rig)
    assert (told["trouble"], holds(told)) == ("", [True, True, True])


async def test_what_may_not_be_driven_is_not_said_again_and_again(rig: Rig) -> None:
    display = Display(rig.box)
    rig.record().fences["text"] = "Painters"
    with pytest.raises(Fenced, match="Painters"):
        await feed(rig)
    assert not display.times
    rig.record().fences.clear()
    await feed(rig)
    await asyncio.sleep(4)
    rig.record().fences[""] = "Painters"  # while it is said
    await asyncio.sleep(12)
    told = await now(rig)
    assert told["phase"] == "over"
    assert "Painters" in told["account"]
    rig.every_intent_has_its_outcome()


async def test_what_is_asked_for_wrongly_is_refused_before_anything_is_sent(rig: Rig) -> None:
    display = Display(rig.box)
    for wrong, error in (
        ({"every": 0.1}, OutOfRange),
        ({"every": 5}, OutOfRange),  # it would show its own text in between
        ({"text": "x" * 41}, OutOfRange),
        ({"text": "naïve"}, OutOfRange),
        ({"point": "source"}, UnknownSetting),
        ({"point": "nothing"}, UnknownSetting),
    ):
        with pytest.raises(error):
            await feed(rig, **wrong)
    assert not display.times
    assert not rig.entries()
    await feed(rig)
    with pytest.raises(Busy, match="being fed already"):
        await feed(rig, text="Gate 3")


async def test_the_end_of_the_server_ends_it_and_its_outcome_is_written(rig: Rig) -> None:
    Display(rig.box)
    await feed(rig)
    await asyncio.sleep(4)
    await rig.kill()
    rig.every_intent_has_its_outcome()
    message = rig.entries("outcome")[0].message
    assert "cut off" in message
    assert "What it did afterwards was not looked at." in message
    assert (await rig.engine.do({"do": "feed now", "device": "dev1"}))["feed"] is None


async def test_a_stranger_at_its_place_is_told_nothing(rig: Rig) -> None:
    display = Display(rig.box)
    await feed(rig)
    await asyncio.sleep(3)
    said = len(display.times)
    rig.box.identity = type(rig.box.identity)("Quenby", "LD2", "S-9999")
    rig.box.connection += 1
    await asyncio.sleep(20)
    assert len(display.times) == said
    assert "not Box 1" in (await now(rig))["trouble"]


async def test_what_was_not_answered_may_have_come_and_is_looked_at_afterwards(rig: Rig) -> None:
    display = Display(rig.box)
    before = rig.box.before

    async def unanswered(name: str) -> None:
        await before(name)
        if name == "drive text":
            raise NoAnswer("It said nothing after it.")

    rig.box.before = unanswered
    await feed(rig, minutes=0.1)
    await asyncio.sleep(30)
    told = await now(rig)
    assert display.times, "it came"
    assert (told["said"], told["failed"] > 0) == (0, True)
    assert told["alone_after"] is not None, "it showed it, and went on by itself"


async def test_a_look_that_fails_is_no_message_that_was_lost(rig: Rig) -> None:
    display = Display(rig.box)
    before = rig.box.before

    async def silent_when_looked_at(name: str) -> None:
        await before(name)
        if name == "states" and len(display.times) == 5:
            raise NoAnswer("It does not tell.")

    rig.box.before = silent_when_looked_at
    await feed(rig, every=1, minutes=0.2)
    await asyncio.sleep(4.5)
    told = await now(rig)
    assert (told["failed"], told["trouble"], holds(told)) == (0, "It does not tell.", [None, None, None])
    await asyncio.sleep(3)
    assert holds(await now(rig)) == [True, True, True]
