"""Which unit is fitted at a device, and what moves when two records prove to be one."""

from __future__ import annotations

from django.utils import timezone

from netloom_server.backups.models import Backup
from netloom_server.consoles.models import ConsoleLog, HostKey
from netloom_server.installation.models import (
    Change,
    Credential,
    Device,
    Fence,
    Fitting,
    Joined,
    LabelPlace,
    Line,
    MonitoredPoint,
    PointEdge,
    Secret,
    Sighting,
    Unit,
)
from netloom_server.routing.models import Cable, Lock, Preset


def unit_of(device: Device, by: str = "") -> Unit:
    """The unit that is fitted; a blank one is fitted where there was none. The device is on record already."""
    if device.unit is None:
        fit(device, Unit.objects.create(), by)
    unit = device.unit
    assert unit is not None
    return unit


def fit(device: Device, unit: Unit, by: str = "") -> None:
    """Fit a unit; that another one was fitted before stays in the history."""
    if device.unit_id == unit.id:
        return
    now = timezone.now()
    Fitting.objects.filter(device=device, until=None).update(until=now)
    Device.objects.filter(unit=unit).update(unit=None)
    Fitting.objects.filter(unit=unit, until=None).update(until=now)
    device.unit = unit
    Device.objects.filter(id=device.id).update(unit=unit)
    Fitting.objects.create(device=device, unit=unit, by=by)


def merge(device: Device, other: Device) -> None:
    """All that people and sweeps made of `other` becomes `device`'s, and `other`'s record goes.

    What both have only one of (a login of a level, a host key) stays `device`'s own. The journal cannot be
    changed: `device` remembers under which ids it is written of.
    """
    Line.objects.filter(parent=other).update(parent=device)
    Sighting.objects.filter(device=other).update(device=device)
    Backup.objects.filter(device=other).update(device=device)
    ConsoleLog.objects.filter(device=other).update(device=device)
    Change.objects.filter(device=other).update(device=device)
    Secret.objects.filter(device=other).update(device=device)
    Fence.objects.filter(device=other).update(device=device)
    Joined.objects.filter(parent=other).exclude(device=device).update(parent=device)
    if not Joined.objects.filter(device=device).exists():
        Joined.objects.filter(device=other).exclude(parent=device).update(device=device)
    _routing(device, other)
    labelled = set(LabelPlace.objects.filter(device=device).values_list("axis", "number"))
    for place in LabelPlace.objects.filter(device=other):
        if (place.axis, place.number) not in labelled:
            LabelPlace.objects.filter(id=place.id).update(device=device)
    PointEdge.objects.filter(device=other).update(device=device)
    mine_too = MonitoredPoint.objects.filter(device=device).values_list("point", flat=True)
    MonitoredPoint.objects.filter(device=other).exclude(point__in=list(mine_too)).update(device=device)
    if not HostKey.objects.filter(device=device).exists():
        HostKey.objects.filter(device=other).update(device=device)
    mine = Credential.objects.filter(device=device).values_list("level", flat=True)
    Credential.objects.filter(device=other).exclude(level__in=list(mine)).update(device=device)
    Fitting.objects.filter(device=other, until=None).update(until=timezone.now())
    Fitting.objects.filter(device=other).update(device=device)
    device.was = [*device.was, other.id, *other.was]
    Device.objects.filter(id=device.id).update(was=device.was)
    old = other.unit
    other.delete()
    if old is not None and old.id != device.unit_id and not Fitting.objects.filter(unit=old).exists():
        old.delete()


def _routing(device: Device, other: Device) -> None:
    """Its cables, locks and cells of presets, where `device` has none there of its own."""
    for name, side in (("source", Cable.objects.filter(source_device=other)),
                       ("target", Cable.objects.filter(target_device=other))):  # fmt: skip
        mine = Cable.objects.filter(**{f"{name}_device": device}).values_list(f"{name}_jack", flat=True)
        side.exclude(**{f"{name}_jack__in": list(mine)}).update(**{f"{name}_device": device})
    locked = Lock.objects.filter(device=device).values_list("path", flat=True)
    Lock.objects.filter(device=other).exclude(path__in=list(locked)).update(device=device)
    for preset in Preset.objects.all():
        there = {cell["path"] for cell in preset.cells if cell["device"] == device.id}
        cells = [
            {**cell, "device": device.id} if cell["device"] == other.id else cell
            for cell in preset.cells
            if cell["device"] != other.id or cell["path"] not in there
        ]
        if cells != preset.cells:
            Preset.objects.filter(id=preset.id).update(cells=cells)


def remove(device: Device) -> None:
    """Take a record out of the picture. Its backups, its evidence and its journal stay, and the bus behind it."""
    unit = device.unit
    device.delete()
    if unit is not None and not Fitting.objects.filter(unit=unit).exists():
        unit.delete()
