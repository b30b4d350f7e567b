"""The store and the journal as runs and steps see them; what changed is told as events."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from netloom_core.documents.tree import ALL_READ, Document
from netloom_core.engine.ports import EventSink, Journal, Store
from netloom_core.errors import NetloomError
from netloom_core.model.device import Identity, Target
from netloom_core.model.image import Image
from netloom_core.model.lock import Lock
from netloom_core.model.work import SETTLED, JournalEntry, RunState, StepState


class EngineRecords:
    def __init__(self, store: Store, journal: Journal, events: EventSink) -> None:
        self._store = store
        self._journal = journal
        self._events = events
        self._stopped: set[str] = set()
        self.held: Callable[[str, str, str], str] = lambda device, point, by: ""  # why another one may not drive it

    # The journal

    async def intend(self, entry: JournalEntry) -> None:
        await self._journal.append(entry)
        self._events.put("journal", {"device": entry.device}, latest="journal")

    async def conclude(self, entry: JournalEntry) -> None:
        await self._journal.append(entry)
        self._events.put("journal", {"device": entry.device}, latest="journal")

    async def open_intents(self, run: str) -> Mapping[int, JournalEntry]:
        return {entry.step: entry for entry in await self._journal.open_intents(run)}

    # Devices

    async def targets(self, devices: Iterable[str]) -> Mapping[str, Target | NetloomError]:
        return await self._store.devices.targets(devices)

    async def save_reading(
        self,
        device: str,
        documents: Mapping[str, Document],
        identity: Identity | None,
        time: float,
        unreadable: Mapping[str, str] = ALL_READ,
    ) -> None:
        await self._store.devices.save_reading(device, documents, identity, time, unreadable)
        self._told(device)

    async def save_trouble(self, device: str, message: str) -> None:
        await self._store.devices.save_trouble(device, message)
        self._told(device)

    async def save_place(self, device: str, address: str, speed: int, time: float) -> None:
        await self._store.devices.save_place(device, address, speed, time)
        self._told(device)

    async def bind(self, device: str, address: str, time: float) -> None:
        await self._store.devices.bind(device, address, time)

    async def save_secret(self, device: str, path: str, secret: str, *, user: str | None, level: str = "") -> None:
        await self._store.devices.save_secret(device, path, secret, user=user, level=level)

    async def expect_login(self, device: str, level: str, secret: str) -> None:
        await self._store.devices.expect_login(device, level, secret)

    async def fences(self, device: str) -> Mapping[str, str]:
        return await self._store.devices.fences(device)

    async def locks(self, device: str) -> Sequence[Lock]:
        return await self._store.devices.locks(device)

    async def forget_login(self, device: str) -> None:
        await self._store.devices.forget_login(device)
        self._told(device)

    async def adopt(self, device: str, values: Mapping[str, Any]) -> None:
        await self._store.devices.adopt(device, values)
        self._told(device)

    async def image(self, file: str) -> Image:
        return await self._store.firmware.image(file)

    async def save_firmware(self, device: str, identity: Identity | None, time: float) -> None:
        await self._store.firmware.save_firmware(device, identity, time)
        self._told(device)

    async def became(self, device: str, profile: str) -> None:
        await self._store.firmware.became(device, profile)
        self._told(device)

    async def save_backup(self, device: str, run: str, by: str, *, baseline: bool) -> str:
        ident = await self._store.proofs.save_backup(device, run, by, baseline=baseline)
        self._events.put("backup", {"device": device, "backup": ident})
        return ident

    def _told(self, device: str) -> None:
        self._events.put("device", {"device": device}, latest=f"device:{device}")

    # Runs

    async def save_step(self, run: str, step: StepState) -> None:
        await self._store.runs.save_step(run, step)
        told = {"run": run, "ordinal": step.ordinal, "state": step.state, "step": step.shown()}
        self._events.put("step", told, latest=f"step:{run}:{step.ordinal}")
        if step.state in SETTLED:
            self._told(step.device)

    async def save_run(self, run: RunState) -> None:
        await self._store.runs.save_run(run)
        self._events.put("run", {"run": run.id, "kind": run.kind, "state": run.state}, latest=f"run:{run.id}")

    def stop(self, run: str) -> None:
        """Somebody asked; the record has it too, for after a restart."""
        self._stopped.add(run)

    def forget(self, run: str) -> None:
        self._stopped.discard(run)

    async def cancelled(self, run: str) -> bool:
        return run in self._stopped
