"""Live states of devices that somebody looks at. Ends by itself when nobody asks any more."""

from __future__ import annotations

import asyncio

from netloom_core.errors import NetloomError
from netloom_core.model.ports import DriverSource, Host
from netloom_server.engine.events import EventHub

LEASE_S = 45.0
AGAIN_S = 3.0
MAX_WATCHED = 64


class Watching:
    def __init__(self, drivers: DriverSource, host: Host, events: EventHub) -> None:
        self._drivers = drivers
        self._host = host
        self._events = events
        self._until: dict[str, float] = {}
        self._tasks: dict[str, asyncio.Task[None]] = {}
        self._states: dict[str, dict[str, str]] = {}

    async def look_at(self, device: str) -> dict[str, str]:
        """Keep its states coming for a while; returns what is known now."""
        self._until[device] = asyncio.get_running_loop().time() + LEASE_S
        if device not in self._tasks and len(self._tasks) < MAX_WATCHED:
            task = asyncio.ensure_future(self._follow(device))
            self._tasks[device] = task
            task.add_done_callback(lambda _: self._tasks.pop(device, None))
        return self._states.get(device, {})

    def _wanted(self, device: str) -> bool:
        return asyncio.get_running_loop().time() < self._until.get(device, 0)

    async def _follow(self, device: str) -> None:
        while self._wanted(device):
            try:
                await self._once(device)
            except NetloomError as error:
                self._states.pop(device, None)
                self._events.put("points", {"device": device, "states": {}, "trouble": error.message})
            await asyncio.sleep(AGAIN_S)
        self._states.pop(device, None)

    async def _once(self, device: str) -> None:
        driver = await self._drivers.open(await self._host.target(device))
        try:
            async for states in driver.watch():
                self._states.setdefault(device, {}).update(states)
                self._events.put("points", {"device": device, "states": states})
                if not self._wanted(device):
                    return
        finally:
            await driver.close()

    async def stop(self) -> None:
        for task in list(self._tasks.values()):
            task.cancel()
        await asyncio.gather(*self._tasks.values(), return_exceptions=True)
