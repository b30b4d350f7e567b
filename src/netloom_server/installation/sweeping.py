"""Putting a sweep's result on record: who is known, new, moved, missing."""

from __future__ import annotations

from datetime import UTC, datetime

from django.db import transaction
from django.db.models import Count
from django.utils import timezone

from netloom_core.model.sighting import Sighting as CoreSighting
from netloom_core.sweep.identity import Finding, key_of
from netloom_core.sweep.sweep import SweepResult
from netloom_server.installation.models import Device, Line, Sighting

KEEP_SIGHTINGS_PER_DEVICE = 200


def _device_for(finding: Finding) -> Device:
    """The record that the finding belongs to, made when nobody has it yet."""
    if finding.device:
        return Device.objects.get(id=finding.device)
    if finding.identity.key:
        known = Device.objects.filter(identity_key=finding.identity.key).first()
        if known is not None:
            return known
    else:
        known = Device.objects.filter(
            identity_key="", taken_in=False, line_id=finding.line, address=finding.address, speed=finding.speed
        ).first()
        if known is not None:
            return known
    return Device(name=_first_name(finding), taken_in=False)


def _first_name(finding: Finding) -> str:
    ident = finding.identity
    base = ident.model or ident.maker or "Unknown"
    return f"{base} {ident.serial or 'at ' + finding.address}"[:80]


@transaction.atomic
def record(run: str, lines: list[str], result: SweepResult) -> list[tuple[Device, Finding]]:
    """Save findings and absences. Planned places and names of people are not touched."""
    now = timezone.now()
    pairs: list[tuple[Device, Finding]] = []
    for finding in result.findings:
        device = _device_for(finding)
        ident = finding.identity
        device.profile = device.profile or finding.profile
        device.maker = ident.maker or device.maker
        device.model = ident.model or device.model
        device.serial = ident.serial or device.serial
        device.firmware = ident.firmware or device.firmware
        device.identity_key = ident.key or device.identity_key
        device.facts = finding.facts
        device.line_id, device.address, device.speed = finding.line, finding.address, finding.speed
        known_status = "known" if device.taken_in else ("new" if device.profile else "unknown")
        device.status = finding.status if finding.status in ("moved", "duplicate") else known_status
        if finding.status == "moved" and not device.taken_in:
            device.status = known_status
        device.methods, device.reasons, device.seen = finding.methods, [], now
        device.save()
        pairs.append((device, finding))
    seen = {device.id for device, _ in pairs}
    for absent in result.missing:
        Device.objects.filter(id=absent.device).update(
            status="missing", reasons=[reason.as_dict() for reason in absent.reasons]
        )
    # Somebody who was only passing by and is gone leaves the picture, not the evidence.
    Device.objects.filter(line_id__in=lines, taken_in=False).exclude(id__in=seen).filter(
        profile="", intended={}
    ).delete()
    _keep_sightings(run, result.sightings, pairs)
    troubles = {trouble["line"]: trouble["message"] for trouble in result.troubles}
    for line in Line.objects.filter(id__in=lines):
        line.trouble, line.swept = troubles.get(line.id, "")[:400], now
        line.save(update_fields=["trouble", "swept"])
    return pairs


def _keep_sightings(run: str, sightings: list[CoreSighting], pairs: list[tuple[Device, Finding]]) -> None:
    by_key = {device.identity_key: device.id for device, _ in pairs if device.identity_key}
    by_place = {(f.line, f.address, f.facts.get("speed", "")): device.id for device, f in pairs}
    Sighting.objects.bulk_create(
        Sighting(
            run=run,
            device_id=by_key.get(key_of(s.facts)) or by_place.get((s.line, s.address, s.facts.get("speed", ""))),
            line_id=s.line,
            address=s.address,
            method=s.method,
            facts=s.facts,
            time=datetime.fromtimestamp(s.time, UTC),
        )
        for s in sightings
    )
    _forget_old([device.id for device, _ in pairs])


def _forget_old(devices: list[str]) -> None:
    """The newest evidence of each device is kept, so that years of sweeps do not fill the disk."""
    seen = Sighting.objects.filter(device_id__in=devices).values("device_id").annotate(count=Count("id"))
    for device in seen.filter(count__gt=KEEP_SIGHTINGS_PER_DEVICE).values_list("device_id", flat=True):
        mine = Sighting.objects.filter(device_id=device)
        newest = mine.order_by("-time", "-id").values_list("id", flat=True)[:KEEP_SIGHTINGS_PER_DEVICE]
        mine.exclude(id__in=list(newest)).delete()
