"""Events: one append-only table, written in batches, followed by browsers.

Any thread may put; the engine's loop writes a batch every tenth of a second and wakes
the streams, which read the table. A browser that was away asks from its last id on.
"""

from __future__ import annotations

import asyncio
import threading
from typing import Any

from asgiref.sync import sync_to_async

from netloom_server.runs.models import Event

FLUSH_S = 0.1
KEEP = 100_000  # events; older ones go, a browser that was away longer loads everything anew
BATCH = 500


class EventHub:
    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._waiting: list[Event] = []
        self._latest: dict[str, Event] = {}
        self._wake = asyncio.Condition()
        self._count = 0

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
            await self.flush()

    async def flush(self) -> None:
        with self._lock:
            batch = [*self._waiting, *self._latest.values()]
            self._waiting, self._latest = [], {}
        if not batch:
            return
        await sync_to_async(Event.objects.bulk_create)(batch)
        self._count += len(batch)
        if self._count > KEEP // 10:
            self._count = 0
            await sync_to_async(self._prune)()
        async with self._wake:
            self._wake.notify_all()

    def _prune(self) -> None:
        newest = Event.objects.order_by("-id").values_list("id", flat=True).first() or 0
        Event.objects.filter(id__lte=newest - KEEP).delete()

    async def changed(self, timeout: float) -> bool:
        """Wait for a batch; False after `timeout` seconds without one."""
        async with self._wake:
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
