"""Responders of lines, one for each at most: begun, ended, shown; none outlives the process."""

from __future__ import annotations

import asyncio
from typing import Any

from netloom_core.clock import Clock
from netloom_core.engine.ports import EventSink, Store
from netloom_core.errors import Busy, RequestError
from netloom_core.leases.giving import Giver
from netloom_core.leases.responder import LEASE_S


class Givers:
    def __init__(self, store: Store, clock: Clock, events: EventSink) -> None:
        self._store = store
        self._clock = clock
        self._events = events
        self._given: dict[str, dict[str, tuple[str, float]]] = {}  # by line and MAC address, when that ended
        self._givers: dict[str, tuple[Giver, asyncio.Task[None]]] = {}

    async def begin(self, line: str, minutes: int, by: str) -> dict[str, Any]:
        """Raises Busy where one is on that line already, CannotDo or LinkError where none can be."""
        if line in self._givers:
            raise Busy("Addresses are given on that line already.", "Look at it, or end it first.")
        plan = await self._store.devices.lease_plan(line)
        giver = Giver(
            plan.line,
            lambda: self._store.devices.lease_plan(line),
            self._clock,
            self._clock.now() + minutes * 60,
            by,
            lambda: self._events.put("giving", {"line": line}, latest=f"giving:{line}"),
        )
        now = asyncio.get_running_loop().time()
        giver.given |= {mac: has for mac, (has, at) in self._given.get(line, {}).items() if now - at < LEASE_S}
        task = asyncio.ensure_future(giver.run())
        self._givers[line] = giver, task
        task.add_done_callback(lambda _: self._ended(line, giver))
        return giver.shown()

    def _ended(self, line: str, giver: Giver) -> None:
        self._givers.pop(line, None)
        now = asyncio.get_running_loop().time()
        self._given[line] = {mac: (address, now) for mac, address in giver.given.items()}  # their leases go on
        self._events.put("giving", {"line": line}, latest=f"giving:{line}")
        if giver.trouble:
            self._events.put("notice", {"message": f"{giver.line.name}: {giver.trouble}"})

    def shown(self, line: str) -> dict[str, Any] | None:
        return self._givers[line][0].shown() if line in self._givers else None

    def accept(self, line: str, mac: str, address: str) -> dict[str, Any]:
        if line not in self._givers:
            raise RequestError("No addresses are given on that line now.", "Begin that first.")
        giver = self._givers[line][0]
        giver.accept(mac, address)
        return giver.shown()

    async def end(self, line: str) -> None:
        if line in self._givers:
            task = self._givers[line][1]
            task.cancel()
            await asyncio.gather(task, return_exceptions=True)

    async def stop(self) -> None:
        for line in list(self._givers):
            await self.end(line)
