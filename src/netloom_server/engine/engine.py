"""The engine: owns all lines and all device work, in the server's one event loop.

Views run in threads; they create records and hand the engine a run's id, or ask it for
something short with `call`.
"""

from __future__ import annotations

import asyncio
import concurrent.futures
import contextvars
import logging
from collections.abc import Awaitable, Coroutine, Iterable
from typing import Any, TypeVar

from asgiref.sync import sync_to_async
from django.conf import settings

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.drivers.registry import Drivers
from netloom_core.errors import NetloomError, RequestError
from netloom_core.links.ports import all_ports, follow
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.profiles.load import Library
from netloom_core.run.drive import drive
from netloom_core.run.executor import Executor
from netloom_server.consoles.desk import Desk
from netloom_server.engine.events import EventHub
from netloom_server.engine.host import RecordHost
from netloom_server.engine.jobs import Jobs
from netloom_server.engine.quiet import QuietSweeps
from netloom_server.engine.watching import Watching
from netloom_server.installation.models import Line as LineRecord
from netloom_server.runs.models import LIVE, Run

log = logging.getLogger("netloom.engine")
Result = TypeVar("Result")
CALL_S = 30.0
READ_AT_ONCE = 24
STATES_S = 3.0


class Engine:
    def __init__(self) -> None:
        self.library = Library.read(settings.PROFILES)
        self.clock = SystemClock()
        self.events = EventHub()
        self.owners = Owners(self._locate)
        self.drivers = Drivers(self.library, self.owners)
        self.host = RecordHost(self.library, self.events)
        self.executor = Executor(self.library, self.drivers, self.host)
        self.watching = Watching(self.drivers, self.host, self.events)
        self.jobs = Jobs(self)
        self.quiet = QuietSweeps(self)
        self.desk = Desk(self)
        self._loop: asyncio.AbstractEventLoop | None = None
        self._tasks: set[asyncio.Task[Any]] = set()

    async def start(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._spawn(self.events.run())
        self._spawn(self.quiet.run())
        for ident in await sync_to_async(self._unfinished)():
            log.info("run %s goes on after a restart", ident)
            self._spawn(self.jobs.carry_out(ident))

    def _locate(self, line: Line) -> str:
        """A line's present port; where its adapter came back as another one, the record follows."""
        path = follow(line.path, line.adapter, all_ports(settings.DATA / "ports"))
        if path != line.path:
            note = f"Its adapter came back as {path}; before it was {line.path}."
            LineRecord.objects.filter(id=line.id, path=line.path).update(path=path, note=note[:400])
            self.events.put("lines", {"line": line.id})
        return path

    def _unfinished(self) -> list[str]:
        return list(Run.objects.filter(state__in=LIVE).order_by("created").values_list("id", flat=True))

    async def stop(self) -> None:
        """Runs under way are cut off; their records let them go on at the next start."""
        for task in list(self._tasks):
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)
        await self.watching.stop()
        await self.desk.stop()
        await self.events.flush()
        self.owners.close()

    def _spawn(self, work: Coroutine[Any, Any, Any]) -> None:
        task = asyncio.ensure_future(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    def spawn(self, work: Coroutine[Any, Any, Any]) -> None:
        """Let something go on beside; from the engine's loop."""
        self._spawn(work)

    # For threads

    def call(self, work: Coroutine[Any, Any, Result], timeout: float = CALL_S) -> Result:
        """Do something short in the engine's loop and wait for it; from a view's thread."""
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

        self._from_thread(answered())
        try:
            return future.result(timeout)
        except concurrent.futures.TimeoutError:
            raise RequestError(
                "That took too long and was given up.", "Look at the run tray, then try again."
            ) from None

    def submit(self, run: str) -> None:
        """Carry out a run that is on record."""
        self._from_thread(self.jobs.carry_out(run))

    def _from_thread(self, work: Coroutine[Any, Any, Any]) -> None:
        # In a context of its own: a request's context ties database work to the request's thread.
        if self._loop is None:
            work.close()
            return
        self._loop.call_soon_threadsafe(lambda: self._spawn(work), context=contextvars.Context())

    # Short work

    async def read_now(self, devices: Iterable[str]) -> dict[str, str]:
        """Read devices; returns by id why one could not be read."""
        gate = asyncio.Semaphore(READ_AT_ONCE)
        troubles: dict[str, str] = {}

        async def one(device: str) -> None:
            async with gate:
                try:
                    driver = await self.drivers.open(await self.host.target(device))
                    try:
                        running, startup = await driver.read("running"), await driver.read("startup")
                    finally:
                        await driver.close()
                    await self.host.save_documents(device, {"running": running, "startup": startup})
                except NetloomError as error:
                    troubles[device] = error.message

        await _all(one(device) for device in devices)
        return troubles

    async def states(self, target: Target) -> dict[str, str]:
        """Live states of a device's points; empty where it does not answer in time."""
        try:
            async with asyncio.timeout(STATES_S):
                driver = await self.drivers.open(target)
                try:
                    return await driver.states()
                finally:
                    await driver.close()
        except (NetloomError, TimeoutError):
            return {}

    async def drive(self, device: str, point: str, state: str, by: str) -> dict[str, str]:
        target = await self.host.target(device)
        profile = self.library.need(target.profile)
        states = await drive(target, profile, point, state, self.drivers, self.host, by)
        self.events.put("points", {"device": device, "states": states})
        return states


async def _all(work: Iterable[Awaitable[None]]) -> None:
    await asyncio.gather(*work)


_engine: Engine | None = None


def engine() -> Engine:
    """The process's engine, made at first use; `start` sets it going."""
    global _engine
    if _engine is None:
        _engine = Engine()
    return _engine
