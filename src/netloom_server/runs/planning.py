"""Making plans from records, and runs from plans."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from netloom_core.errors import RequestError, StalePlan
from netloom_core.model.work import StepState
from netloom_core.plan.documents import digest
from netloom_core.plan.planner import DevicePlan, number, plan_back, plan_intended, plan_restore
from netloom_server.backups.models import Document
from netloom_server.backups.services import find_backup
from netloom_server.config.problems import NotFound
from netloom_server.engine.engine import Engine
from netloom_server.installation.models import Device
from netloom_server.installation.records import chosen, resolve
from netloom_server.runs.models import Run


@dataclass
class Plan:
    """Steps of all devices in order, with remarks by device; `digest` names exactly these steps."""

    steps: list[StepState]
    remarks: list[dict[str, str]] = field(default_factory=list)
    read: dict[str, str] = field(default_factory=dict)  # names by id of those that could be read

    @property
    def digest(self) -> str:
        return digest({"steps": [[s.device, s.action, s.params.get("changes", [])] for s in self.steps]})

    def as_dict(self, names: dict[str, str]) -> dict[str, Any]:
        seconds: dict[str, float] = {}
        for step in self.steps:
            seconds[step.device] = seconds.get(step.device, 0) + float(step.params.get("seconds", 1))
        return {
            "digest": self.digest,
            "steps": [
                {
                    "device": step.device,
                    "name": names.get(step.device, step.device),
                    "action": step.action,
                    "changes": step.params.get("changes", []),
                    "unkept": step.params.get("unkept", []),
                    "disturbs": step.params.get("disturbs", []),
                }
                for step in self.steps
            ],
            "remarks": self.remarks,
            "seconds": max(seconds.values(), default=0),
            "disturbs": sorted({d for step in self.steps for d in step.params.get("disturbs", [])}),
        }


def _plan_all(devices: list[Device], engine: Engine, one: Any) -> Plan:
    """Read the devices now, then plan each by `one(profile, device, running, startup)`."""
    remarks: list[dict[str, str]] = []
    ready = []
    for device in devices:
        if not device.profile or not device.line_id:
            remarks.append({"device": device.id, "name": device.name, "message": "Its model is not known yet."})
        elif not device.identity_key:
            remarks.append({"device": device.id, "name": device.name, "message": "It was never found: sweep first."})
        else:
            ready.append(device)
    troubles = engine.call(engine.read_now([device.id for device in ready]))
    plans: list[DevicePlan] = []
    for device in ready:
        if device.id in troubles:
            message = f"It was left out, it cannot be read: {troubles[device.id]}"
            remarks.append({"device": device.id, "name": device.name, "message": message})
            continue
        device.refresh_from_db()
        running, startup = Document.load(device.running), Document.load(device.startup)
        plan = one(engine.library.need(device.profile), device, running, startup)
        plans.append(plan)
        remarks += [{"device": device.id, "name": device.name, "message": text} for text in plan.remarks]
    return Plan(number(plans), remarks, {device.id: device.name for device in ready if device.id not in troubles})


def plan_apply(words: list[str], engine: Engine, *, keep: bool = True) -> Plan:
    devices = chosen(words)
    if not words:
        devices = [d for d in devices if d.identity_key and (d.intended or d.counts.get("unkept"))]
    return _plan_all(
        devices,
        engine,
        lambda profile, device, running, startup: plan_intended(
            profile, device.id, device.intended, running, startup, keep=keep
        ),
    )


def plan_of_backup(word: str, backup_id: str, engine: Engine) -> tuple[Plan, str]:
    """Plan of a restore, and the backup's id; the newest baseline where none is named, else the newest."""
    device = resolve(word)
    if backup_id:
        backup = find_backup(backup_id)
    else:
        found = device.backups.order_by("-baseline", "-taken").first()
        if found is None:
            raise NotFound(f"There is no backup of {device.name}.", "Back it up first.")
        backup = found
    document = Document.load(backup.running_id)
    plan = _plan_all(
        [device],
        engine,
        lambda profile, device, running, startup: plan_restore(
            profile, device.id, backup.profile, document, running, startup
        ),
    )
    if not plan.steps and plan.remarks:
        raise RequestError(f"{device.name}: {plan.remarks[0]['message']}", "Nothing was changed. Make it answer first.")
    return plan, backup.id


def plan_undo(run_id: str, engine: Engine) -> Plan:
    run = Run.objects.filter(id=str(run_id)[:12]).first()
    if run is None:
        raise NotFound(f"There is no run {run_id!r}.")
    steps = [step.as_core() for step in run.steps.order_by("ordinal")]
    wrote = {step.device for step in steps if step.params.get("changes")}
    return _plan_all(
        list(Device.objects.filter(id__in=wrote)),
        engine,
        lambda profile, device, running, startup: plan_back(profile, device.id, steps, running, startup),
    )


def same_as_shown(plan: Plan, shown: str) -> None:
    if shown and shown != plan.digest:
        raise StalePlan(
            "The devices or the wanted values have changed since the plan was shown. Nothing was written.",
            "Look at the new plan, then write it.",
        )
