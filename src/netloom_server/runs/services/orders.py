"""What is to be planned, out of the records: one order for each device, by kind of plan."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from netloom_core.documents.tree import put
from netloom_core.engine.ports import Order
from netloom_core.errors import NetloomError
from netloom_core.library.load import Library
from netloom_core.model.work import RunState, StepState
from netloom_core.plan.procedures import POWER_CYCLE
from netloom_core.plan.waiting import waits_for_store
from netloom_server.backups.models import Backup, Document
from netloom_server.base.problems import NotFound
from netloom_server.firmware.services.files import find
from netloom_server.installation.models import Device
from netloom_server.installation.services.feeding import feeder_of
from netloom_server.installation.services.places import Site, place_waits, with_running
from netloom_server.installation.services.records import can_be_read, chosen, wanted_of
from netloom_server.runs.models import Run, Step

SET_BACK = "set back"
WAITED = ("write", "store", "restart", "perform", "power-cycle")
MOST_STEPS = 50  # of a device that are looked through for values that wait


def orders_of(run: RunState, library: Library) -> list[Order]:
    """`params` are those that `begin` made: ids of devices, and what the kind needs."""
    devices = list(Device.objects.filter(id__in=run.params["ids"]).select_related("line").order_by("name", "id"))
    make = ORDERS[run.params["kind"]](run.params)
    wrong = _wrong_places(devices, library) if run.params["kind"] == "apply" else {}
    found, recent = [], _recent(devices, library)
    for device in devices:
        refused = _not_ready(device, library)
        if refused:
            found.append(Order(device.id, device.name, refused=refused, version=device.version))
            continue
        try:
            order = make(device, library)
            found.append(replace(order, places=tuple(wrong.get(device.id, ())), recent=recent.get(device.id, ())))
        except NetloomError as error:
            refused = f"{error.message} {error.hint}".strip()
            found.append(Order(device.id, device.name, refused=refused, version=device.version))
    return found


def _recent(devices: Sequence[Device], library: Library) -> dict[str, tuple[StepState, ...]]:
    """Their latest steps that wrote, newest first, of those on which values may wait for a store."""
    profiles = {device.profile: library.get(device.profile) for device in devices}
    slow = {ident for ident, profile in profiles.items() if profile is not None and waits_for_store(profile)}
    wanted = [device.id for device in devices if device.profile in slow]
    steps = Step.objects.filter(device__in=wanted, action__in=WAITED).order_by("-run__number", "-ordinal")
    found: dict[str, list[StepState]] = defaultdict(list)
    for step in steps.exclude(state__in=("pending", "skipped")).iterator():
        if len(found[step.device]) < MOST_STEPS:
            found[step.device].append(step.as_core())
    return {device: tuple(steps) for device, steps in found.items()}


def _wrong_places(devices: Sequence[Device], library: Library) -> dict[str, list[str]]:
    """By device what its place would be wrong by, of what is said on the bench of Address."""
    waiting = [one for one, running in with_running(devices) if one.line_id and place_waits(one, running, library)]
    if not waiting:
        return {}
    site = Site(library, {str(device.line_id) for device in waiting})
    found: dict[str, list[str]] = defaultdict(list)
    for trouble in site.troubles():
        if trouble.device:
            found[trouble.device].append(f"{trouble.message} {trouble.hint}")
    return found


def _not_ready(device: Device, library: Library) -> str:
    if not device.profile or not device.line_id:
        return "Its model is not known yet."
    if library.get(device.profile) is None:
        return f"There is no profile {device.profile} any more: add it, or say which model it is."
    if not (device.identity_key or device.seen):
        return "It was never found: sweep first."
    if not can_be_read(device, library):
        return "It is only found and watched: no driver writes to that model on that line yet."
    return ""


Maker = Callable[[Device, Library], Order]


def _apply(params: dict[str, Any]) -> Maker:
    def make(device: Device, library: Library) -> Order:
        wanted = wanted_of(device, library.get(device.profile))
        return Order(device.id, device.name, wanted=wanted, version=device.version)

    return make


def lost_in(device: Device, run: str) -> Step:
    """The step of a run that lists what it set back on that device. Raises NotFound where none does."""
    for step in Step.objects.filter(run_id=run[:12], device=device.id).order_by("-ordinal"):
        if any(one["what"] == SET_BACK for one in step.evidence.get("settings", [])):
            return step
    raise NotFound(
        f"Run {run[:12]!r} set nothing back on {device.name}.", "Restore a backup, or choose values under Configure."
    )


def _restore(params: dict[str, Any]) -> Maker:
    if lost := params.get("lost_in"):
        before: dict[str, Any] = {}
        for one in Step.objects.get(id=lost).evidence["settings"]:
            if one["what"] == SET_BACK:
                put(before, one["path"], one["from"])
        return lambda device, library: Order(
            device.id, device.name, wanted=before, profile=device.profile, version=device.version
        )
    backup = Backup.objects.get(id=params["backup"])
    document = Document.load(backup.running_id)
    return lambda device, library: Order(
        device.id, device.name, wanted=document, profile=backup.profile, version=device.version
    )


def _undo(params: dict[str, Any]) -> Maker:
    run = Run.objects.get(id=params["run"])
    steps = [step.as_core() for step in run.steps.order_by("ordinal")]
    return lambda device, library: Order(
        device.id,
        device.name,
        wanted=device.intended,
        steps=tuple(step for step in steps if step.device == device.id),
        version=device.version,
    )


def _procedure(params: dict[str, Any]) -> Maker:
    if params["procedure"] == POWER_CYCLE:
        return lambda device, library: Order(
            device.id, device.name, version=device.version, fed=feeder_of(device, library)
        )
    return lambda device, library: Order(device.id, device.name, version=device.version)


def _firmware(params: dict[str, Any]) -> Maker:
    file = find(params["file"])

    def make(device: Device, library: Library) -> Order:
        told = {
            "id": file.id, "name": file.name, "version": file.version, "code": file.code, "size": file.size,
            "digest": file.digest, "refused": file.refused, "profile": file.profile, "notes": file.notes,
            "has": device.firmware,
        }  # fmt: skip
        return Order(device.id, device.name, version=device.version, file=told)

    return make


ORDERS: dict[str, Callable[[dict[str, Any]], Maker]] = {
    "apply": _apply,
    "restore": _restore,
    "undo": _undo,
    "procedure": _procedure,
    "firmware": _firmware,
}


def to_apply(words: Sequence[str]) -> list[Device]:
    """The devices named; where none is, all that were ever met and have something to write or to keep: of those that
    cannot be asked it is said why."""
    devices = chosen(words)
    if words:
        return devices
    return [d for d in devices if (d.identity_key or d.seen) and (d.intended or d.counts.get("unkept"))]


def backup_for(device: Device, ident: str) -> Backup:
    """The one named; else the newest baseline, else the newest."""
    if ident:
        backup = Backup.objects.filter(id=ident[:12]).first()
        if backup is None:
            raise NotFound(f"There is no backup {ident!r}.", "`netloom backups` lists them.")
        return backup
    found = Backup.objects.filter(device=device).order_by("-baseline", "-number").first()
    if found is None:
        raise NotFound(f"There is no backup of {device.name}.", "Back it up first.")
    return found
