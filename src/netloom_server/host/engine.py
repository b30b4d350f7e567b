"""The core's engine in the server's event loop, and the way to it from the threads of views."""

from __future__ import annotations

import asyncio
import concurrent.futures
import contextlib
import contextvars
import logging
import sqlite3
from collections.abc import Callable, Coroutine
from datetime import timedelta
from pathlib import Path
from typing import Any, TypeVar

from django.conf import settings
from django.db import connection
from django.utils import timezone

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.drivers.registry import Drivers
from netloom_core.engine.commands import GO_ON
from netloom_core.engine.engine import Engine as CoreEngine
from netloom_core.errors import NetloomError, RequestError, StoreTrouble
from netloom_core.links.ports import all_ports, follow
from netloom_core.model.line import Line
from netloom_core.profiles.abilities import Abilities
from netloom_server.base.crossing import in_records
from netloom_server.base.problems import StillGoing
from netloom_server.care import copies
from netloom_server.host.desk import Desk
from netloom_server.host.events import EventHub
from netloom_server.host.journal import RecordJournal
from netloom_server.host.store import RecordStore
from netloom_server.host.workshop import Workshop
from netloom_server.installation.models import Line as LineRecord
from netloom_server.installation.services import profiles
from netloom_server.installation.services.roster import Roster
from netloom_server.runs.services import journal

Result = TypeVar("Result")
CALL_S = 30.0
CHECK_EVERY_S = 300.0
FIRST_COPY_S = 120.0
log = logging.getLogger("netloom.host")


class Engine:
    def __init__(self) -> None:
        self.library = profiles.shipped()
        self.clock = SystemClock()
        self.roster = Roster(self.library)
        self.events = EventHub(self.roster)
        self.owners = Owners(self._locate)
        self.core = CoreEngine(
            self.library,
            Drivers(self.library, self.owners),
            self.owners,
            self.clock,
            RecordStore(self.library, self.events),
            RecordJournal(),
            self.events,
        )
        self.desk = Desk(self.clock, self.events)
        self.workshop = Workshop(self.events)
        self._loop: asyncio.AbstractEventLoop | None = None
        self._tasks: set[asyncio.Task[Any]] = set()

    async def start(self) -> None:
        self._loop = asyncio.get_running_loop()
        await in_records(profiles.take_own, self.library)
        self.core.keep("the event writer", self.events.run)
        self.core.keep("safe copies", self._copies)
        self.core.keep("the journal's check", self._checks)
        self.core.keep("the making of papers", self.workshop.run)
        await self.core.start()

    def _locate(self, line: Line) -> str:
        """A line's present port; where its adapter came back as another one, the record follows."""
        path = follow(line.path, line.adapter, all_ports(settings.DATA / "ports"))
        if path != line.path:
            note = f"Its adapter came back as {path}; before it was {line.path}."
            LineRecord.objects.filter(id=line.id, path=line.path).update(path=path, note=note[:400])
            self.events.put("lines", {"line": line.id})
        return path

    async def let_go(self) -> None:
        """Whoever listens is let go before the doors are closed."""
        self.events.end()
        await self.desk.stop()

    async def stop(self) -> None:
        """Runs under way are cut off; their records let them go on at the next start."""
        for task in list(self._tasks):
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)
        await self.core.stop()
        await self.desk.stop()
        with contextlib.suppress(StoreTrouble):  # browsers load everything anew at the next start anyway
            await self.events.flush()
        self.owners.close()

    async def _copies(self) -> None:
        """A safe copy each day, and one soon after the start where there is none of the last day."""
        data = Path(settings.DATA)
        while True:
            await asyncio.sleep(FIRST_COPY_S)
            newest = next((copy.taken for copy in copies.past(data) if copy.why == "daily"), None)
            if newest is None or not timedelta(0) <= timezone.now() - newest < timedelta(days=1):
                try:
                    await asyncio.to_thread(copies.make, data, "daily")
                except (OSError, sqlite3.Error) as error:
                    log.error("no safe copy of the database could be made: %s. It is tried again.", error)

    async def _checks(self) -> None:
        """The journal's chain is read anew now and then, in a thread of its own: who changes a row is found out."""
        while True:
            broken = (await asyncio.to_thread(_checked)).broken
            if broken is not None:
                self.events.put("notice", {"message": f"The journal is not what was written, from entry {broken} on."})
            await asyncio.sleep(CHECK_EVERY_S)

    def spawn(self, work: Coroutine[Any, Any, Any]) -> asyncio.Task[Any]:
        """Let something go on beside; from the engine's loop."""
        task = asyncio.ensure_future(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        return task

    # For threads

    def abilities(self, profile: str, line: Line) -> Abilities:
        """What a device of that profile can do on that line."""
        return self.core.sessions.source.abilities(profile, line)

    def do(self, command: dict[str, Any], timeout: float = CALL_S) -> dict[str, Any]:
        """Give the engine a command and wait for its answer; from a view's thread."""
        return self.call(self.core.do(command), timeout, goes_on=command.get("do") in GO_ON)

    def release(self, line: str) -> None:
        """The line is no more: its port is given back, and what was begun on it ends; from a view's thread."""
        if self._loop is None:
            return  # nothing is open where nothing runs

        async def released() -> None:
            self.owners.release(line)
            await self.core.do({"do": "end giving", "line": line})
            await self.core.do({"do": "give back", "line": line})

        self.call(released())

    def call(self, work: Coroutine[Any, Any, Result], timeout: float = CALL_S, *, goes_on: bool = False) -> Result:
        """Do something short in the engine's loop and wait for it; from a view's thread. Raises RequestError where it
        takes longer, and was given up; StillGoing for what `goes_on`."""
        if self._loop is None:
            work.close()
            raise RequestError("The engine is not running.", "Start the server with `./netloom serve`.")
        future: concurrent.futures.Future[Result] = concurrent.futures.Future()

        async def answered() -> None:
            try:
                future.set_result(await work)
            except NetloomError as error:
                future.set_exception(error)
            except BaseException as error:
                future.set_exception(error)
                raise

        task: list[asyncio.Task[Any]] = []
        self._from_thread(answered(), task.append)
        try:
            return future.result(timeout)
        except concurrent.futures.TimeoutError:
            if goes_on:
                raise StillGoing(
                    f"No answer came within {timeout:g} s. What was begun goes on: what comes of it is not known yet.",
                    "Wait until the device shows it, and look at its history, before it is asked for again.",
                ) from None
            # Nobody waits for it any more, so it must not happen later either.
            self._loop.call_soon_threadsafe(lambda: [one.cancel() for one in task])
            raise RequestError(
                "That took too long and was given up.", "Look at the run tray, then try again."
            ) from None

    def forget(self, *devices: str) -> None:
        """Their records went: nobody talks to them any more."""
        for device in devices:
            self._from_thread(self.core.do({"do": "forget", "device": device}))

    def submit(self, run: str) -> None:
        """Carry out a run that is on record."""
        self._from_thread(self.core.do({"do": "carry out", "run": run}))

    def make_papers(self) -> None:
        """There is one that was asked for."""
        if self._loop is not None:
            self._loop.call_soon_threadsafe(self.workshop.wake)

    def _from_thread(
        self, work: Coroutine[Any, Any, Any], begun: Callable[[asyncio.Task[Any]], None] = lambda task: None
    ) -> None:
        # In a context of its own: a request's context ties database work to the request's thread.
        if self._loop is None:
            work.close()
            return
        self._loop.call_soon_threadsafe(lambda: begun(self.spawn(work)), context=contextvars.Context())


_engine: Engine | None = None


def _checked() -> journal.Checked:
    try:
        return journal.check()
    finally:
        connection.close()


def engine() -> Engine:
    """The process's engine, made at first use; `start` sets it going."""
    global _engine
    if _engine is None:
        _engine = Engine()
    return _engine
