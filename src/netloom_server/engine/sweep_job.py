"""A sweep as a run: lines first, then the buses behind what was found, then why others are missing."""

from __future__ import annotations

import asyncio
import ipaddress
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from asgiref.sync import sync_to_async
from django.conf import settings

from netloom_core.absence.case import Case
from netloom_core.absence.explain import Absent, explain_all
from netloom_core.errors import AddressOutside
from netloom_core.links.interfaces import own_address
from netloom_core.model.access import Access
from netloom_core.model.device import Target
from netloom_core.model.line import Line as CoreLine
from netloom_core.model.sighting import Sighting
from netloom_core.model.work import RunState, StepState
from netloom_core.sweep.identity import Finding, Known
from netloom_core.sweep.methods.registry import METHODS
from netloom_core.sweep.sweep import SweepResult, sweep
from netloom_server.installation import access, records, sweeping
from netloom_server.installation.models import Device, Line
from netloom_server.installation.why import Cases
from netloom_server.runs import services

if TYPE_CHECKING:
    from netloom_server.engine.engine import Engine

QUICK_S = 5.0  # a method that listens longer than that is not waited for when one address is asked for


@dataclass
class Work:
    """What one stage sweeps. `troubles` are of lines that cannot be used at all."""

    lines: list[CoreLine] = field(default_factory=list)
    known: list[Known] = field(default_factory=list)
    access: dict[str, Access] = field(default_factory=dict)
    parents: dict[str, Target] = field(default_factory=dict)
    troubles: list[dict[str, str]] = field(default_factory=list)
    unusable: list[str] = field(default_factory=list)


class SweepJob:
    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._stops: dict[str, asyncio.Event] = {}

    def stop(self, run: str) -> None:
        if run in self._stops:
            self._stops[run].set()

    async def carry_out(self, run: RunState) -> None:
        """Looking is free of effects, so a sweep that was cut off is simply made again."""
        if run.steps:
            return
        run.state = "running"
        await self._engine.host.save_run(run)
        stop = self._stops[run.id] = asyncio.Event()
        done: dict[str, dict[str, list[int]]] = {}
        try:
            work = await sync_to_async(self._direct)(run)
            result = await self._sweep(run, work, stop, done)
            swept = [*(line.id for line in work.lines), *work.unusable]
            pairs = await sync_to_async(self._record)(run, swept, result)
            behind = await sync_to_async(self._behind)(run, swept)
            if behind.lines and result.complete:
                more = await self._sweep(run, behind, stop, done)
                ids = [line.id for line in behind.lines]
                pairs += await sync_to_async(self._record)(run, ids, more)
                swept += ids
                _merge(result, more)
            absent: list[Absent] = []
            if result.complete:
                cases = await sync_to_async(self._cases)(swept, pairs, result)
                absent = await explain_all(cases)
                await sync_to_async(sweeping.record_missing)(absent)
        finally:
            self._stops.pop(run.id, None)
        await sync_to_async(self._conclude)(run, pairs, result, absent)
        self._engine.events.put("devices", {"run": run.id})

    async def _sweep(
        self, run: RunState, work: Work, stop: asyncio.Event, done: dict[str, dict[str, list[int]]]
    ) -> SweepResult:
        events = self._engine.events

        def saw(sighting: Sighting) -> None:
            if sighting.address:
                told = {"line": sighting.line, "address": sighting.address, "method": sighting.method}
                events.put("sighting", {"run": run.id, **told, "facts": sighting.facts})

        def progress(line: str, method: str, count: int, total: int) -> None:
            done.setdefault(line, {})[method] = [count, total]
            events.put("progress", {"run": run.id, "lines": done}, latest=f"progress:{run.id}")

        result = await sweep(
            work.lines,
            work.known,
            self._engine.library,
            self._engine.owners,
            self._engine.clock,
            saw=saw,
            progress=progress,
            access=work.access,
            parents=work.parents,
            stop=stop,
        )
        result.troubles = [*work.troubles, *result.troubles]
        return result

    async def look_again(self, line: str, address: str) -> SweepResult:
        """A narrow look at one address, by all methods but those that only listen for long; nothing is recorded."""
        work = await sync_to_async(self._narrow)(line)
        result = await sweep(
            work.lines,
            work.known,
            self._engine.library,
            self._engine.owners,
            self._engine.clock,
            access=work.access,
            parents=work.parents,
            only=frozenset({address}),
            methods=[method for method in METHODS if method.wait_s <= QUICK_S],
        )
        result.troubles = [*work.troubles, *result.troubles]
        return result

    # Records; these run in threads

    def _narrow(self, line: str) -> Work:
        run = RunState("", "sweep", "", {"lines": [line]})
        return self._behind(run, []) if Line.objects.get(id=line).kind == "behind" else self._direct(run)

    def _chosen(self, run: RunState) -> list[Line]:
        wanted = run.params.get("lines")
        return list(Line.objects.filter(id__in=wanted) if wanted else Line.objects.all())

    def _direct(self, run: RunState) -> Work:
        work = Work(known=records.known_of(Device.objects.all()))
        for line in self._chosen(run):
            if line.kind == "behind":
                continue
            try:
                _refresh_source(line)
            except AddressOutside as error:
                work.troubles.append(
                    {"line": line.id, "method": "line", "code": error.code, "message": error.message, "try": error.hint}
                )
                work.unusable.append(line.id)
                continue
            work.lines.append(line.as_core())
            work.access[line.id] = access.of_line(line, self._engine.library)
        return work

    def _behind(self, run: RunState, swept: list[str]) -> Work:
        """The buses behind devices: of all lines that were swept, or those that were asked for."""
        self._make_lines_behind()
        work = Work(known=records.known_of(Device.objects.all()))
        wanted = set(run.params.get("lines") or [])
        for line in Line.objects.filter(kind="behind").select_related("parent", "parent__line"):
            parent = line.parent
            if parent is None or not (line.id in wanted or parent.line_id in swept):
                continue
            work.lines.append(line.as_core())
            if parent.status != "missing" and parent.line_id and parent.identity_key:
                work.parents[line.id] = records.target_of(parent, self._engine.library)
        return work

    def _make_lines_behind(self) -> None:
        """A device whose model leads a bus gets that bus as a line when it is first seen."""
        for profile in self._engine.library:
            behind = profile.reach.http.behind if profile.reach.http else None
            if behind is None:
                continue
            for device in Device.objects.filter(profile=profile.id, leads=None).exclude(seen=None):
                name = f"{behind.name} of {device.name}"[:80]
                if not Line.objects.filter(name=name).exists():
                    Line.objects.create(name=name, kind="behind", parent=device)
                    self._engine.events.put("lines", {"line": ""})

    def _record(self, run: RunState, lines: list[str], result: SweepResult) -> sweeping.Pairs:
        return sweeping.record(run.id, lines, result, self._engine.library)

    def _cases(self, swept: list[str], pairs: sweeping.Pairs, result: SweepResult) -> list[Case]:
        cases = Cases(self._engine.library, result.findings, result.troubles)
        for device, finding in pairs:
            finding.device = device.id if device.taken_in else ""
        return [cases.of(device) for device in sweeping.missing_devices(swept, pairs)]

    def _conclude(self, run: RunState, pairs: sweeping.Pairs, result: SweepResult, absent: list[Absent]) -> None:
        names = dict(Line.objects.values_list("id", "name"))
        titles = dict(Device.objects.values_list("id", "name"))
        run.result = {
            "found": [_found(device, finding, names) for device, finding in pairs],
            "missing": [
                {
                    "device": one.device,
                    "name": titles.get(one.device, ""),
                    "line": names.get(one.line, one.line),
                    "reasons": [reason.as_dict() for reason in one.reasons],
                }
                for one in absent
            ],
            "troubles": [{**t, "line": names.get(t["line"], t["line"])} for t in result.troubles],
            "methods": [{**r.as_dict(), "line": names.get(r.line, r.line)} for r in result.reports],
        }
        if not run.params.get("quiet"):
            to_read = [d.id for d, _ in pairs if d.taken_in and records.can_be_read(d, self._engine.library)]
            run.steps = [StepState(ordinal, device, "read") for ordinal, device in enumerate(to_read)]
            services.save_new_steps(run.id, run.steps)
        services.save_run(run)


def _refresh_source(line: Line) -> None:
    """This computer's address on the line now; a laptop's changes. Raises AddressOutside where it has none."""
    if line.kind != "ip":
        return
    source, interface = own_address(
        ipaddress.IPv4Network(line.network), line.interface, loopback_only=settings.LOOPBACK_ONLY
    )
    if (source, interface) != (line.source, line.interface):
        line.source, line.interface = source, interface
        line.save(update_fields=["source", "interface"])


def _merge(result: SweepResult, more: SweepResult) -> None:
    result.findings += more.findings
    result.sightings += more.sightings
    result.troubles += more.troubles
    result.reports += more.reports
    result.complete = result.complete and more.complete


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
        "places": [{"line": names.get(p.line, p.line), "address": p.address} for p in finding.places],
    }
