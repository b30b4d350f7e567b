"""What devices were read to have, put on record: documents, what was lost, what differs now."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction

from netloom_core.addressing.bound import after_reading
from netloom_core.backup.verify import losses
from netloom_core.documents.tree import MISSING, digest, get
from netloom_core.library.load import Library
from netloom_core.links.tls import TLS_PIN
from netloom_core.model.device import Identity
from netloom_core.model.said import Of, Seen, word
from netloom_core.profiles.profile import Profile
from netloom_server.backups.models import Document
from netloom_server.base.moments import latest, newer
from netloom_server.installation.models import Change, Device, Unit
from netloom_server.installation.services.fitting import unit_of
from netloom_server.installation.services.records import recount_all

MISSED = word(Of.PLACE, Seen.NOT_TOLD)
AWAY = (MISSED, word(Of.PLACE, Seen.NOT_LOOKED))  # nobody knew of them that they are there
MAX_UNREADABLE, MAX_WHY = 500, 200
FIELDS = ["read", "read_trouble", "unreadable", "firmware", "facts", "running", "startup", "lost", "bound", "pins"]


@dataclass(frozen=True)
class Reading:
    """Documents by the name of their set, asked for at `time`; a set that was not asked for is missing, one
    of which it told nothing is empty: what it had of that before is not known any more."""

    device: str
    documents: Mapping[str, dict[str, Any]]
    identity: Identity | None
    time: datetime
    unreadable: Mapping[str, str] = field(default_factory=dict)


@transaction.atomic
def save_readings(readings: Sequence[Reading], library: Library) -> list[None]:
    """What was read later of a device stays, whatever comes now. Devices that are gone are left out."""
    found = Device.objects.in_bulk({reading.device for reading in readings})
    held: dict[str, dict[str, Any]] = {}  # by digest
    fresh: set[str] = set()
    before: dict[str, tuple[str, str]] = {}
    units: dict[str, Unit] = {}
    for reading in sorted(readings, key=lambda one: one.time):
        device = found.get(reading.device)
        if device is None:
            continue
        unit = unit_of(device)
        if newer(unit.read, reading.time):
            continue
        units[device.id] = unit
        unit.read, unit.read_trouble = reading.time, ""
        unit.unreadable = {path: why[:MAX_WHY] for path, why in list(reading.unreadable.items())[:MAX_UNREADABLE]}
        if reading.identity is not None:
            _says(unit, reading.identity, library.get(device.profile))
        now = {name: digest(document) if document else "" for name, document in reading.documents.items()}
        held |= {now[name]: document for name, document in reading.documents.items() if document}
        fresh |= set(now.values()) - {unit.running, unit.startup, ""}
        before.setdefault(device.id, (unit.running, unit.startup))
        _move_on(unit, now, held, device.intended)
        _still_bound(device, unit, reading, library)
    Document.keep_all({name: held[name] for name in fresh})
    Unit.objects.bulk_create(units.values(), update_conflicts=True, unique_fields=["id"], update_fields=FIELDS)
    _seen_now(readings, units, found)
    changed = [found[ident] for ident, unit in units.items() if (unit.running, unit.startup) != before[ident]]
    recount_all(changed, library, held)
    return [None] * len(readings)


def _seen_now(readings: Sequence[Reading], units: Mapping[str, Unit], found: Mapping[str, Device]) -> None:
    """Who was read was proven to be there: that is a sighting, and whoever was missed is back."""
    for ident, at in {one.device: one.time for one in readings if one.device in units}.items():
        device = found[ident]
        fresh: dict[str, Any] = {"seen": at} if device.seen is None or device.seen < at else {}
        if device.status in AWAY:
            fresh |= {"status": "known" if device.taken_in else "new", "reasons": []}
        if device.status == MISSED:
            line = device.line.name if device.line else ""
            Change.objects.create(device=device, name=device.name, line=line, address=device.address, what="back")
        if fresh:
            Device.objects.filter(id=ident).update(**fresh)


@transaction.atomic
def save_firmware(ident: str, identity: Identity | None, time: datetime, library: Library) -> None:
    """What it says of itself, without its values; None where nobody knows any more which version it has."""
    device = Device.objects.filter(id=ident).first()
    if device is None:
        return
    unit, profile = unit_of(device), library.get(device.profile)
    if newer(unit.read, time):
        return
    if identity is None:
        passing = _passing(profile)
        unit.firmware, unit.facts = "", {name: v for name, v in unit.facts.items() if name not in passing}
    else:
        _says(unit, identity, profile)
    unit.save(update_fields=["firmware", "facts", "pins"])


def _says(unit: Unit, identity: Identity, profile: Profile | None) -> None:
    """Its version and facts."""
    if not (identity.firmware or identity.facts):
        return
    facts = dict(identity.facts)
    if (pin := facts.pop(TLS_PIN, "")) and not unit.pins.get("tls"):
        unit.pins = {**unit.pins, "tls": pin}
    passing = _passing(profile)
    unit.facts = {**{name: v for name, v in unit.facts.items() if name not in passing}, **facts}
    unit.firmware = firmware_told(unit, identity.firmware, profile)


def firmware_told(unit: Unit, told: str, profile: Profile | None) -> str:
    """By what it says now, its facts first: one in its loader has none, others may not tell theirs in every way."""
    waits = profile is not None and profile.firmware is not None and profile.firmware.waits(unit.facts)
    return told[:60] or ("" if waits else unit.firmware)


def _passing(profile: Profile | None) -> set[str]:
    """Facts that are so no longer where the device does not tell them: its loader, versions of its parts."""
    known = profile.firmware if profile is not None else None
    return {*known.loader, *(part.fact for part in known.parts)} if known is not None else set()


def _still_bound(device: Device, unit: Unit, reading: Reading, library: Library) -> None:
    """Where it would go at a power cut, by what it was just read to keep."""
    profile = library.get(device.profile)
    setting = profile.with_role("address") if profile else None
    kept = get(reading.documents.get("startup", {}), setting.path) if setting else MISSING
    if kept is not MISSING:
        ahead = latest().timestamp()
        bound = {address: at if at <= ahead else 0.0 for address, at in unit.bound.items()}
        unit.bound = after_reading(bound, device.address, str(kept), reading.time.timestamp())


def _move_on(unit: Unit, now: Mapping[str, str], held: dict[str, dict[str, Any]], decided: dict[str, Any]) -> None:
    """From what it had to what it has; loads into `held` what is needed to tell what was lost by that."""
    before = (unit.running, unit.startup)
    after = (now.get("running", unit.running), now.get("startup", unit.startup))
    if after == before:
        return
    held |= Document.load_many({*before, *after} - held.keys())
    had, has = ((held.get(running, {}), held.get(startup, {})) for running, startup in (before, after))
    unit.lost = losses(had, has, unit.lost, decided)
    unit.running, unit.startup = after
