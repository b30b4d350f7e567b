"""A stored plan, played on devices in memory made of what the real ones were last read to have."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from netloom_core.errors import NetloomError, StalePlan
from netloom_core.library.load import Library
from netloom_core.model import work
from netloom_core.model.device import Target
from netloom_core.profiles.abilities import Abilities
from netloom_core.rehearsal.play import Part, play
from netloom_server.backups.models import Document
from netloom_server.base.problems import NotFound
from netloom_server.installation.models import Device
from netloom_server.installation.services import fences, logins, records
from netloom_server.installation.services.labels import Labels
from netloom_server.runs.models import Plan

MOST_STEPS = 6000
NOT_PLAYED = ("procedure", "firmware")
Can = Callable[[str, Any], Abilities]


def rehearse(plan_id: str, library: Library, can: Can) -> dict[str, Any]:
    """What each of its devices would come to. Raises NotFound, StalePlan where there is nothing to play."""
    plan = Plan.objects.filter(id=plan_id[:12]).first()
    if plan is None:
        raise NotFound(f"There is no plan {plan_id!r}.", "Make a plan first.")
    if plan.kind in NOT_PLAYED:
        raise StalePlan("That is not rehearsed: what comes of it is the device's own.", "Look at what survives it.")
    steps = [work.StepState(**step) for step in plan.steps]
    if not steps or len(steps) > MOST_STEPS:
        raise StalePlan(
            "There is nothing in that plan to rehearse."
            if not steps
            else "That plan is too large to rehearse at once.",
            "Make a plan for fewer devices." if steps else "Decide something first.",
        )
    parts, left = _parts(list(dict.fromkeys(step.device for step in steps)), library, can)
    there = {part.target.device for part in parts}
    learnt = play(library, parts, [step for step in steps if step.device in there], plan.kind)
    labels = Labels(there, library)
    told = [
        {
            "device": one.device,
            "name": one.name,
            "result": one.result,
            "message": one.message,
            "hint": one.hint,
            "lost": [labels.of(one.device, path) or path for path in one.lost],
        }
        for one in learnt
    ]
    return {"devices": [*told, *left]}


def _parts(idents: list[str], library: Library, can: Can) -> tuple[list[Part], list[dict[str, Any]]]:
    """Devices to play on; and of those that were never read, that they cannot be."""
    devices = records.with_access(idents)
    documents = Document.load_many({d.running for d in devices.values()} | {d.startup for d in devices.values()})
    networks, shared = records.networks_in_use(), logins.shared()
    parts: list[Part] = []
    left: list[dict[str, Any]] = []
    for ident in idents:
        device = devices.get(ident)
        try:
            parts.append(_part(device, library, can, documents, networks, shared))
        except NetloomError as error:
            name = device.name if device is not None else ident
            told = {"device": ident, "name": name, "result": "unknown", "lost": []}
            left.append({**told, "message": error.message, "hint": error.hint})
    return parts, left


def _part(
    device: Device | None, library: Library, can: Can, documents: dict[str, Any], networks: Any, shared: logins.Shared
) -> Part:
    if device is None:
        raise NotFound("Its record was removed meanwhile.")
    running = documents.get(device.running)
    if not running:
        raise NotFound(f"{device.name} was never read: nobody knows what it has.", "Read it first.")
    target: Target = records.target_of(device, library, networks, shared)
    fenced = {one["point"]: f"It is fenced off by {one['by']}: {one['why']}." for one in fences.shown(device)}
    return Part(target, running, documents.get(device.startup) or {}, can(device.profile, target.line), fenced)
