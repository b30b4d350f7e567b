"""Backups: keeping them, comparing them, taking them out and in as archives."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.utils import timezone

from netloom_core.backup.archive import Archive, ArchivedBackup
from netloom_core.documents.diff import differences
from netloom_core.errors import RequestError
from netloom_core.identity.keys import serial_key
from netloom_core.library.load import Library
from netloom_core.model.said import Of, seen, word
from netloom_server.backups.models import Backup, Document
from netloom_server.base.problems import NotFound
from netloom_server.installation.models import Device, Installation
from netloom_server.installation.services.records import recount_all
from netloom_server.runs.services import journal


@dataclass(frozen=True)
class Keep:
    """What is to be kept: the documents of a device that was just read, as a backup of a run."""

    device: str
    run: str
    by: str
    baseline: bool


@transaction.atomic
def keep_backups(wanted: Sequence[Keep], library: Library) -> list[str]:
    """The ids of the backups, in order; a run keeps each device once. Raises RequestError."""
    devices = Device.objects.select_related("line").in_bulk({one.device for one in wanted})
    runs = {one.run for one in wanted if one.run}
    earlier = Backup.objects.filter(run__in=runs, device__in=devices) if runs else []
    made = {(backup.device_id, backup.run): backup for backup in earlier}
    fresh: dict[tuple[str, str], Backup] = {}
    ids = []
    for one in wanted:
        device = devices.get(one.device)
        if device is None or not device.running:
            name = device.name if device else one.device
            raise RequestError(f"{name} was not read, so there is nothing to keep.")
        known = fresh.get((one.device, one.run)) or made.get((one.device, one.run))
        if known is None or (known.running_id, known.startup_id or "") != (device.running, device.startup):
            if known is not None:
                known.delete()  # of the same run, before it was cut off; what is read now is what the run gives
            known = fresh[one.device, one.run] = _backup_of(device, one)
        ids.append(known.id)
    Backup.objects.bulk_create(fresh.values())
    recount_all([devices[ident] for ident in dict.fromkeys(one.device for one in wanted if one.baseline)], library)
    return ids


def _backup_of(device: Device, wanted: Keep) -> Backup:
    return Backup(
        device=device,
        run=wanted.run,
        name=device.name,
        maker=device.maker,
        model=device.model,
        serial=device.serial,
        profile=device.profile,
        firmware=device.firmware,
        line=device.line.name if device.line else "",
        address=device.address,
        taken=timezone.now(),
        by=wanted.by,
        baseline=wanted.baseline,
        running_id=device.running,
        startup_id=device.startup or None,
        holes=device.unreadable,
    )


def find_backup(ident: str) -> Backup:
    backup = Backup.objects.filter(id=str(ident)[:12]).first()
    if backup is None:
        raise NotFound(f"There is no backup {ident!r}.", "`netloom backups` lists them.")
    return backup


def backup_as_dict(backup: Backup) -> dict[str, Any]:
    return {
        "id": backup.id,
        "device": backup.device_id,
        "name": backup.name,
        "model": backup.model,
        "serial": backup.serial,
        "firmware": backup.firmware,
        "address": backup.address,
        "line": backup.line,
        "taken": backup.taken.isoformat(),
        "by": backup.by,
        "baseline": backup.baseline,
        "label": backup.label,
        "digest": backup.running_id,
        "holes": sorted(backup.holes),
        "word": word(Of.BACKUP, seen(asked=True, told=not backup.holes)),
        "unkept": bool(backup.startup_id) and backup.running_id != backup.startup_id,
    }


def compare(first: Backup, second: Backup) -> list[dict[str, Any]]:
    """Differences of the running values: path, first, second."""
    changes = differences(Document.load(first.running_id), Document.load(second.running_id))
    return [{"path": c.path, "first": c.before, "second": c.after} for c in changes]


def to_archive(backups: list[Backup]) -> Archive:
    site = Installation.objects.first()
    names: set[str] = set()
    archived = []
    for b in backups:
        names |= {b.running_id, b.startup_id or ""}
        archived.append(
            ArchivedBackup(
                id=b.id,
                device=b.device_id or "",
                name=b.name,
                maker=b.maker,
                model=b.model,
                serial=b.serial,
                profile=b.profile,
                firmware=b.firmware,
                line=b.line,
                address=b.address,
                taken=b.taken.isoformat(),
                by=b.by,
                baseline=b.baseline,
                label=b.label,
                running=b.running_id,
                startup=b.startup_id or "",
            )
        )
    head = journal.head().as_dict()
    return Archive(site.name if site else "", archived, Document.load_many(names), head)


@transaction.atomic
def from_archive(archive: Archive) -> tuple[int, int]:
    """Add what is not here yet; returns how many were added and how many were here.

    A device is joined by maker and serial number. Nothing here is overwritten, and an
    archive's baseline comes in as a plain backup: approving is a person's act.
    """
    for document in archive.documents.values():
        Document.keep(document)
    added = 0
    for item in archive.backups:
        if Backup.objects.filter(id=item.id).exists():
            continue
        key = serial_key(item.maker, item.serial)
        device = Device.objects.filter(unit__identity_key=key).first() if key else None
        Backup.objects.create(
            id=item.id[:12],
            device=device,
            name=item.name[:80],
            maker=item.maker[:120],
            model=item.model[:120],
            serial=item.serial[:120],
            profile=item.profile[:60],
            firmware=item.firmware[:60],
            line=item.line[:80],
            address=item.address[:64],
            taken=datetime.fromisoformat(item.taken),
            by=item.by[:150],
            baseline=False,
            label=(item.label or "from an archive")[:120],
            running_id=item.running,
            startup_id=item.startup or None,
        )
        added += 1
    return added, len(archive.backups) - added
