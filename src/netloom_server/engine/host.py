"""The core's Host on Django's records. The one place where the ORM meets the core's runs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from asgiref.sync import sync_to_async
from django.utils import timezone

from netloom_core.model.device import Identity, Target
from netloom_core.model.work import SETTLED, JournalEntry, RunState, StepState
from netloom_core.profiles.load import Library
from netloom_server.backups.services import keep_backup
from netloom_server.config.problems import NotFound
from netloom_server.engine.events import EventHub
from netloom_server.installation import records
from netloom_server.installation.models import Device
from netloom_server.runs import services
from netloom_server.runs.models import Run


class RecordHost:
    def __init__(self, library: Library, events: EventHub) -> None:
        self._library = library
        self._events = events
        self._stopped: set[str] = set()
        self._begun_by: dict[str, str] = {}
        self._ready: dict[str, Target] = {}
        self._records: dict[str, Device] = {}
        self._just_read: dict[str, Device] = {}

    async def prepare(self, devices: Sequence[str]) -> None:
        found = await sync_to_async(records.with_access)(devices)
        self._records.update(found)
        self._ready.update(await sync_to_async(self._targets)(found))

    def _targets(self, found: Mapping[str, Device]) -> dict[str, Target]:
        return {ident: records.target_of(one, self._library) for ident, one in found.items() if one.line_id}

    async def target(self, device: str) -> Target:
        # What was prepared serves once: the next step may find the device somewhere else.
        ready = self._ready.pop(device, None)
        return ready or await sync_to_async(self._target)(device)

    def _target(self, device: str) -> Target:
        found = records.with_access([device]).get(device)
        if found is None:
            raise NotFound("The device's record was removed meanwhile.", "Nothing was written to it.")
        return records.target_of(found, self._library)

    async def save_documents(self, device: str, documents: Mapping[str, dict[str, Any]]) -> None:
        record = self._records.pop(device, None) or device
        self._just_read[device] = await sync_to_async(records.save_documents)(record, documents, self._library)
        self._events.put("device", {"device": device}, latest=f"device:{device}")

    async def save_identity(self, device: str, identity: Identity) -> None:
        await sync_to_async(self._save_identity)(device, identity)

    def _save_identity(self, device: str, identity: Identity) -> None:
        record = Device.objects.get(id=device)
        record.firmware = identity.firmware or record.firmware
        record.facts = {**record.facts, **identity.facts}
        record.save(update_fields=["firmware", "facts"])

    async def save_place(self, device: str, address: str, speed: int) -> None:
        await sync_to_async(self._save_place)(device, address, speed)
        self._events.put("device", {"device": device}, latest=f"device:{device}")

    def _save_place(self, device: str, address: str, speed: int) -> None:
        Device.objects.filter(id=device).update(
            address=address, speed=speed, status="known", reasons=[], seen=timezone.now()
        )

    async def save_step(self, run: str, step: StepState) -> None:
        await sync_to_async(services.save_step)(run, step)
        key = f"step:{run}:{step.ordinal}"
        self._events.put("step", {"run": run, "ordinal": step.ordinal, "state": step.state}, latest=key)
        if step.state in SETTLED:
            self._events.put("device", {"device": step.device}, latest=f"device:{step.device}")

    async def save_run(self, run: RunState) -> None:
        await sync_to_async(services.save_run)(run)
        if run.state not in ("waiting", "running"):
            self._forget(run)
        self._events.put("run", {"run": run.id, "kind": run.kind, "state": run.state}, latest=f"run:{run.id}")

    def _forget(self, run: RunState) -> None:
        """What was fetched ahead for a run does not outlive it."""
        self._begun_by.pop(run.id, None)
        for step in run.steps:
            for ahead in (self._ready, self._records, self._just_read):
                ahead.pop(step.device, None)

    def stop(self, run: str) -> None:
        """Somebody asked; the record has it too, for after a restart."""
        self._stopped.add(run)

    async def cancelled(self, run: str) -> bool:
        return run in self._stopped

    async def journal(self, entry: JournalEntry) -> None:
        data = asdict(entry)
        data["changes"] = list(entry.changes)
        data["time"] = timezone.now().isoformat()
        await sync_to_async(services.append_journal)(data, entry.device, entry.run)
        self._events.put("journal", {"device": entry.device}, latest="journal")

    async def save_backup(self, device: str, run: str, *, baseline: bool) -> str:
        if run not in self._begun_by:
            self._begun_by[run] = (await Run.objects.aget(id=run)).by
        by = self._begun_by[run]
        ident = await sync_to_async(keep_backup)(self._just_read.pop(device), run, by, baseline, self._library)
        self._events.put("backup", {"device": device, "backup": ident})
        return ident
