"""The clock of tests with both ends in one process: only time in which that could run, or waited by itself, passes."""

import asyncio
import time


async def test_who_is_kept_from_running_is_not_late() -> None:
    loop = asyncio.get_running_loop()
    answer: asyncio.Future[str] = loop.create_future()
    begun = loop.time()
    loop.call_later(0.05, answer.set_result, "here")
    loop.call_later(0.01, time.sleep, 0.5)  # somebody else has the processor
    async with asyncio.timeout(0.2):
        assert await answer == "here"
    assert 0.05 <= loop.time() - begun < 0.2


async def test_what_waits_by_itself_waits() -> None:
    loop, wall = asyncio.get_running_loop(), time.monotonic()
    times = [loop.time()]
    for _ in range(20):
        await asyncio.sleep(0.005)
        times.append(loop.time())
    assert times == sorted(times)
    assert 0.099 < times[-1] - times[0] < time.monotonic() - wall
