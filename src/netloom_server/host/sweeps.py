"""Sweeps: what to look along, and what came of it, out of and into the records."""

from __future__ import annotations

import ipaddress
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from django.conf import settings

from netloom_core.absence.case import Case
from netloom_core.absence.explain import Absent
from netloom_core.engine.ports import EventSink, SweepWork
from netloom_core.errors import AddressOutside
from netloom_core.library.load import Library
from netloom_core.library.standard import model_of
from netloom_core.links.interfaces import own_address
from netloom_core.model.access import Refusals
from netloom_core.model.said import Of, word
from netloom_core.model.work import RunState
from netloom_core.sweep.finding import Finding
from netloom_core.sweep.sweep import SweepResult
from netloom_server.base.crossing import in_records
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services import access, readings, records, sweeping
from netloom_server.installation.services.why import Cases
from netloom_server.runs.models import Run


class SweepRecords:
    """What a run found so far is kept by its id until it is told who is missing."""

    def __init__(self, library: Library, events: EventSink) -> None:
        self._library = library
        self._events = events
        self._pairs: dict[str, sweeping.Pairs] = {}
        self._refusals: dict[str, dict[str, Refusals]] = {}

    async def direct(self, run: RunState) -> SweepWork:
        return await in_records(self._direct, run)

    async def behind(self, run: RunState, swept: Sequence[str]) -> SweepWork:
        return await in_records(self._behind, run, swept)

    async def narrow(self, line: str) -> SweepWork:
        return await in_records(self._narrow, line)

    async def record(self, run: RunState, lines: Sequence[str], result: SweepResult) -> list[dict[str, Any]]:
        return await in_records(self._record, run, list(lines), result)

    async def cases(self, run: RunState, swept: Sequence[str], result: SweepResult) -> list[Case]:
        return await in_records(self._cases, run, swept, result)

    async def record_missing(self, run: RunState, absents: Sequence[Absent]) -> list[dict[str, Any]]:
        return await in_records(self._record_missing, run, absents)

    async def readable(self, run: RunState) -> list[str]:
        return await in_records(self._readable, run)

    async def lines_by_name(self) -> dict[str, str]:
        return await in_records(lambda: dict(Line.objects.values_list("id", "name")))

    def _narrow(self, line: str) -> SweepWork:
        run = RunState("", "sweep", "", {"lines": [line]})
        return self._behind(run, []) if Line.objects.get(id=line).kind == "behind" else self._direct(run)

    def _direct(self, run: RunState) -> SweepWork:
        work = SweepWork(known=records.known_of(Device.objects.all()), common=records.common_keys())
        wanted = run.params.get("lines")
        used = Line.objects.filter(archived=None)
        for line in used.filter(id__in=wanted) if wanted else used:
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
            work.access[line.id] = access.of_line(line, self._library)
        if run.id:
            self._refusals[run.id] = {line: one.refusals for line, one in work.access.items()}
        return work

    def _behind(self, run: RunState, swept: Sequence[str]) -> SweepWork:
        self._make_lines_behind()
        work = SweepWork(known=records.known_of(Device.objects.all()), common=records.common_keys())
        wanted = set(run.params.get("lines") or [])
        behind = Line.objects.filter(kind="behind", archived=None, parent__line__archived=None)
        for line in behind.select_related("parent", "parent__line"):
            parent = line.parent
            if parent is None or not (line.id in wanted or parent.line_id in swept):
                continue
            work.lines.append(line.as_core())
            if parent.status not in readings.AWAY and parent.line_id and parent.identity_key:
                work.parents[line.id] = records.target_of(parent, self._library)
        return work

    def _make_lines_behind(self) -> None:
        """A device whose model leads a bus gets that bus as a line when it is first seen."""
        for profile in self._library:
            behind = profile.leads
            if behind is None:
                continue
            for device in Device.objects.filter(profile=profile.id, leads=None).exclude(seen=None):
                name = f"{behind.name} of {device.name}"[:80]
                if not Line.objects.filter(name=name).exists():
                    Line.objects.create(name=name, kind="behind", parent=device)
                    self._events.put("lines", {"line": ""})

    def _record(self, run: RunState, lines: list[str], result: SweepResult) -> list[dict[str, Any]]:
        for line, refusals in self._refusals.pop(run.id, {}).items():
            access.keep_refusals(line, refusals)
        pairs = sweeping.record(run.id, lines, result, self._library)
        self._pairs.setdefault(run.id, []).extend(pairs)
        names = dict(Line.objects.values_list("id", "name"))
        return [_found(device, finding, names) for device, finding in pairs]

    def _cases(self, run: RunState, swept: Sequence[str], result: SweepResult) -> list[Case]:
        pairs = self._pairs.get(run.id, [])
        cases = Cases(self._library, result.findings, result.troubles, result.reports)
        for device, finding in pairs:
            finding.device = device.id if device.taken_in else ""
        return [cases.of(device) for device in sweeping.missing_devices(swept, pairs)]

    def _record_missing(self, run: RunState, absents: Sequence[Absent]) -> list[dict[str, Any]]:
        sweeping.record_missing(absents, _begun(run))
        names = dict(Line.objects.values_list("id", "name"))
        titles = dict(Device.objects.values_list("id", "name"))
        return [
            {
                "device": one.device,
                "name": titles.get(one.device, ""),
                "line": names.get(one.line, one.line),
                "reasons": [reason.as_dict() for reason in one.reasons],
                "word": word(Of.PLACE, one.seen),
            }
            for one in absents
        ]

    def _readable(self, run: RunState) -> list[str]:
        pairs = self._pairs.pop(run.id, [])
        return [d.id for d, _ in pairs if d.taken_in and records.can_be_read(d, self._library)]


def _begun(run: RunState) -> datetime:
    return Run.objects.values_list("created", flat=True).get(id=run.id)


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


def _found(device: Device, finding: Finding, names: dict[str, str]) -> dict[str, Any]:
    status = finding.status
    if status == "new" and not model_of(device.profile):
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
