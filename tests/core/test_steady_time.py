"""The clock of tests with both ends in one process: only time in which that could run, or waited by itself, passes."""

from __future__ import annotations

import asyncio
import time

from netloom_core.testing.steady_time import SteadyLoop


def test_who_is_kept_from_running_is_not_late() -> None:
    async def work() -> None:
        loop = asyncio.get_running_loop()
        answer: asyncio.Future[str] = loop.create_future()
        loop.call_later(0.05, answer.set_result, "here")
        loop.call_later(0.01, time.sleep, 0.5)  # somebody else has the processor
        begun = loop.time()
        async with asyncio.timeout(0.2):
            assert await answer == "here"
        assert 0.05 <= loop.time() - begun < 0.2

    with asyncio.Runner(loop_factory=SteadyLoop) as runner:
        runner.run(work())


def test_what_waits_by_itself_waits() -> None:
    async def work() -> None:
        loop = asyncio.get_running_loop()
        wall, begun, times = time.monotonic(), loop.time(), []
        for _ in range(20):
            await asyncio.sleep(0.005)
            times.append(loop.time())
        assert times == sorted(times)
        assert 0.099 < times[-1] - begun < time.monotonic() - wall

    with asyncio.Runner(loop_factory=SteadyLoop) as runner:
        runner.run(work())
