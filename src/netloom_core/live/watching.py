"""Live states of devices that somebody looks at. Ends by itself when nobody asks any more."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Awaitable, Callable

from netloom_core.errors import NetloomError
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Target

log = logging.getLogger("netloom.watching")
LEASE_S = 45.0
AGAIN_S = 3.0
MAX_WATCHED = 256  # more than the point monitor ever asks for
Tell = Callable[[str, dict[str, str], str], None]


class Watching:
    """`tell` takes device, states and the trouble where there is one."""

    def __init__(self, sessions: Sessions, target: Callable[[str], Awaitable[Target]], tell: Tell) -> None:
        self._sessions = sessions
        self._target = target
        self._tell = tell
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
        try:
            while self._wanted(device):
                try:
                    await self._once(device)
                except NetloomError as error:
                    self._lost(device, error.message)
                except Exception:
                    log.exception("watching %s broke", device)
                    self._lost(device, "Netloom made a mistake of its own while watching it; its log has it.")
                await asyncio.sleep(AGAIN_S)
        finally:
            self._states.pop(device, None)
            self._until.pop(device, None)

    def _lost(self, device: str, why: str) -> None:
        self._states.pop(device, None)
        self._tell(device, {}, why)

    async def _once(self, device: str) -> None:
        session = await self._sessions.of(await self._target(device))
        place = session.target.place
        async with contextlib.aclosing(session.watch("watching")) as changes:
            async for states in changes:
                self._states.setdefault(device, {}).update(states)
                self._tell(device, states, "")
                if not self._wanted(device) or session.target.place != place:
                    return

    async def stop(self) -> None:
        for task in list(self._tasks.values()):
            task.cancel()
        await asyncio.gather(*self._tasks.values(), return_exceptions=True)
