"""A computer that is held up does not call a device silent for it, and waits no longer than that."""

from __future__ import annotations

import asyncio

import pytest

from netloom_core.patience import MOST_HELD_S, Patience, heard
from netloom_core.testing.virtual_time import VirtualLoop, run


def held_up(seconds: float) -> None:
    """Nothing ran for so long, and the clock went on."""
    loop = asyncio.get_running_loop()
    assert isinstance(loop, VirtualLoop)
    loop._jumps.now += seconds


@pytest.mark.parametrize(("held", "hears"), [(0.0, False), (0.0, True), (3.0, False), (3.0, True), (60.0, False)])
def test_time_in_which_nothing_ran_is_given_back(held: float, hears: bool) -> None:
    """It is asked at 0, usually answers within 0.2 s, and this one after 0.15 s in which both could do something."""

    async def asked() -> tuple[bytes, float]:
        loop, begun = asyncio.get_running_loop(), asyncio.get_running_loop().time()
        came: asyncio.Queue[bytes] = asyncio.Queue()

        async def read(seconds: float) -> bytes:
            try:
                return await asyncio.wait_for(came.get(), seconds)
            except TimeoutError:
                return b""

        def stalled() -> None:
            held_up(held)
            if hears:
                loop.call_later(0.1, came.put_nowait, b"here")

        loop.call_later(0.05, stalled)
        return await heard(read, Patience(0.2)), loop.time() - begun

    data, took = run(asked())
    assert data == (b"here" if hears else b"")
    assert took <= 0.2 + held + 1e-6
    assert took == pytest.approx(0.15 + held if hears else max(0.2 + min(held, MOST_HELD_S), 0.05 + held), abs=0.06)


def test_what_is_under_way_may_take_to_the_end_and_no_longer() -> None:
    async def waited() -> float:
        loop, begun = asyncio.get_running_loop(), asyncio.get_running_loop().time()
        patience = Patience(0.2, most=0.5)
        while (piece := patience.piece()) > 0:
            await asyncio.sleep(piece)
            patience.go_on(0.3)
        return loop.time() - begun

    assert run(waited()) == pytest.approx(0.5)


@pytest.mark.parametrize("held", [0.0, 2.0])
def test_what_came_and_was_somebody_elses_gives_no_more_time(held: float) -> None:
    async def waited() -> float:
        loop, begun = asyncio.get_running_loop(), asyncio.get_running_loop().time()
        patience = Patience(0.2, most=0.9)
        patience.piece()
        held_up(held)
        patience.piece()
        patience.go_on()
        patience.back()
        while (piece := patience.piece()) > 0:
            await asyncio.sleep(piece)
        return loop.time() - begun

    assert run(waited()) == pytest.approx(0.2 + held, abs=0.11)
