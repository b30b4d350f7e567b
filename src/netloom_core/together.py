"""The same work on many, so many at once; thousands of them do not wait as thousands of tasks."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Iterable
from typing import TypeVar

Item = TypeVar("Item")


async def together(items: Iterable[Item], work: Callable[[Item], Awaitable[None]], at_once: int) -> None:
    """Until all are done, in the order given. One that raises does not keep the others from being done; the
    first such error is raised at the end. Being cancelled cancels those under way and begins no more."""
    rest = iter(items)
    faults: list[BaseException] = []

    async def worker() -> None:
        for item in rest:
            (end,) = await asyncio.gather(work(item), return_exceptions=True)
            if isinstance(end, BaseException):
                faults.append(end)

    await asyncio.gather(*(worker() for _ in range(at_once)))
    if faults:
        raise faults[0]
