"""Works that wait for the records are done together: one transaction, one look, one wait for the disk.

Two dozen devices are worked on at once, and each of their writes costs the same questions to the database.
While one batch is written, the next one gathers; whoever is alone does not wait for others.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Sequence
from typing import Generic, TypeVar

from netloom_core.errors import NetloomError, StoreTrouble
from netloom_server.base.crossing import in_records

Item = TypeVar("Item")
Result = TypeVar("Result")
MOST = 64
log = logging.getLogger("netloom.records")


class Gathered(Generic[Item, Result]):
    def __init__(self, work: Callable[[Sequence[Item]], Sequence[Result]]) -> None:
        """`work` takes items in the order in which they came, in a thread and a transaction, and gives a
        result for each."""
        self._work = work
        self._waiting: list[tuple[Item, asyncio.Future[Result]]] = []
        self._task: asyncio.Task[None] | None = None

    async def do(self, item: Item) -> Result:
        """Raises what the work raises; StoreTrouble where the records cannot be written now.

        Who is cancelled while waiting does not know whether it was written.
        """
        done: asyncio.Future[Result] = asyncio.get_running_loop().create_future()
        self._waiting.append((item, done))
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._run())
        return await done

    async def _run(self) -> None:
        while self._waiting:
            batch, self._waiting = self._waiting[:MOST], self._waiting[MOST:]
            try:
                await self._together(batch)
            except BaseException:
                for _, done in batch:
                    done.cancel()
                raise

    async def _together(self, batch: list[tuple[Item, asyncio.Future[Result]]]) -> None:
        try:
            results = await in_records(self._work, [item for item, _ in batch])
        except StoreTrouble as error:
            for _, done in batch:
                _fail(done, error)
        except Exception as error:
            if not isinstance(error, NetloomError):
                log.exception("%d works on the records broke", len(batch))
            if len(batch) == 1:
                _fail(batch[0][1], error)
                return
            for one in batch:  # the fault of one is not the others'
                await self._together([one])
        else:
            for (_, done), result in zip(batch, results, strict=True):
                if not done.done():
                    done.set_result(result)


def _fail(done: asyncio.Future[Result], error: Exception) -> None:
    if not done.done():
        done.set_exception(error)
