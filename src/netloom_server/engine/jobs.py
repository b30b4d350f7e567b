"""What each kind of run does around the core's executor."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING, Any

from asgiref.sync import sync_to_async
from django.utils import timezone

from netloom_core.backup.verify import summary
from netloom_core.model.work import DONE, RunState
from netloom_server.engine.sweep_job import SweepJob
from netloom_server.installation import records
from netloom_server.installation.decisions import adopt
from netloom_server.installation.models import Device
from netloom_server.runs.models import Run

if TYPE_CHECKING:
    from netloom_server.engine.engine import Engine

log = logging.getLogger("netloom.jobs")


class Jobs:
    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self.sweeps = SweepJob(engine)

    def stop(self, run: str) -> None:
        """A sweep listens at once; other runs ask between steps."""
        self._engine.host.stop(run)
        self.sweeps.stop(run)

    async def carry_out(self, ident: str) -> None:
        """One run to its end. A fault of ours is logged and ends the run with a plain message."""
        record = await Run.objects.aget(id=ident)
        run = await sync_to_async(record.as_core)()
        if record.cancel:
            self._engine.host.stop(ident)
        try:
            if run.kind == "sweep":
                await self.sweeps.carry_out(run)
            await self._engine.executor.execute(run)
            await self._finish(run)
        except Exception:
            log.exception("run %s broke", ident)
            run.state = "failed"
            run.message = (
                "Netloom made a mistake of its own; the server's log has it. What was written is in the journal."
            )
            raise
        finally:
            if run.state not in ("waiting", "running"):
                await self._engine.host.save_run(run)

    # Endings

    async def _finish(self, run: RunState) -> None:
        if run.kind == "verify":
            await sync_to_async(self._prove)(run)
        elif run.kind in ("restore", "undo"):
            await sync_to_async(self._adopt)(run)
        elif run.kind == "backup":
            run.result = {"backups": [s.evidence["backup"] for s in run.steps if s.evidence.get("backup")]}
        if run.kind in ("verify", "read", "sweep", "backup"):
            await sync_to_async(self._note_troubles)(run)
        if run.kind == "sweep":
            run.state = "cancelled" if run.state == "cancelled" else "done"

    def _note_troubles(self, run: RunState) -> None:
        for step in run.steps:
            if step.state != DONE and step.message:
                Device.objects.filter(id=step.device).update(read_trouble=step.message[:400])
                self._engine.events.put("device", {"device": step.device})

    def _prove(self, run: RunState) -> None:
        """The proof of each device that the run read; kept with the device and in the run."""
        devices = []
        for step in run.steps:
            device = Device.objects.get(id=step.device)
            proof = records.prove(device, self._engine.library, trouble="" if step.state == DONE else step.message)
            item: dict[str, Any] = {
                "device": device.id,
                "name": device.name,
                "result": proof.result,
                "differences": proof.differences,
                "message": proof.message,
            }
            device.proof, device.proven = item, timezone.now()
            device.save(update_fields=["proof", "proven"])
            self._engine.events.put("device", {"device": device.id})
            devices.append(item)
        run.result = {"devices": devices, "summary": summary(item["result"] for item in devices)}
        run.state = "cancelled" if run.state == "cancelled" else "done"

    def _adopt(self, run: RunState) -> None:
        for step in run.steps:
            if step.state == DONE:
                values = {change["path"]: change["to"] for change in step.params.get("changes", [])}
                adopt(Device.objects.get(id=step.device), values, self._engine.library)
