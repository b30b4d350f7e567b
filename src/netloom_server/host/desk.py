"""Open consoles, in the engine's loop: each is a task that holds its line, its log and its listeners."""

from __future__ import annotations

import asyncio
import contextlib
from collections import deque
from collections.abc import AsyncIterator, Callable, Sequence
from contextlib import AbstractAsyncContextManager
from dataclasses import dataclass, field
from datetime import UTC, datetime

from django.utils import timezone

from netloom_core.clock import Clock
from netloom_core.console.recorder import Entry, Recorder
from netloom_core.console.session import Console
from netloom_core.engine.ports import EventSink
from netloom_core.errors import NetloomError, NoAnswer
from netloom_server.base.crossing import in_records
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.consoles.models import ConsoleEntry, ConsoleLog

MAX_OPEN = 24
SCROLLBACK = 2000  # pieces kept for a browser that comes back
IDLE_S = 15 * 60.0  # without a key typed a console is closed, so that it does not keep a line for ever
UNWATCHED_S = 45.0  # and sooner when no browser looks at it
FLUSH_S = 1.0
MAX_LOG_BYTES = 2_000_000
OPEN_S = 20.0


@dataclass
class Session:
    log: ConsoleLog
    opener: Callable[[], AbstractAsyncContextManager[Console]]
    ready: asyncio.Future[None]
    recorder: Recorder = field(default_factory=Recorder)
    pieces: deque[tuple[int, bytes]] = field(default_factory=lambda: deque(maxlen=SCROLLBACK))
    changed: asyncio.Event = field(default_factory=asyncio.Event)
    count: int = 0
    typed_at: float = 0.0
    watchers: int = 0
    watched_at: float = 0.0
    logged: int = 0
    ended: str = ""
    console: Console | None = None
    task: asyncio.Task[None] | None = None

    def put(self, data: bytes) -> None:
        self.count += 1
        self.pieces.append((self.count, data))
        self.changed.set()


class Desk:
    def __init__(self, clock: Clock, events: EventSink) -> None:
        self._clock = clock
        self._events = events
        self._open: dict[str, Session] = {}

    async def open(
        self,
        log: ConsoleLog,
        opener: Callable[[], AbstractAsyncContextManager[Console]],
        prompts: Sequence[str] = (),
    ) -> None:
        """`prompts` are how the device asks for a secret.

        Returns when it is open; raises what kept it from opening, and the log goes again.
        """
        if len(self._open) >= MAX_OPEN:
            raise Conflict(f"{MAX_OPEN} consoles are open already.", "Close one.")
        loop = asyncio.get_running_loop()
        session = Session(log, opener, loop.create_future(), Recorder(tuple(prompts)))
        session.typed_at = session.watched_at = loop.time()
        self._open[log.id] = session
        session.task = asyncio.ensure_future(self._serve(session))
        try:
            async with asyncio.timeout(OPEN_S):
                await asyncio.shield(session.ready)
        except TimeoutError:
            await self.close(log.id, "it did not open in time")
            raise NoAnswer(
                f"{log.title} did not open a console within {OPEN_S:g} s.", "Look at its power and line, try again."
            ) from None

    def session(self, ident: str) -> Session:
        found = self._open.get(ident)
        if found is None:
            raise NotFound("That console is closed.", "Open it again; its log is kept with the device.")
        return found

    async def type(self, ident: str, data: bytes) -> None:
        session = self.session(ident)
        session.typed_at = asyncio.get_running_loop().time()
        if session.console is not None:
            session.recorder.typed(data, self._clock.now())
            await session.console.write(data)

    async def send_break(self, ident: str) -> None:
        session = self.session(ident)
        if session.console is not None:
            session.recorder.note("break", self._clock.now())
            await session.console.send_break()

    async def close(self, ident: str, why: str = "closed") -> None:
        session = self.session(ident)
        session.ended = session.ended or why
        if session.task is not None:
            session.task.cancel()
            await asyncio.gather(session.task, return_exceptions=True)

    async def stop(self) -> None:
        for ident in list(self._open):
            await self.close(ident, "the server was stopped")

    async def follow(self, ident: str, after: int) -> AsyncIterator[tuple[int, bytes] | str | None]:
        """(number, bytes) of pieces after that number; None now and then; last the reason of the end."""
        session = self.session(ident)
        session.watchers += 1
        loop = asyncio.get_running_loop()
        try:
            while True:
                for number, data in list(session.pieces):
                    if number > after:
                        after = number
                        yield number, data
                if session.ended:
                    yield session.ended
                    return
                session.changed.clear()
                try:
                    async with asyncio.timeout(10):
                        await session.changed.wait()
                except TimeoutError:
                    yield None
        finally:
            session.watchers -= 1
            session.watched_at = loop.time()

    # One console

    async def _serve(self, session: Session) -> None:
        flusher = asyncio.ensure_future(self._flush_now_and_then(session))
        try:
            async with session.opener() as console:
                session.console = console
                session.ready.set_result(None)
                self._events.put("lines", {"line": session.log.line_id or ""})
                await self._pump(session, console)
        except NetloomError as error:
            session.ended = error.message
            if not session.ready.done():
                session.ready.set_exception(error)
        finally:
            session.console = None
            session.ended = session.ended or "closed"
            flusher.cancel()
            session.recorder.note(f"ended: {session.ended}", self._clock.now())
            session.changed.set()
            self._open.pop(session.log.id, None)
            with contextlib.suppress(asyncio.CancelledError):
                await asyncio.shield(self._finish(session))
            self._events.put("lines", {"line": session.log.line_id or ""})

    async def _pump(self, session: Session, console: Console) -> None:
        loop = asyncio.get_running_loop()
        while True:
            data = await console.read()
            now = loop.time()
            if data:
                session.recorder.received(data, self._clock.now())
                session.put(data)
            if now - session.typed_at > IDLE_S:
                session.ended = "nobody typed for a quarter of an hour, and the line was given back"
                return
            if not session.watchers and now - session.watched_at > UNWATCHED_S:
                session.ended = "no browser looked at it any more"
                return

    async def _flush_now_and_then(self, session: Session) -> None:
        while True:
            await asyncio.sleep(FLUSH_S)
            await self._flush(session)

    async def _flush(self, session: Session, *, last: bool = False) -> None:
        entries = session.recorder.end() if last else session.recorder.take()
        if entries and session.logged < MAX_LOG_BYTES:
            session.logged += sum(len(entry.data) for entry in entries)
            await in_records(_keep, session.log, entries)

    async def _finish(self, session: Session) -> None:
        await self._flush(session, last=True)
        await in_records(_end, session.log)


def _keep(log: ConsoleLog, entries: list[Entry]) -> None:
    ConsoleEntry.objects.bulk_create(
        ConsoleEntry(log=log, time=datetime.fromtimestamp(e.time, UTC), direction=e.direction, data=e.data)
        for e in entries
    )


def _end(log: ConsoleLog) -> None:
    ConsoleLog.objects.filter(id=log.id).update(ended=timezone.now())
