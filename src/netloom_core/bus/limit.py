"""A time limit for one call after another, with one timer for all of them.

It does what `asyncio.timeout` does, for somebody who makes thousands of short calls: a timer that is
armed goes on being used, and only looks again when it fires too early.
"""

from __future__ import annotations

import asyncio


class Limit:
    def __init__(self) -> None:
        self._timer: asyncio.TimerHandle | None = None
        self._until = 0.0
        self._task: asyncio.Task[object] | None = None
        self._cancelling = 0
        self._over = False

    def begin(self, seconds: float) -> None:
        """From now on the present task has so long. One call at a time."""
        loop = asyncio.get_running_loop()
        task = asyncio.current_task()
        assert task is not None, "a limit is for tasks"
        self._task, self._cancelling, self._over = task, task.cancelling(), False
        self._until = loop.time() + seconds
        if self._timer is not None and self._timer.when() > self._until:
            self._timer.cancel()
            self._timer = None
        if self._timer is None:
            self._timer = loop.call_at(self._until, self._look)

    def _look(self) -> None:
        self._timer = None
        if self._task is None:
            return
        loop = asyncio.get_running_loop()
        if loop.time() < self._until:
            self._timer = loop.call_at(self._until, self._look)
            return
        self._over = True
        self._task.cancel()

    def end(self) -> bool:
        """The call is over. Whether it was this limit, and nobody else, that cancelled it."""
        task, self._task = self._task, None
        return self._over and task is not None and task.uncancel() <= self._cancelling
