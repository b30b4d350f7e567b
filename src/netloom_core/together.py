"""The same work on many, so many at once; thousands of them do not wait as thousands of tasks."""

from __future__ import annotations

import asyncio
from collections import Counter, defaultdict, deque
from collections.abc import Awaitable, Callable, Hashable, Iterable
from typing import TypeVar

Item = TypeVar("Item")
IN_LANE = 4  # at once of those that wait for each other anyway: one has its turn, the next ones are ready for theirs


async def together(
    items: Iterable[Item],
    work: Callable[[Item], Awaitable[None]],
    at_once: int,
    lane: Callable[[Item], Awaitable[Hashable | None]] | None = None,
) -> None:
    """Until all are done, begun in the order given. One that raises does not keep the others from being done; the
    first such error is raised at the end. Being cancelled cancels those under way and begins no more.

    Those of one `lane`, as on a line that one uses at a time, are done beside the others, a few at once: however long
    they wait for each other there, nobody else does.
    """
    rest = iter(items)
    faults: list[BaseException] = []
    waiting: defaultdict[Hashable, deque[Item]] = defaultdict(deque)
    running: Counter[Hashable] = Counter()

    async def to_its_end(one: Awaitable[None]) -> None:
        (end,) = await asyncio.gather(one, return_exceptions=True)
        if isinstance(end, BaseException):
            faults.append(end)

    async def begin(item: Item) -> None:
        where = await lane(item) if lane is not None else None
        if where is None:
            await work(item)
            return
        waiting[where].append(item)
        if running[where] < IN_LANE:
            running[where] += 1
            group.create_task(along(where))

    async def along(where: Hashable) -> None:
        while waiting[where]:
            await to_its_end(work(waiting[where].popleft()))
        running[where] -= 1

    async def worker() -> None:
        for item in rest:
            await to_its_end(begin(item))

    async with asyncio.TaskGroup() as group:
        for _ in range(at_once):
            group.create_task(worker())
    if faults:
        raise faults[0]
