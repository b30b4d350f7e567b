"""Crossing from the engine's loop into the records: in a thread, with the database's troubles translated.

There is one such thread, so that what the engine writes is written in its order. One that hangs is given up and
replaced: whatever it still does is done, and whoever waited is told that nobody knows.
"""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from typing import ParamSpec, TypeVar

from asgiref.sync import sync_to_async
from django.db.utils import DatabaseError, InterfaceError

from netloom_core.errors import StoreTrouble

P = ParamSpec("P")
Result = TypeVar("Result")
HINT = "Look at the disk's free space and at other programs that use the data folder. What was promised is kept."
NOT_BEGUN = "The records were stuck with something else, and this was not begun."
STUCK = "The records did not get done with something in time, and it may still be done."
LONGEST_S = 120.0  # nothing that is right takes so long; another program's lock ends sooner
log = logging.getLogger("netloom.records")


class Thread:
    """The one that the records are used in. `given_up` counts those before it that never ended."""

    def __init__(self) -> None:
        self.given_up = 0
        self._pool = self._new()

    @staticmethod
    def _new() -> ThreadPoolExecutor:
        return ThreadPoolExecutor(1, "records")

    async def do(self, work: Callable[P, Result], *args: P.args, **kwargs: P.kwargs) -> Result:
        """Raises StoreTrouble where the work does not end. Whoever is cancelled waits until it has."""
        pool = self._pool
        call: Callable[P, asyncio.Future[Result]] = sync_to_async(work, thread_sensitive=False, executor=pool)  # type: ignore[assignment]
        task = asyncio.ensure_future(call(*args, **kwargs))
        try:
            await asyncio.wait({task}, timeout=LONGEST_S)
        except asyncio.CancelledError:
            await asyncio.wait({task}, timeout=LONGEST_S)
            self._give_up_if_stuck(task, pool)
            raise
        self._give_up_if_stuck(task, pool)
        if not task.done():
            raise StoreTrouble(STUCK, HINT)
        if task.cancelled():
            raise StoreTrouble(NOT_BEGUN, HINT)
        return task.result()

    def _give_up_if_stuck(self, task: asyncio.Future[Result], pool: ThreadPoolExecutor) -> None:
        if task.done():
            return
        task.add_done_callback(lambda ended: None if ended.cancelled() else ended.exception())
        if pool is self._pool:  # what waited behind it is not begun any more
            log.error("the records' thread is stuck and was replaced")
            self.given_up += 1
            self._pool = self._new()
            pool.shutdown(wait=False, cancel_futures=True)


thread = Thread()


async def in_records(work: Callable[P, Result], *args: P.args, **kwargs: P.kwargs) -> Result:
    """Raises StoreTrouble where the records cannot be had or written now: a lock, a full disk, a damaged file."""
    try:
        return await thread.do(work, *args, **kwargs)
    except (DatabaseError, InterfaceError) as error:
        raise StoreTrouble(f"The records cannot be used now: {error}.", HINT) from error


def moment(time: float) -> datetime:
    return datetime.fromtimestamp(time, UTC)
