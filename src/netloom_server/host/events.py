"""Events: one append-only table, written in batches, followed by browsers.

Any thread may put; the engine's loop writes a batch every tenth of a second and wakes
the streams, which read the table. A browser that was away asks from its last id on.
What could not be written is kept and tried again.
"""

from __future__ import annotations

import asyncio
import threading
from typing import Any

from netloom_core.errors import StoreTrouble
from netloom_server.base.crossing import in_records
from netloom_server.runs.models import Event

FLUSH_S = 0.1
AGAIN_S = 1.0
KEEP = 100_000  # events; older ones go, a browser that was away longer loads everything anew
BATCH = 500
MAX_WAITING = 50_000  # while the records cannot be written; then the oldest that may be missed go
MAY_BE_MISSED = frozenset({"sighting", "points", "progress"})


class EventHub:
    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._waiting: list[Event] = []
        self._latest: dict[str, Event] = {}
        self._wake = asyncio.Event()
        self._count = 0
        self.version = 0  # grows with each batch; a stream that saw an older one has something to read

    def put(self, kind: str, data: dict[str, Any], *, latest: str = "") -> None:
        """Append soon. Of events with the same `latest` key only the last of a batch is kept."""
        event = Event(kind=kind, data=data)
        with self._lock:
            if latest:
                self._latest[latest] = event
            else:
                self._waiting.append(event)

    async def run(self) -> None:
        while True:
            await asyncio.sleep(FLUSH_S)
            try:
                await self.flush()
            except StoreTrouble:
                await asyncio.sleep(AGAIN_S)

    async def flush(self) -> None:
        """Raises StoreTrouble when the records cannot be written now; nothing is lost by that."""
        with self._lock:
            batch = [*self._waiting, *self._latest.values()]
            self._waiting, self._latest = [], {}
        if not batch:
            return
        try:
            await in_records(Event.objects.bulk_create, batch)
        except BaseException:
            self._put_back(batch)
            raise
        self._count += len(batch)
        if self._count > KEEP // 10:
            self._count = 0
            await in_records(self._prune)
        self.version += 1
        wake, self._wake = self._wake, asyncio.Event()
        wake.set()

    def _put_back(self, batch: list[Event]) -> None:
        kept = [Event(kind=event.kind, data=event.data) for event in batch]
        if len(kept) > MAX_WAITING:
            kept = [event for event in kept if event.kind not in MAY_BE_MISSED]
        with self._lock:
            self._waiting = [*kept, *self._waiting]

    def _prune(self) -> None:
        newest = Event.objects.order_by("-id").values_list("id", flat=True).first() or 0
        Event.objects.filter(id__lte=newest - KEEP).delete()

    async def changed(self, seen: int, timeout: float) -> bool:
        """Wait until there is a batch after version `seen`; False after `timeout` seconds without one."""
        if self.version != seen:
            return True
        try:
            async with asyncio.timeout(timeout):
                await self._wake.wait()
        except TimeoutError:
            return False
        return True


def newest_id() -> int:
    return Event.objects.order_by("-id").values_list("id", flat=True).first() or 0


def after(last: int) -> list[tuple[int, str, dict[str, Any]]]:
    return list(Event.objects.filter(id__gt=last).order_by("id").values_list("id", "kind", "data")[:BATCH])
