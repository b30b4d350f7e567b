"""The thread of the records: one that hangs is replaced, in its order, and nobody is told what is not known."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Iterator

import pytest

from netloom_core.errors import StoreTrouble
from netloom_server.base import crossing
from netloom_server.base.crossing import Thread
from tests.patience import SOON_S

LONGEST_S = 0.3


class Hanging:
    def __init__(self) -> None:
        self.go = threading.Event()
        self.done: list[str] = []

    def hang(self) -> str:
        self.go.wait(SOON_S)
        self.done.append("hung")
        return "late"

    def work(self, name: str) -> str:
        self.done.append(name)
        return name


@pytest.fixture
def hanging(monkeypatch: pytest.MonkeyPatch) -> Iterator[Hanging]:
    monkeypatch.setattr(crossing, "LONGEST_S", LONGEST_S)
    made = Hanging()
    yield made
    made.go.set()


async def test_what_hangs_is_given_up_and_what_waited_behind_it_is_not_begun(hanging: Hanging) -> None:
    thread = Thread()
    hung = asyncio.ensure_future(thread.do(hanging.hang))
    await asyncio.sleep(LONGEST_S / 3)
    behind = asyncio.ensure_future(thread.do(hanging.work, "behind"))
    with pytest.raises(StoreTrouble, match="may still be done"):
        await hung
    with pytest.raises(StoreTrouble, match="was not begun"):
        await behind
    assert await thread.do(hanging.work, "next") == "next"
    assert (thread.given_up, hanging.done) == (1, ["next"])
    hanging.go.set()
    for _ in range(100):
        if hanging.done[-1] == "hung":
            break
        await asyncio.sleep(0.02)
    assert hanging.done == ["next", "hung"], "what was not begun never is"
    assert await thread.do(hanging.work, "after") == "after"


async def test_many_that_wait_for_one_that_hangs_cost_one_thread(hanging: Hanging) -> None:
    thread = Thread()
    works = [asyncio.ensure_future(thread.do(hanging.hang)) for _ in range(8)]
    results = await asyncio.gather(*works, return_exceptions=True)
    assert all(isinstance(one, StoreTrouble) for one in results)
    assert thread.given_up == 1


async def test_whoever_is_cancelled_waits_until_it_is_done_and_no_longer_than_that(
    hanging: Hanging, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(crossing, "LONGEST_S", SOON_S)
    thread = Thread()
    work = asyncio.ensure_future(thread.do(hanging.hang))
    await asyncio.sleep(0.05)
    work.cancel()
    await asyncio.sleep(0.05)
    assert not work.done()
    hanging.go.set()
    with pytest.raises(asyncio.CancelledError):
        await work
    assert (thread.given_up, hanging.done) == (0, ["hung"])


async def test_an_error_of_the_work_is_the_caller_s(hanging: Hanging) -> None:
    with pytest.raises(KeyError):
        await Thread().do({}.__getitem__, "nothing")
