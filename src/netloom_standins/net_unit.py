"""A unit on a network: the services that make it up go up and down with its power."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.tree import get
from netloom_standins.net_face import NetFace
from netloom_standins.services.base import Service
from netloom_standins.services.registry import SERVICES

CLASH_S = 0.5
UNSET = "0.0.0.0"  # noqa: S104 - an address that was never given; nothing is bound to it


@dataclass
class NetUnit(NetFace):
    services: list[Service] = field(default_factory=list)
    on_power: Callable[[bool], None] = lambda on: None
    _jobs: set[asyncio.Task[Any]] = field(default_factory=set)

    async def start(self) -> None:
        address = get(self.running, "/network/address")
        self.address = address if isinstance(address, str) and address not in ("", UNSET) else self.address
        services = [SERVICES[name](self, options or {}) for name, options in self.answers.items()]
        self.services = [service for service in services if await service.begin()]
        self.up = True
        self.on_power(True)

    async def stop(self) -> None:
        """Off: every connection is cut, nothing listens."""
        self.up = False
        self.on_power(False)
        for service in self.services:
            await service.stop()
        self.services = []

    def power_off(self) -> None:
        self.up = False
        self._job(self.stop())
        self.lose_unkept()

    def power_on(self) -> None:
        self._job(self._boot())

    async def power_cut(self) -> None:
        await self.stop()
        self.lose_unkept()
        self._job(self._boot())

    async def _boot(self) -> None:
        await asyncio.sleep(self.faults.boot_seconds)
        while not self.up:
            try:
                await self.start()
            except OSError:  # another one has its address already: here the second one waits until it is free
                await self.stop()
                await asyncio.sleep(CLASH_S)

    def _job(self, work: Any) -> None:
        task = asyncio.ensure_future(work)
        self._jobs.add(task)
        task.add_done_callback(self._jobs.discard)
