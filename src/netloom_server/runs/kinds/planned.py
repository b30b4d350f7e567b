"""Kinds that are planned first: apply, restore, undo and procedures begin with a plan that somebody approves."""

from __future__ import annotations

from typing import Any

from netloom_core.errors import RequestError, WrongModel
from netloom_core.plan.procedures import CALM, PERFORMED, POWER_CYCLE
from netloom_server.base.problems import NotFound
from netloom_server.firmware.services.standing import chosen_file
from netloom_server.installation.models import Device
from netloom_server.installation.services.records import chosen, resolve
from netloom_server.runs.kinds.base import Asked
from netloom_server.runs.models import Run
from netloom_server.runs.services import journal
from netloom_server.runs.services.orders import backup_for, lost_in, to_apply
from netloom_server.runs.services.runs import approve, unsafe_for


class Planned:
    name = ""

    def begin(self, asked: Asked) -> Run:
        plan = asked.data.get("plan") or ""
        if not plan:
            raise RequestError(
                f"A run that writes needs a plan that was shown: {self.name} names none.",
                "Make one by POST /api/plans, look at it, then name its id.",
            )
        run = approve(plan, self.name, asked.by, asked.data.get("reason", ""))
        journal.append_all(unsafe_for(run))  # before the engine hears of it
        return run


class Apply(Planned):
    name = "apply"

    def order(self, asked: Asked) -> dict[str, Any]:
        return {
            "ids": [device.id for device in to_apply(asked.devices)],
            "devices": asked.devices,
            "keep": asked.data["keep"],
            "lock": asked.data["lock"],
        }


class Restore(Planned):
    name = "restore"

    def order(self, asked: Asked) -> dict[str, Any]:
        if len(asked.devices) != 1:
            raise RequestError("A restore is for one device at a time.", "Name one device.")
        device = resolve(asked.devices[0])
        if run := asked.data.get("run"):
            return {"ids": [device.id], "devices": asked.devices, "lost_in": lost_in(device, str(run)).id}
        backup = backup_for(device, asked.data.get("backup") or "")
        if device.profile and backup.profile != device.profile:
            raise WrongModel(
                f"The backup is of a {backup.profile}, {device.name} is a {device.profile}.",
                "Choose a backup of the same model. Nothing was changed.",
                target=device.id,
            )
        return {"ids": [device.id], "devices": asked.devices, "backup": backup.id}


class Undo(Planned):
    name = "undo"

    def order(self, asked: Asked) -> dict[str, Any]:
        run = Run.objects.filter(id=str(asked.data.get("run") or "")[:12]).first()
        if run is None:
            raise NotFound(f"There is no run {asked.data.get('run')!r}.")
        wrote = {step.device for step in run.steps.all() if step.params.get("changes")}
        there = list(Device.objects.filter(id__in=wrote).values_list("id", flat=True))
        return {"ids": there, "run": run.id, "over_later": asked.data["over_later"]}


class Firmware(Planned):
    name = "firmware"

    def order(self, asked: Asked) -> dict[str, Any]:
        if len(asked.devices) != 1:
            raise RequestError("Firmware is loaded into one device at a time.", "Name one device. Nothing was done.")
        device = resolve(asked.devices[0])
        file = chosen_file(device, asked.data.get("file") or "", asked.library)
        return {"ids": [device.id], "devices": asked.devices, "file": file.id}


class Procedure(Planned):
    name = "procedure"

    def order(self, asked: Asked) -> dict[str, Any]:
        procedure = asked.data.get("procedure") or ""
        calms = procedure.startswith(f"{CALM} ") and len(procedure) > len(CALM) + 1
        if procedure not in (*PERFORMED, POWER_CYCLE) and not calms:
            raise RequestError(
                f"There is no procedure {procedure!r}." if procedure else "Which procedure?",
                f"There are {', '.join((*PERFORMED, POWER_CYCLE))}, and {CALM} with a point; storing is in writing.",
            )
        if not asked.devices:
            raise RequestError(f"On which devices: {procedure}?", "Name them. Nothing was done.")
        return {
            "ids": [device.id for device in chosen(asked.devices)],
            "devices": asked.devices,
            "procedure": procedure,
        }
