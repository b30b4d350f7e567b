"""Events, as browsers follow them: what must not be missed in a table, what may be in memory only.

Any thread may put; the engine's loop writes a batch soon after, together with the rows of devices that
changed (see installation/services/roster.py), and wakes the streams. A browser that was
away asks from its last id on. What could not be written is kept and tried again. Sightings, live states
and progress pass by: they are not written, and who is too slow for them misses the oldest.
"""

from __future__ import annotations

import asyncio
import threading
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import orjson

from netloom_core.errors import StoreTrouble
from netloom_server.base.crossing import in_records
from netloom_server.runs.models import Event

FLUSH_S = 0.05
CALM_S = 1.0  # after that without anything to tell, rows are looked at more rarely
CALM_TURNS = 5  # of FLUSH_S
AGAIN_S = 1.0
KEEP = 100_000  # events; older ones go, a browser that was away longer loads everything anew
BATCH = 500
AT_HAND = 5000  # events kept in memory, so that streams that keep up read no table
PASSING = frozenset({"sighting", "points", "edges", "chatter", "progress", "planning", "giving"})
MAX_PASSING = 4000
NEWS = "device"  # told by the rows themselves, whoever changed them


class Rows(Protocol):
    """Rows of devices that changed and were not told yet."""

    def news(self) -> list[tuple[str, bytes]]: ...

    def put_back(self, news: list[tuple[str, bytes]]) -> None: ...


@dataclass(frozen=True)
class Told:
    """An event as it goes to a browser. `id` is 0 for one that passes by."""

    id: int
    data: bytes


@dataclass
class Place:
    """How far one stream has come: the last event's id, and the number of the last one that passed."""

    last: int
    passed: int


def as_sent(ident: int, kind: str, data: bytes) -> Told:
    head = b"id: %d\n" % ident if ident else b""
    return Told(ident, b"%sevent: %s\ndata: %s\n\n" % (head, kind.encode(), data))


class EventHub:
    def __init__(self, rows: Rows) -> None:
        self._rows = rows
        self._lock = threading.Lock()
        self._waiting: list[tuple[str, bytes]] = []
        self._latest: dict[str, tuple[str, bytes]] = {}
        self._passing: deque[Told] = deque(maxlen=MAX_PASSING)
        self._passed = self._passed_told = 0
        self._passing_latest: dict[str, Told] = {}
        self._hand: deque[Told] = deque(maxlen=AT_HAND)
        self._hand_from = -1  # what is at hand is all that came after this id; -1 while nothing was written
        self._wake = asyncio.Event()
        self._since_prune = 0
        self.streams = 0  # browsers that follow now
        self.people = 0  # grows when somebody was signed out, disabled or given another password
        self.ending = False  # the server ends: streams end by themselves, in order
        self.version = 0  # grows with each batch; a stream that saw an older one has something to read

    def put(self, kind: str, data: dict[str, Any], *, latest: str = "") -> None:
        """Tell soon. Of events with the same `latest` key only the last of a batch is kept."""
        if kind == NEWS:
            return
        written = orjson.dumps(data)
        with self._lock:
            if kind in PASSING:
                if latest:
                    self._passing_latest[latest] = as_sent(0, kind, written)
                else:
                    self._pass(as_sent(0, kind, written))
            elif latest:
                self._latest[latest] = (kind, written)
            else:
                self._waiting.append((kind, written))

    def _pass(self, told: Told) -> None:
        self._passing.append(told)
        self._passed += 1

    async def run(self) -> None:
        calm = 0
        while True:
            await asyncio.sleep(FLUSH_S)
            version, calm = self.version, calm + 1
            if not self._has_some() and calm * FLUSH_S > CALM_S and calm % CALM_TURNS:
                continue  # rows may have changed without a word here, but looking is most that a quiet server does
            try:
                await self.flush()
            except StoreTrouble:
                await asyncio.sleep(AGAIN_S)
            if self.version != version:
                calm = 0

    def _has_some(self) -> bool:
        return bool(self._waiting or self._latest or self._passing_latest or self._passed != self._passed_told)

    async def flush(self) -> None:
        """Raises StoreTrouble when the records cannot be written now; nothing is lost by that."""
        with self._lock:
            for told in self._passing_latest.values():
                self._pass(told)
            self._passing_latest = {}
            batch = [*self._waiting, *self._latest.values()]
            self._waiting, self._latest = [], {}
        news: list[tuple[str, bytes]] = []
        try:
            news = await in_records(self._rows.news)
            batch = [*((NEWS, _row_event(ident, row)) for ident, row in news), *batch]
            written = await in_records(_write, batch) if batch else []
        except BaseException:
            with self._lock:
                self._waiting = [*(one for one in batch if one[0] != NEWS), *self._waiting]
            self._rows.put_back(news)
            raise
        finally:
            if self._passed != self._passed_told:
                self._passed_told = self._passed
                self._tell()
        if not written:
            return
        if self._hand_from < 0 or len(self._hand) + len(written) > AT_HAND:
            cut = max(0, len(self._hand) + len(written) - AT_HAND)
            self._hand_from = self._hand[cut - 1].id if 0 < cut <= len(self._hand) else written[0].id - 1
        self._hand.extend(written)
        await self._prune(len(written))
        self._tell()

    def _tell(self) -> None:
        self.version += 1
        wake, self._wake = self._wake, asyncio.Event()
        wake.set()

    async def _prune(self, more: int) -> None:
        self._since_prune += more
        if self._since_prune > KEEP // 10:
            self._since_prune = 0
            await in_records(_forget_old)

    def people_changed(self) -> None:
        """Streams look whether theirs may still listen. From any thread."""
        with self._lock:
            self.people += 1
            self._pass(Told(0, b""))

    def end(self) -> None:
        """Streams end now; browsers come again by themselves. From the engine's loop."""
        self.ending = True
        self._tell()

    # What streams read

    def begin(self, last: int) -> Place:
        return Place(last, self._passed)

    async def after(self, place: Place) -> list[bytes]:
        """What came since; moves the place on. A batch at most, in the order in which it came."""
        told: list[bytes] = []
        if 0 <= self._hand_from <= place.last:
            fresh = [one for one in self._hand if one.id > place.last][:BATCH]
        else:
            fresh = await in_records(_read, place.last)
        if fresh:
            place.last = fresh[-1].id
        told += [one.data for one in fresh]
        behind = min(self._passed - place.passed, len(self._passing))
        if behind:
            at = b"id: %d\n" % place.last  # so that every event says how far the stream has come
            told += [at + one.data for one in list(self._passing)[-behind:] if one.data]
        place.passed = self._passed
        return told

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


def _row_event(ident: str, row: bytes) -> bytes:
    return b'{"device":%s,"row":%s}' % (orjson.dumps(ident), row or b"null")


def _write(batch: Sequence[tuple[str, bytes]]) -> list[Told]:
    made = Event.objects.bulk_create([Event(kind=kind, data=data.decode()) for kind, data in batch])
    return [as_sent(event.pk, kind, data) for event, (kind, data) in zip(made, batch, strict=True)]


def _read(last: int) -> list[Told]:
    rows = Event.objects.filter(id__gt=last).order_by("id").values_list("id", "kind", "data")[:BATCH]
    return [as_sent(ident, kind, data.encode()) for ident, kind, data in rows]


def _forget_old() -> None:
    Event.objects.filter(id__lte=newest_id() - KEEP).delete()


def newest_id() -> int:
    return Event.objects.order_by("-id").values_list("id", flat=True).first() or 0


def oldest_id() -> int:
    return Event.objects.order_by("id").values_list("id", flat=True).first() or 0
