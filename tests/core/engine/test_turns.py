"""Turns: the most urgent first, bounded, and never lost by being cancelled."""

import asyncio

import pytest

from netloom_core.bus.turns import Priority, Turns
from netloom_core.errors import Busy


async def test_the_most_urgent_goes_first_then_who_asked_first() -> None:
    turns, order = Turns("the line"), []

    async def want(name: str, priority: Priority) -> None:
        async with turns.turn(priority, name, 100):
            order.append(name)
            await asyncio.sleep(1)

    tasks = [asyncio.ensure_future(want("first", Priority.SWEEP))]
    await asyncio.sleep(0.1)
    asked = [("sweep", Priority.SWEEP), ("watch", Priority.WATCH), ("run", Priority.RUN), ("drive", Priority.DRIVE),
             ("run two", Priority.RUN)]  # fmt: skip
    tasks += [asyncio.ensure_future(want(*one)) for one in asked]
    await asyncio.gather(*tasks)
    assert order == ["first", "drive", "run", "run two", "watch", "sweep"]


async def test_waiting_is_bounded_and_says_who_has_it() -> None:
    turns = Turns("the line Gate bus")
    async with turns.turn(Priority.CONSOLE, "console of anna", 1):
        with pytest.raises(Busy, match="console of anna has the line Gate bus"):
            async with turns.turn(Priority.RUN, "run", 5):
                raise AssertionError
    assert turns.free


@pytest.mark.parametrize("rounds", range(6))
async def test_being_cancelled_at_any_moment_passes_the_turn_on(rounds: int) -> None:
    turns = Turns("the line")
    held = asyncio.Event()

    async def hold() -> None:
        async with turns.turn(Priority.RUN, "holder", 10):
            await held.wait()

    async def want() -> None:
        async with turns.turn(Priority.RUN, "waiter", 10):
            await asyncio.sleep(0)

    holder, waiter = asyncio.ensure_future(hold()), asyncio.ensure_future(want())
    await asyncio.sleep(0.1)
    held.set()
    for _ in range(rounds):
        await asyncio.sleep(0)
    waiter.cancel()
    await asyncio.gather(holder, waiter, return_exceptions=True)
    async with turns.turn(Priority.RUN, "next", 1):
        assert turns.holder == "next"


async def test_a_long_queue_has_an_end_and_those_that_push_in_do_not_move_it_on() -> None:
    turns = Turns("the line")

    async def want(priority: Priority, seconds: float) -> str:
        try:
            async with turns.turn(priority, "somebody", 5):
                await asyncio.sleep(seconds)
                return "had it"
        except Busy:
            return "busy"

    queue = [asyncio.ensure_future(want(Priority.RUN, 4)) for _ in range(8)]
    assert await asyncio.gather(*queue) == ["had it"] * 8, "the last one waits for 28 seconds"
    asked = [asyncio.ensure_future(want(Priority.RUN, 4)), asyncio.ensure_future(want(Priority.SWEEP, 1))]
    await asyncio.sleep(0)
    asked += [asyncio.ensure_future(want(Priority.RUN, 4)) for _ in range(2)]
    assert await asyncio.gather(*asked) == ["had it", "busy", "had it", "had it"]
    asked = [asyncio.ensure_future(want(one, 4)) for one in (Priority.RUN, Priority.DRIVE, Priority.DRIVE)]
    assert await asyncio.gather(*asked) == ["had it", "had it", "busy"], (
        "who stands before it waits no longer than that"
    )
