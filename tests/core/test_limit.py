"""One timer for many calls: whoever takes too long is cancelled, and nobody else."""

from __future__ import annotations

import asyncio

import pytest

from netloom_core.bus.limit import Limit
from netloom_core.testing.virtual_time import run


async def bounded(limit: Limit, seconds: float, work: float) -> str:
    limit.begin(seconds)
    try:
        await asyncio.sleep(work)
    except asyncio.CancelledError:
        if not limit.end():
            raise
        return "over"
    limit.end()
    return "done"


def test_a_call_that_takes_too_long_is_over_and_the_next_one_has_its_own_time() -> None:
    async def some() -> None:
        limit = Limit()
        assert await bounded(limit, 5.0, 0.0) == "done"
        assert await bounded(limit, 0.05, 5.0) == "over", "a shorter limit than the one before"
        assert await bounded(limit, 0.2, 0.05) == "done"
        assert await bounded(limit, 0.05, 1.0) == "over"
        task = asyncio.current_task()
        assert task is not None
        assert task.cancelling() == 0, "nothing of it is left on the task"

    run(some())


async def test_many_short_calls_use_one_timer(monkeypatch: pytest.MonkeyPatch) -> None:
    loop = asyncio.get_running_loop()
    armed = []
    call_at = loop.call_at
    monkeypatch.setattr(loop, "call_at", lambda *a, **k: armed.append(a) or call_at(*a, **k))
    limit = Limit()
    for _ in range(100):
        limit.begin(30.0)
        limit.end()
    assert len(armed) == 1


async def test_being_cancelled_from_outside_is_not_taken_for_the_limit() -> None:
    limit = Limit()
    task = asyncio.create_task(bounded(limit, 5.0, 5.0))
    await asyncio.sleep(0.01)
    task.cancel()
    with pytest.raises(asyncio.CancelledError):
        await task


def test_an_old_timer_does_not_end_a_call_that_began_later() -> None:
    async def twice() -> list[str]:
        limit = Limit()
        return [await bounded(limit, 0.1, 0.08) for _ in range(2)]

    assert run(twice()) == ["done", "done"], "the first timer fires in the middle of the second"
