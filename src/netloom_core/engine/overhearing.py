"""Serial lines that somebody looks at: what passes, and listening where nobody of ours talks. Nothing is sent."""

from __future__ import annotations

import asyncio
import base64
from typing import Any

from netloom_core.bus.owner import Owners, SerialOwner
from netloom_core.bus.turns import Priority
from netloom_core.engine.ports import Store
from netloom_core.errors import CannotDo, NetloomError
from netloom_core.model.line import Line

LOOKED_S = 6.0  # since somebody looked last
TURN_S = 0.25  # others wait no longer than that for us
APART_S = 0.02
AGAIN_S = 2.0  # after a trouble
MOST = 200  # pieces in one answer


class Overhearing:
    def __init__(self, store: Store, owners: Owners) -> None:
        self._store, self._owners = store, owners
        self._until: dict[str, float] = {}
        self._tasks: dict[str, asyncio.Task[None]] = {}
        self._trouble: dict[str, str] = {}

    async def look_at(self, ident: str, since: int) -> dict[str, Any]:
        """What passed after number `since`. Raises CannotDo where the line is no serial one."""
        line = (await self._store.devices.lease_plan(ident)).line
        if line.kind != "serial":
            raise CannotDo("Traffic is shown of serial lines.", "Nothing was sent.")
        self._until[ident] = asyncio.get_running_loop().time() + LOOKED_S
        if ident not in self._tasks:
            self._trouble.pop(ident, None)
            task = self._tasks[ident] = asyncio.ensure_future(self._listen(line))
            task.add_done_callback(lambda _: self._tasks.pop(ident, None))
        owner = self._owners.serial(line)
        passed = owner.traffic.since(since)
        left = len(passed) > MOST
        return {
            "pieces": [
                {"number": one.number, "time": one.time, "out": one.out, "who": one.who,
                 "data": base64.b64encode(one.data).decode()}
                for one in passed[-MOST:]
            ],
            "more": left,
            "errors": owner.errors(),
            "trouble": self._trouble.get(ident, ""),
            "holder": owner.holder,
        }  # fmt: skip

    async def _listen(self, line: Line) -> None:
        owner, loop = self._owners.serial(line), asyncio.get_running_loop()
        while loop.time() < self._until[line.id]:
            try:
                await self._a_while(owner)
                self._trouble.pop(line.id, None)
                await asyncio.sleep(APART_S)
            except NetloomError as error:
                self._trouble[line.id] = error.message
                await asyncio.sleep(AGAIN_S)

    async def _a_while(self, owner: SerialOwner) -> None:
        """The least urgent of all turns. The line stays set as the last one had it; nobody speaks in it but others."""
        async with owner.turn("traffic view", Priority.SWEEP) as link:
            await link.read(TURN_S)

    async def stop(self) -> None:
        tasks = list(self._tasks.values())
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
