"""A unit on a network: its address, the facts it is known by, and the services that make it up."""

from __future__ import annotations

import asyncio
import hashlib
import uuid
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.tree import get
from netloom_standins.services.base import Service
from netloom_standins.services.registry import SERVICES
from netloom_standins.units import Unit

LOCAL_PREFIX = "0a:4e:4c"


@dataclass
class NetUnit(Unit):
    """`model_reported` and `mac_reported` are what it says where that is not what its label says."""

    address: str = ""
    up: bool = False
    model_reported: str = ""
    mac_reported: str = ""
    answers: dict[str, dict[str, Any]] = field(default_factory=dict)
    services: list[Service] = field(default_factory=list)
    _jobs: set[asyncio.Task[Any]] = field(default_factory=set)

    @property
    def mac(self) -> str:
        if self.mac_reported:
            return self.mac_reported
        prefix = (self.profile.mac_prefixes or [LOCAL_PREFIX])[0]
        number = int.from_bytes(hashlib.sha256(self.serial.encode()).digest()[:3], "big")
        return prefix + ":" + ":".join(f"{(number >> shift) & 0xFF:02x}" for shift in (16, 8, 0))

    @property
    def uuid(self) -> str:
        return str(uuid.uuid5(uuid.NAMESPACE_OID, f"{self.profile.id} {self.serial}"))

    @property
    def host(self) -> str:
        name = get(self.running, "/name")
        text = name if isinstance(name, str) and name else self.name or self.serial
        return text.lower().replace(" ", "-")

    @property
    def reported_model(self) -> str:
        return self.model_reported or self.profile.model

    def where(self) -> str:
        return self.address

    async def start(self) -> None:
        address = get(self.running, "/network/address")
        self.address = address if isinstance(address, str) and address else self.address
        self.services = [SERVICES[name](self, options or {}) for name, options in self.answers.items()]
        for service in self.services:
            await service.start()
        self.up = True

    async def stop(self) -> None:
        """Off: every connection is cut, nothing listens."""
        self.up = False
        for service in self.services:
            await service.stop()
        self.services = []

    async def power_cut(self) -> None:
        await self.stop()
        self.lose_unkept()
        self._job(self._boot())

    async def _boot(self) -> None:
        await asyncio.sleep(self.faults.boot_seconds)
        if not self.up:
            await self.start()

    def _job(self, work: Any) -> None:
        task = asyncio.ensure_future(work)
        self._jobs.add(task)
        task.add_done_callback(self._jobs.discard)
