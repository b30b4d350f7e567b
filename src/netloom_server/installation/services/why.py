"""Cases for the core's question why something is not there, out of the records."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from django.conf import settings
from django.utils import timezone

from netloom_core.absence.case import Case, History, Looked
from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.links.ports import PortInfo, all_ports
from netloom_core.model.device import Identity
from netloom_core.model.snmp import USUAL_COMMUNITY
from netloom_core.plan.procedures import out_of_step
from netloom_core.sweep.finding import Finding, Known, Place
from netloom_core.sweep.sweep import Report
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device, Line, Sighting
from netloom_server.installation.services import access, records
from netloom_server.runs.models import JournalEntry

WRITES_SHOWN = 3
BY_PERSON = "person"  # the method of a sighting that somebody made with their own eyes
LOOKED_FOR = timedelta(hours=12)
NOTHING_WRITTEN = ("refused", "not_sent", "failed")


class Cases:
    """What all cases of one sweep have in common is asked for once."""

    def __init__(
        self,
        library: Library,
        findings: Sequence[Finding],
        troubles: Sequence[dict[str, str]],
        reports: Sequence[Report] | None = None,
    ) -> None:
        self._reports = reports
        self._library = library
        self._findings = findings
        self._troubles = troubles
        lines = list(Line.objects.select_related("parent"))
        self._lines = {line.id: line for line in lines}
        self._core = [line.as_core() for line in lines]
        self._others = dict(Device.objects.values_list("id", "name"))
        self._ports: list[PortInfo] = all_ports(settings.DATA / "ports")

    def of(self, device: Device) -> Case:
        known = records.known_of([device])[0]
        return self._case(known, device.name, device.line_id or "", self._history(device), tuple(device.methods))

    def at(self, line: Line, address: str) -> Case:
        """For an address that a person typed; a device that has it is asked for by its record."""
        return self._case(Known("", "", "", line.id, address), address, line.id, History())

    def _case(self, known: Known, name: str, line: str, history: History, met: tuple[str, ...] = ()) -> Case:
        reports = None if self._reports is None else [one for one in self._reports if one.line == line]
        record = self._lines[line]
        return Case(
            record=known,
            name=name,
            line=record.as_core(),
            findings=self._findings,
            troubles=self._troubles,
            library=self._library,
            lines=self._core,
            others=self._others,
            history=history,
            ports=self._ports,
            parent_name=record.parent.name if record.parent else "",
            parent_profile=record.parent.profile if record.parent else "",
            met=met,
            reports=reports,
        )

    def _history(self, device: Device) -> History:
        switch = device.switch or {}
        holder = Device.objects.filter(address=switch.get("address", "-")).first()
        interface = str(switch.get("interface") or switch.get("port", ""))
        return History(
            seen=_last_seen(device),
            writes=_writes(device),
            staged=_staged(device, self._library),
            switch=switch.get("address", ""),
            switch_name=holder.name if holder else "",
            switch_port=str(switch.get("port", "")),
            switch_interface=int(interface) if interface.isdecimal() else 0,
            community=_community(holder),
            looked=_looked(device),
            ports=tuple(int(port) for port in device.facts.get("ports", "").split() if port.isdecimal())[:8],
        )


def _looked(device: Device) -> tuple[Looked, ...]:
    """What people saw at it since it was last heard, the newest of each light."""
    since = max(timezone.now() - LOOKED_FOR, device.seen or timezone.now() - LOOKED_FOR)
    newest: dict[str, Looked] = {}
    for seen in device.sightings.filter(method=BY_PERSON, time__gt=since).order_by("id"):
        facts = {name: str(seen.facts.get(name, "")) for name in ("printed", "pattern", "colour", "by")}
        newest[facts["printed"]] = Looked(**facts, minutes=int((timezone.now() - seen.time).total_seconds() // 60))
    return tuple(newest.values())


def look(device: Device, printed: str, pattern: str, colour: str, by: str, library: Library) -> dict[str, str]:
    """Put on record what somebody sees at it; gives what that means. Raises RequestError for what it cannot show."""
    profile = library.get(device.profile)
    light = next((one for one in (profile.lights if profile else ()) if one.printed == printed), None)
    if light is None or device.line is None:
        raise RequestError(f"{device.name} has no light {printed!r}.", "Its profile says which it has.")
    meaning = next((m for m in light.patterns if (m.pattern, m.colour) == (pattern, colour)), None)
    if meaning is None:
        known = ", ".join(f"{m.colour} {m.pattern}".strip() for m in light.patterns)
        raise RequestError(f"What {printed} means by that is not known.", f"Its profile knows: {known}.")
    facts = {"printed": printed, "pattern": pattern, "colour": colour, "by": by, "means": meaning.means}
    Sighting.objects.create(device=device, line=device.line, method=BY_PERSON, facts=facts, time=timezone.now())
    calm = out_of_step(profile) if profile is not None and meaning.says == "out-of-step" else ""
    return {"means": meaning.means, "then": meaning.then, "calm": calm}


def _community(switch: Device | None) -> str:
    if switch is None or switch.line is None:
        return USUAL_COMMUNITY
    return next(iter(access.of_line(switch.line).communities), USUAL_COMMUNITY)


def _last_seen(device: Device) -> str:
    if device.seen is None:
        return (
            "No sweep ever saw it" if device.identity_key == "" else "Known from the records, but no sweep ever saw it"
        )
    ago = timezone.now() - device.seen
    minutes = int(ago.total_seconds() // 60)
    when = (
        f"{minutes} min ago" if minutes < 120 else f"{minutes // 60} h ago" if minutes < 2880 else f"{ago.days} d ago"
    )
    last = device.sightings.exclude(address="").order_by("-id").first()
    how = f" by {last.method} at {last.address}" if last else ""
    return f"Last seen {when}{how}"


def _writes(device: Device) -> tuple[str, ...]:
    """What was written since it was last seen, or may have been; what was refused or never left is left out."""
    entries = [one.entry for one in JournalEntry.objects.filter(device=device.id).order_by("-id")[:80]]
    since = device.seen.isoformat() if device.seen else ""
    undone = {e.get("intent") for e in entries if e.get("kind") == "outcome" and e.get("outcome") in NOTHING_WRITTEN}
    found = []
    for entry in entries:
        if entry.get("intent") in undone:
            continue
        changes = entry.get("changes") or []
        if str(entry.get("time", "")) >= since and changes and entry.get("kind") == "intent":
            what = ", ".join(f"{c.get('path')} to {c.get('to')}" for c in changes[:3])
            found.append(f"{what} by {entry.get('by', 'somebody')}")
    return tuple(found[:WRITES_SHOWN])


def _staged(device: Device, library: Library) -> str:
    """What was stored to be taken at a restart that has not come yet, by the last documents read."""
    profile = library.get(device.profile)
    if profile is None or not device.running or not device.startup:
        return ""
    found = Document.load_many({device.running, device.startup})
    running, startup = found.get(device.running, {}), found.get(device.startup, {})
    for path, setting in profile.by_path.items():
        if setting.takes == "on-restart":
            now, then = get(running, path), get(startup, path)
            if then is not MISSING and now != then:
                return f"{setting.label} {then} was stored and is taken only then"
    return ""


def remembered(but: Sequence[Finding]) -> list[Finding]:
    """What the last sweeps found, out of the records, where a narrow look did not look."""
    looked = {(f.line, f.address) for f in but}
    return [
        Finding(
            line=d.line_id or "",
            address=d.address,
            speed=d.speed,
            identity=Identity(d.maker, d.model, d.serial, d.firmware),
            profile=d.profile,
            status=d.status,
            device=d.id if d.taken_in else "",
            methods=d.methods,
            facts=d.facts,
            keys=tuple(d.keys),
            places=(Place(d.line_id or "", d.address, d.speed),),
        )
        for d in Device.objects.select_related("unit").exclude(status__in=("missing", "planned")).exclude(seen=None)
        if (d.line_id, d.address) not in looked
    ]
