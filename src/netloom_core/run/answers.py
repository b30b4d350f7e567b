"""What people at devices answer to steps that wait for them."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from netloom_core.errors import RequestError


@dataclass(frozen=True)
class Answer:
    """`came` is whether what was asked for was done, or seen. `note` is in the person's own words."""

    by: str
    came: bool
    note: str = ""

    def words(self) -> str:
        said = "says that it is so" if self.came else "says that it is not so"
        return f"{self.by} {said}{f': {self.note}' if self.note else ''}"


class Answers:
    """Who waits for which answer, by run and step. What was answered is not kept here: the step keeps it."""

    def __init__(self) -> None:
        self._waiting: dict[tuple[str, int], asyncio.Future[Answer]] = {}

    @contextmanager
    def asked(self, run: str, step: int) -> Iterator[asyncio.Future[Answer]]:
        """Until the end of the block somebody may answer."""
        future = self._waiting[(run, step)] = asyncio.get_running_loop().create_future()
        try:
            yield future
        finally:
            self._waiting.pop((run, step), None)
            future.cancel()

    def give(self, run: str, step: int, answer: Answer) -> None:
        """The first answer counts. Raises RequestError where nobody waits for one."""
        future = self._waiting.get((run, step))
        if future is None or future.done():
            raise RequestError(
                "That step does not wait for an answer, or has one already.", "Look at where the run is now."
            )
        future.set_result(answer)
