"""An answer that many ask for at the same time is made once for all of them."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import CancelledError, Future
from typing import Generic, TypeVar

Answer = TypeVar("Answer")


class Shared(Generic[Answer]):
    """Who asks while one is being made waits for the next: what one gets was begun after one asked."""

    def __init__(self, make: Callable[[], Answer]) -> None:
        self._make = make
        self._lock = threading.Lock()
        self._making = threading.Lock()
        self._next: Future[Answer] | None = None

    def get(self) -> Answer:
        """From any thread. Raises what making it raises."""
        with self._lock:
            first = self._next is None
            turn = self._next = self._next or Future()
        if first:
            with self._making:
                with self._lock:
                    self._next = None
                try:
                    turn.set_result(self._make())
                finally:
                    turn.cancel()  # does nothing where there is a result
        try:
            return turn.result()
        except CancelledError:
            return self._make()  # whoever made it failed; one's own trouble is told in one's own thread
