"""Firmware as a plan: what is known before that speaks against it, and what it means. Pure."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from netloom_core.errors import NetloomError
from netloom_core.model.work import StepState
from netloom_core.plan.procedures import look_at
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.profiles.abilities import Ability
from netloom_core.profiles.firmware import Firmware

SHOWN_MEANWHILE = ("updating", "starting", "ready", "fault")  # by its lights and sounds
TRANSFER_BYTES_S = 20_000.0  # for the plan's guess of how long it takes; the step tells what is left of it


def plan_load(subject: Subject, file: Mapping[str, Any], unread: NetloomError | None = None) -> DevicePlan:
    """`file` is `id`, `name`, `version`, `code`, `size`, `digest`, `refused`, `profile`, `has` (the version that the
    unit told last). `unread` is why its settings could not be read: it is loaded without a backup then."""
    plan, profile = DevicePlan(subject.device), subject.profile
    known = profile.firmware
    if why := _against(subject, known, file):
        plan.remarks.append(Remark("left-out", f"Nothing is done: {why}"))
        return plan
    assert known is not None
    if unread is not None:
        text = f"There is no backup before it: {unread.message} What was read of it last is kept."
        plan.remarks.append(Remark("no-backup", text))
    elif Ability.READ in subject.abilities:
        plan.steps.append(StepState(0, subject.device, "backup", {"baseline": False, "disturbs": [], "seconds": 2.0}))
    params = {
        "words": f"Load firmware {file['version']}", "file": file["id"], "name": file["name"],
        "version": file["version"], "size": file["size"], "digest": file["digest"], "has": file.get("has", ""),
        "unplug": known.unplug, "away": known.away, "disturbs": ["link", *known.interrupts],
        "seconds": known.away + file["size"] / TRANSFER_BYTES_S,
        "look_at": look_at(profile, SHOWN_MEANWHILE),
    }  # fmt: skip
    plan.steps.append(StepState(0, subject.device, "load", params))
    plan.remarks += _remarks(known, file)
    if file.get("code") in known.becomes:
        text = f"It makes another model of it: what is decided for a {profile.model} is set aside, for review."
        plan.remarks.append(Remark("becomes", text))
    return plan


def _against(subject: Subject, known: Firmware | None, file: Mapping[str, Any]) -> str:
    model = subject.profile.model
    if known is None or Ability.LOAD not in subject.abilities:
        return f"no way is known to load firmware into a {model} on that line."
    if file.get("refused"):
        return f"{file['name']} is marked as not to be used: {file['refused']}"
    if not file.get("version"):
        return f"nobody said which version {file['name']} is."
    if file.get("code") and not known.takes(file["code"]):
        return f"{file['name']} is for {file['code']}, and a {model} takes {' or '.join(known.codes)}."
    if file.get("code") in known.becomes:
        return ""
    if not file.get("code") and file.get("profile") != subject.profile.id:
        return f"{file['name']} bears no code of a {model}."
    word, why = known.standing(str(file["version"]))
    return f"version {file['version']} is refused for a {model}: {why}" if word == "refused" else ""


def _remarks(known: Firmware, file: Mapping[str, Any]) -> list[Remark]:
    told = []
    has, version = str(file.get("has", "")), str(file["version"])
    other = file.get("code") in known.becomes  # whose versions are counted for themselves
    order = known.compare(has, version) if has and not other else None
    if order == 0:
        told.append(Remark("same-version", f"It has {version} already; it is loaded once more."))
    elif order == 1:
        told.append(Remark("older", f"{version} is older than the {has} that it has."))
    word, why = known.standing(version)
    if word == "behind" and not other:
        told.append(Remark("too-old", f"{version} is older than what is needed: {why}"))
    if known.interrupts:
        told.append(Remark("interrupts", f"Meanwhile this stands still: {', '.join(known.interrupts)}."))
    if known.unplug:
        told.append(Remark("power", "Do not unplug it from the first byte until it is found again."))
    if known.power_cycle:
        told.append(Remark("power-cycle", "Somebody has to take its power afterwards; the run asks for it."))
    if known.rest:
        told.append(
            Remark("rest", f"Afterwards it needs to be told to {known.rest.replace('-', ' ')}: a plan of its own.")
        )
    if notes := str(file.get("notes", "")):
        told.append(Remark("notes", f"What its maker says of {version}: {notes}"))
    return told
