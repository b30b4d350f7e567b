"""Works on the records that wait are done together, and the fault of one is not the others'."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Sequence

import pytest

from netloom_core.errors import RequestError, StoreTrouble
from netloom_core.model.work import JournalEntry
from netloom_server.base.gather import MOST, Gathered
from netloom_server.host.journal import RecordJournal
from netloom_server.runs.models import JournalEntry as Row
from netloom_server.runs.services import journal
from tests.patience import SOON_S


class Work:
    """Doubles numbers; 13 breaks it. The first batch waits until it is let go."""

    def __init__(self) -> None:
        self.batches: list[list[int]] = []
        self.go = threading.Event()

    def __call__(self, items: Sequence[int]) -> list[int]:
        self.batches.append(list(items))
        assert self.go.wait(SOON_S)
        if 13 in items:
            raise RequestError("thirteen")
        if 99 in items:
            raise StoreTrouble("the disk is full")
        return [2 * item for item in items]


async def begun(work: Work) -> None:
    await asyncio.sleep(0)  # the batch is taken
    while not work.batches:
        await asyncio.sleep(0.001)


async def test_what_comes_while_one_batch_is_written_is_the_next_one() -> None:
    work = Work()
    gathered = Gathered(work)
    first = asyncio.create_task(gathered.do(0))
    await begun(work)
    others = [asyncio.create_task(gathered.do(number)) for number in range(201, 203 + MOST)]
    await asyncio.sleep(0)
    work.go.set()
    assert await asyncio.gather(first, *others) == [0, *(2 * number for number in range(201, 203 + MOST))]
    assert [len(batch) for batch in work.batches] == [1, MOST, 2]


async def test_the_fault_of_one_is_told_to_it_alone() -> None:
    work = Work()
    work.go.set()
    gathered = Gathered(work)
    ends = await asyncio.gather(*(gathered.do(number) for number in (12, 13, 14)), return_exceptions=True)
    assert ends[0] == 24
    assert isinstance(ends[1], RequestError)
    assert ends[2] == 28


async def test_when_the_records_cannot_be_written_everybody_is_told_and_the_next_ones_are_tried() -> None:
    work = Work()
    work.go.set()
    gathered = Gathered(work)
    ends = await asyncio.gather(gathered.do(1), gathered.do(99), return_exceptions=True)
    assert [type(end) for end in ends] == [StoreTrouble, StoreTrouble]
    assert await gathered.do(4) == 8


async def test_one_that_is_given_up_does_not_stop_the_others() -> None:
    work = Work()
    gathered = Gathered(work)
    tasks = [asyncio.create_task(gathered.do(number)) for number in range(3)]
    await begun(work)
    tasks[1].cancel()
    work.go.set()
    ends = await asyncio.gather(*tasks, return_exceptions=True)
    assert (ends[0], ends[2]) == (0, 4)
    assert isinstance(ends[1], asyncio.CancelledError)


def entry(number: int, kind: str = "intent", outcome: str = "") -> JournalEntry:
    return JournalEntry(kind, "run", "dev", "line", "1", "write", "t", f"i{number}", outcome=outcome)


async def test_a_journal_written_together_is_one_chain_with_one_outcome_for_each_intent(
    lasting: None,
) -> None:
    records = RecordJournal()
    await asyncio.gather(*(records.append(entry(number)) for number in range(40)))
    outcomes = [entry(number, "outcome", "done") for number in range(40)]
    await asyncio.gather(*(records.append(one) for one in [*outcomes, entry(7, "outcome", "unknown")]))
    assert await records.open_intents("run") == []
    assert await Row.objects.acount() == 80
    assert await asyncio.to_thread(journal.broken_at) is None
    assert (await asyncio.to_thread(journal.check)).broken is None


def test_the_chain_is_read_once_and_the_head_outside_each_time(lasting: None, monkeypatch: pytest.MonkeyPatch) -> None:
    journal.append_all([entry(number) for number in range(5)])
    assert journal.standing().broken is None
    monkeypatch.setattr(journal, "broken_at", lambda: 4)
    journal.append_all([entry(number) for number in range(5, 8)])
    assert journal.standing().broken is None, "it reads all of it again"
    journal._path().unlink()
    assert journal.standing().broken == 4
