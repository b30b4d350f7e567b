"""Points that are held, or pulsed: let go whatever happens, and told where that cannot be."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Any

import pytest
import pytest_asyncio

from netloom_core.errors import Busy, CannotDo, NetloomError, OutOfRange
from netloom_core.library.load import Library
from netloom_core.testing.rig import Rig, device


@pytest_asyncio.fixture
async def rig(library: Library) -> AsyncIterator[Rig]:
    made = Rig(library, [device(library.need("hallvane-rx8"), 1)])
    yield made
    await made.engine.stop()


async def hold(
    rig: Rig, seconds: float = 2, by: str = "Ann", state: str = "on", point: str = "relay-1"
) -> dict[str, Any]:
    command = {"do": "hold", "device": "dev1", "point": point, "state": state, "by": by, "seconds": seconds}
    return await rig.engine.do(command)


async def let_go(rig: Rig) -> None:
    await rig.engine.do({"do": "let go", "device": "dev1", "point": "relay-1"})
    await asyncio.sleep(0.5)


async def held_while_it_works(rig: Rig, seconds: float) -> asyncio.Future[dict[str, Any]]:
    async def slow(name: str) -> None:
        if name == "drive relay-1":
            await asyncio.sleep(seconds)

    rig.box.before = slow
    pressed = asyncio.ensure_future(hold(rig, seconds=30))
    await asyncio.sleep(0.3)
    return pressed


def told(rig: Rig) -> list[tuple[str, str, str]]:
    return [(e.action, e.kind, e.outcome) for e in rig.entries()]


def notices(rig: Rig) -> list[str]:
    return [data["message"] for kind, data in rig.events.told if kind == "notice"]


async def test_a_pulse_ends_by_itself(rig: Rig) -> None:
    assert (await hold(rig, seconds=3))["states"]["relay-1"] == "on"
    await asyncio.sleep(2.5)
    assert rig.box.points["relay-1"] == "on"
    await asyncio.sleep(1)
    assert rig.box.points["relay-1"] == "off"
    drive = [("drive", "intent", ""), ("drive", "outcome", "done")]
    assert told(rig) == [("hold", "intent", ""), *drive, *drive, ("hold", "outcome", "done")]


async def test_it_is_held_while_it_is_asked_for_and_let_go_when_nobody_does(rig: Rig) -> None:
    await hold(rig)
    for _ in range(10):
        await asyncio.sleep(1)
        assert (await hold(rig))["states"] == {}, "held already"
        assert rig.box.points["relay-1"] == "on"
    await asyncio.sleep(3)  # the browser went away
    assert rig.box.points["relay-1"] == "off"


async def test_letting_go_is_at_once_and_nobody_takes_it_over(rig: Rig) -> None:
    await hold(rig, seconds=30)
    with pytest.raises(Busy, match="Ann holds"):
        await hold(rig, by="Ben")
    with pytest.raises(Busy):
        await hold(rig, state="off")
    await let_go(rig)  # whoever stands there may, also another one
    assert rig.box.points["relay-1"] == "off"
    await let_go(rig)  # a second time is no trouble
    assert (await hold(rig, by="Ben"))["states"]["relay-1"] == "on"


async def test_a_hand_that_is_there_for_ever_is_none(rig: Rig) -> None:
    await hold(rig)
    refused = 0
    for _ in range(620):
        await asyncio.sleep(1)
        try:
            await hold(rig)
        except Busy:
            refused += 1
    assert refused > 10, "it asks on and on, and is not heard"
    assert rig.box.points["relay-1"] == "off"
    await asyncio.sleep(3)
    assert (await hold(rig))["states"]["relay-1"] == "on", "after a pause it counts again"


async def test_let_go_while_it_is_still_driven(rig: Rig) -> None:
    """The device takes its time; whoever pressed has let go long before it answers."""
    pressed = await held_while_it_works(rig, 1.5)
    await let_go(rig)
    await pressed
    await asyncio.sleep(4)
    assert rig.box.points["relay-1"] == "off"


async def test_what_is_on_its_way_when_it_is_let_go_holds_it_no_longer(rig: Rig) -> None:
    """Also a second press while the device is still told: nobody is told that what was not driven is held."""
    slowly = rig.box.before
    pressed = await held_while_it_works(rig, 1.5)
    await rig.engine.do({"do": "let go", "device": "dev1", "point": "relay-1"})
    with pytest.raises(Busy, match="being let go"):
        await hold(rig, seconds=30)
    await pressed
    with pytest.raises(Busy, match="Nothing was driven"):
        await hold(rig, seconds=30)
    await asyncio.sleep(5)
    assert rig.box.points["relay-1"] == "off"
    rig.box.before = slowly
    assert (await hold(rig))["states"]["relay-1"] == "on"


async def test_a_device_that_goes_away_while_held_is_tried_again_and_said(rig: Rig) -> None:
    await hold(rig, seconds=1)
    rig.box.silent = True
    await asyncio.sleep(40)
    assert rig.box.points["relay-1"] == "on"
    assert len(notices(rig)) == 1
    assert "relay-1 of Box 1 is held on and could not be let go" in notices(rig)[0]
    rig.box.silent = False
    await asyncio.sleep(60)
    assert rig.box.points["relay-1"] == "off"
    assert told(rig)[-1] == ("hold", "outcome", "done")


async def test_one_that_never_follows_is_told_as_still_on(rig: Rig) -> None:
    await hold(rig, seconds=1)
    rig.box.silent = True
    await asyncio.sleep(1200)
    assert "may still be on" in notices(rig)[-1]
    assert told(rig)[-1] == ("hold", "outcome", "failed")
    rig.box.silent = False
    assert (await hold(rig))["states"]["relay-1"] == "on", "and it can be held again"


async def test_a_hold_that_fails_lets_go_too(rig: Rig) -> None:
    """The reply was lost: it may be on, so it is driven back."""

    async def lost(name: str) -> None:
        if name == "after drive" and rig.box.points["relay-1"] == "on":
            rig.box.silent = True

    usual, rig.box.before = rig.box.before, lost
    with pytest.raises(NetloomError):
        await hold(rig)
    rig.box.before = usual
    rig.box.silent = False
    await asyncio.sleep(20)
    assert rig.box.points["relay-1"] == "off"


async def test_what_was_never_driven_is_not_called_held(rig: Rig) -> None:
    """Nobody answers: nothing is tried again and again, and nobody is told that something is on."""
    rig.box.silent = True
    with pytest.raises(NetloomError):
        await hold(rig)
    assert told(rig)[-1] == ("hold", "outcome", "failed")
    rig.box.silent = False
    await asyncio.sleep(300)
    assert notices(rig) == []
    assert [entry for entry in told(rig) if entry[0] == "drive"] == []
    assert (await hold(rig))["states"]["relay-1"] == "on"


async def test_what_a_crash_left_held_is_let_go_at_the_next_start(rig: Rig) -> None:
    await hold(rig, seconds=30)
    rig.box.silent = True
    await rig.engine.stop()  # nothing can be let go any more
    rig.box.silent = False
    assert rig.box.points["relay-1"] == "on"
    rig.engine = rig._engine()
    await rig.engine.start()
    await asyncio.sleep(5)
    assert rig.box.points["relay-1"] == "off"
    assert told(rig)[-1] == ("hold", "outcome", "done")


async def test_what_somebody_drove_since_a_crash_is_let_be(rig: Rig) -> None:
    """Here it is off already: nothing is driven at the start."""
    await hold(rig, seconds=30)
    rig.box.silent = True
    await rig.engine.stop()
    rig.box.silent = False
    rig.box.points["relay-1"] = "off"
    before = len(told(rig))
    rig.engine = rig._engine()
    await rig.engine.start()
    await asyncio.sleep(5)
    assert told(rig)[before:] == [("hold", "outcome", "done")]


async def test_one_that_is_still_being_driven_when_the_server_ends_is_let_go(rig: Rig) -> None:
    pressed = await held_while_it_works(rig, 1)
    await rig.engine.stop()
    await asyncio.gather(pressed, return_exceptions=True)
    assert rig.box.points["relay-1"] == "off"


async def test_the_end_of_the_server_lets_go(rig: Rig) -> None:
    await hold(rig, seconds=30)
    await rig.engine.stop()
    assert rig.box.points["relay-1"] == "off"


async def test_what_cannot_be_held(rig: Rig) -> None:
    with pytest.raises(NetloomError):
        await hold(rig, point="input-1")
    with pytest.raises(OutOfRange):
        await hold(rig, state="sideways")
    with pytest.raises(NetloomError):
        await hold(rig, seconds=0)
    assert told(rig) == []


async def test_more_than_two_states_have_none_to_let_go_to(library: Library) -> None:
    profile = library.need("dunmarrow-dr5")
    made = Rig(library, [device(profile, 1)])
    with pytest.raises(CannotDo, match="two states"):
        await hold(made, point="lamp", state="red")
    await made.engine.stop()


async def drive(rig: Rig, state: str, by: str = "Ben", **more: Any) -> dict[str, Any]:
    return await rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": state, "by": by, **more})


async def test_what_another_one_holds_is_not_driven_to_stay(rig: Rig) -> None:
    await hold(rig, seconds=5)
    with pytest.raises(Busy, match=r"Ann holds relay-1 of Box 1 on for 5 s more\. Nothing was driven"):
        await drive(rig, "on")
    cell = {"device": "dev1", "point": "relay-1", "state": "off"}
    [taken] = (await rig.engine.do({"do": "take", "cells": [cell], "by": "Ben"}))["cells"]
    assert (taken["word"], rig.box.points["relay-1"]) == ("locked", "on")
    await asyncio.sleep(6)
    assert rig.box.points["relay-1"] == "off"
    assert (await drive(rig, "on"))["states"]["relay-1"] == "on"


async def test_who_takes_it_over_has_it_and_the_first_is_told(rig: Rig) -> None:
    await hold(rig, seconds=5)
    await drive(rig, "on", over=True)
    await asyncio.sleep(6)
    assert rig.box.points["relay-1"] == "on"
    assert notices(rig) == ["Ben took relay-1 of Box 1 over from Ann, who held it on."]
    [entry] = [one for one in rig.entries("outcome") if one.action == "hold"]
    assert (entry.outcome, entry.changes[0]["read_back"]) == ("unproven", None)


async def test_a_hold_of_which_the_state_is_not_told_is_not_called_let_go(rig: Rig) -> None:
    del rig.box.points["relay-1"]

    async def deaf(name: str) -> None:
        rig.box.points.pop("relay-1", None)

    rig.box.before = deaf
    await hold(rig, seconds=1)
    await asyncio.sleep(3)
    [entry] = [one for one in rig.entries("outcome") if one.action == "hold"]
    assert (entry.outcome, entry.changes[0]["read_back"]) == ("unproven", None)
