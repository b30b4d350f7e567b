"""What each kind of run does around the core's executor."""

from __future__ import annotations

import asyncio
import logging
from typing import TYPE_CHECKING, Any

from asgiref.sync import sync_to_async
from django.utils import timezone

from netloom_core.backup.verify import summary
from netloom_core.model.line import Line as CoreLine
from netloom_core.model.sighting import Sighting
from netloom_core.model.work import DONE, RunState, StepState
from netloom_core.sweep.identity import Finding, Known
from netloom_core.sweep.sweep import SweepResult, sweep
from netloom_server.installation import records, sweeping
from netloom_server.installation.decisions import adopt
from netloom_server.installation.models import Device, Line
from netloom_server.runs import services
from netloom_server.runs.models import Run

if TYPE_CHECKING:
    from netloom_server.engine.engine import Engine

log = logging.getLogger("netloom.jobs")


class Jobs:
    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._stops: dict[str, asyncio.Event] = {}

    def stop(self, run: str) -> None:
        """A sweep listens at once; other runs ask between steps."""
        self._engine.host.stop(run)
        if run in self._stops:
            self._stops[run].set()

    async def carry_out(self, ident: str) -> None:
        """One run to its end. A fault of ours is logged and ends the run with a plain message."""
        record = await Run.objects.aget(id=ident)
        run = await sync_to_async(record.as_core)()
        if record.cancel:
            self._engine.host.stop(ident)
        try:
            if run.kind == "sweep":
                await self._sweep(run)
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

    # Sweep

    async def _sweep(self, run: RunState) -> None:
        """Looking is free of effects, so a sweep that was cut off is simply made again."""
        if run.steps:
            return
        await self._engine.host.save_run(_running(run))
        lines, known = await sync_to_async(self._what_to_sweep)(run)
        events = self._engine.events
        done: dict[str, dict[str, list[int]]] = {}

        def saw(sighting: Sighting) -> None:
            events.put(
                "sighting",
                {
                    "run": run.id,
                    "line": sighting.line,
                    "address": sighting.address,
                    "method": sighting.method,
                    "facts": sighting.facts,
                },
            )

        def progress(line: str, method: str, count: int, total: int) -> None:
            done.setdefault(line, {})[method] = [count, total]
            events.put("progress", {"run": run.id, "lines": done}, latest=f"progress:{run.id}")

        stop = self._stops[run.id] = asyncio.Event()
        try:
            result = await sweep(
                lines,
                known,
                self._engine.library,
                self._engine.owners,
                self._engine.clock,
                saw=saw,
                progress=progress,
                stop=stop,
            )
        finally:
            self._stops.pop(run.id, None)
        await sync_to_async(self._record_sweep)(run, [line.id for line in lines], result)
        events.put("devices", {"run": run.id})

    def _what_to_sweep(self, run: RunState) -> tuple[list[CoreLine], list[Known]]:
        lines = Line.objects.filter(id__in=run.params["lines"]) if run.params.get("lines") else Line.objects.all()
        chosen = list(lines)
        ids = {line.id for line in chosen}
        devices = Device.objects.filter(line_id__in=ids)
        elsewhere = Device.objects.exclude(line_id__in=ids).exclude(identity_key="")
        known = records.known_of([*devices, *elsewhere])
        return [line.as_core() for line in chosen], known

    def _record_sweep(self, run: RunState, lines: list[str], result: SweepResult) -> None:
        pairs = sweeping.record(run.id, lines, result)
        names = {line.id: line.name for line in Line.objects.all()}
        run.result = {
            "found": [_found(device, finding, names) for device, finding in pairs],
            "missing": [
                {
                    "device": absent.device,
                    "name": Device.objects.get(id=absent.device).name,
                    "line": names.get(absent.line, absent.line),
                    "reasons": [reason.as_dict() for reason in absent.reasons],
                }
                for absent in result.missing
                if Device.objects.filter(id=absent.device, taken_in=True).exists()
            ],
            "troubles": [{**t, "line": names.get(t["line"], t["line"])} for t in result.troubles],
        }
        to_read = [device.id for device, _ in pairs if device.taken_in and device.profile]
        run.steps = [StepState(ordinal, device, "read") for ordinal, device in enumerate(to_read)]
        services.save_new_steps(run.id, run.steps)
        services.save_run(run)

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


def _running(run: RunState) -> RunState:
    run.state = "running"
    return run


def _found(device: Device, finding: Finding, names: dict[str, str]) -> dict[str, Any]:
    status = finding.status
    if status == "new" and not device.profile:
        status = "unknown"
    return {
        "device": device.id,
        "name": device.name,
        "line": names.get(finding.line, finding.line),
        "address": finding.address,
        "speed": finding.speed,
        "methods": finding.methods,
        "facts": finding.facts,
        "status": status,
    }
