"""Procedures as plans: what a person does first, what the device is told, and what has to be so afterwards. Pure."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.errors import NetloomError
from netloom_core.model.work import StepState
from netloom_core.plan.planner import left_out, unkept_paths
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.profiles.item import Item
from netloom_core.profiles.people import Act, Meaning, Restless
from netloom_core.profiles.profile import Profile

SETS_BACK = frozenset({"factory-reset", "initialise"})  # values are others afterwards, so a backup comes before
PERFORMED = ("restart", "factory-reset", "initialise", "identify")  # storing is a part of writing
WORDS = {"restart": "Restart", "factory-reset": "Factory reset", "initialise": "Initialise", "identify": "Identify"}
SHOWN_BY = {
    "restart": ("starting", "ready", "fault"),
    "factory-reset": ("resetting", "reset", "starting", "ready", "fault"),
    "initialise": ("resetting", "reset", "starting", "ready", "fault"),
    "identify": ("identified",),
}
CALM = "calm"  # and a point after it: steps by hand, until that stands still
POWER_CYCLE = "power-cycle"  # by whatever feeds it, not by the device itself
OFF_S, BACK_S = 5.0, 90.0
QUIET_S, QUIET_WITHIN_S = 30.0, 180.0
TO_LOOK_S = 180.0  # for somebody to look at the right device and answer


def label_of(profile: Profile, name: str) -> str:
    procedure = profile.procedure(name)
    return (procedure.label if procedure else "") or WORDS[name]


def plan_procedure(
    subject: Subject, name: str, unread: NetloomError | None = None, fed: Mapping[str, str] | None = None
) -> DevicePlan:
    """Steps for one procedure, or the remark why it cannot be. `unread` is why the device could not be read: then
    only what people do at it by hand is left. `fed` is by what it has its power, where that is known."""
    if name == POWER_CYCLE:
        return plan_power_cycle(subject, fed)
    if name.startswith(f"{CALM} "):
        return plan_calm(subject, name.removeprefix(f"{CALM} "))
    plan, profile = DevicePlan(subject.device), subject.profile
    procedure = profile.procedure(name)
    told = name in subject.abilities.procedures
    if unread is not None and (procedure is None or told or not procedure.by_hand):
        return left_out(subject.device, unread)
    if procedure is None or not (told or procedure.by_hand):
        what = label_of(profile, name).lower()
        plan.remarks.append(
            Remark("left-out", f"Nothing is done: {profile.model} has no {what} by the way it is reached.")
        )
        return plan
    if told and not subject.opens(profile.ladder.of(procedure.level)):
        code = profile.ladder.called(profile.ladder.of(procedure.level))
        text = f"Nothing is done: it needs the {code}, which is not known here. Enter it under Address, Access."
        plan.remarks.append(Remark("level-wanted", text))
        return plan
    if subject.locks and name in SETS_BACK:
        text = f"Nothing is done: it would set back what is locked. {subject.locks[0].why}"
        plan.remarks.append(Remark("locked", text))
        return plan
    if unread is not None:
        text = f"There is no backup before it: {unread.message} What was read of it last is kept."
        plan.remarks.append(Remark("sets-back", text))
    elif name in SETS_BACK:
        plan.steps.append(StepState(0, subject.device, "backup", {"baseline": False, "disturbs": [], "seconds": 2.0}))
    plan.steps += _by_hand(subject, procedure.by_hand)
    disturbs = {*procedure.disturbs, *(["link"] if procedure.away or name in SETS_BACK else [])}
    params = {
        "procedure": name,
        "label": label_of(profile, name),
        "told": told,
        "away": procedure.away,
        "back": procedure.back,
        "survives": list(procedure.survives),
        "comes_up_at": profile.factory.addresses if name in SETS_BACK and "address" not in procedure.survives else [],
        "look_at": look_at(profile, SHOWN_BY[name]),
        "disturbs": sorted(disturbs),
        "seconds": max(procedure.away, 2.0),
    }
    plan.steps.append(StepState(0, subject.device, "perform", params))
    _remark(subject, name, plan)
    return plan


def _by_hand(subject: Subject, acts: Sequence[Act]) -> list[StepState]:
    return [
        StepState(
            0,
            subject.device,
            "by-hand",
            {
                "words": act.words(),
                "note": act.note,
                "within": act.within,
                "seen_by": act.seen_by,
                "number": f"{number} of {len(acts)}",
                "look_at": _at(subject.profile, act.light),
                "disturbs": [],
                "seconds": max(act.seconds, 5.0),
            },
        )
        for number, act in enumerate(acts, 1)
    ]


def remedy(profile: Profile, point: str, does: str = "") -> Restless | None:
    """What is known of a point that changes by itself; by what it `does` where that was seen. First one with steps."""
    item = profile.by_point.get(point)
    if item is None:
        return None
    fitting = [
        one for one in profile.restless
        if any(one.fits(what, item.kind, item.path) for what in ([does] if does else one.does))
    ]  # fmt: skip
    return next((one for one in fitting if one.steps), fitting[0] if fitting else None)


def out_of_step(profile: Profile) -> str:
    """The point that a light means which says that the device is out of step; empty where the profile knows none."""
    known = (one.id for one in profile.by_point.values() if (r := remedy(profile, one.id)) is not None and r.steps)
    return next(known, "")


def plan_calm(subject: Subject, point: str) -> DevicePlan:
    """What a person does at the device so that a point stands still, and the proof that it does."""
    plan, profile = DevicePlan(subject.device), subject.profile
    known, item = remedy(profile, point), profile.by_point.get(point)
    if item is None or not item.live:
        plan.remarks.append(Remark("left-out", f"Nothing is done: {profile.model} has no live point {point[:80]}."))
        return plan
    if known is None or not known.steps:
        text = f"{profile.model} tells no steps for {item.label}. It is only watched, until it stands still."
        plan.remarks.append(Remark("no-steps", text))
    else:
        plan.steps += _by_hand(subject, known.steps)
    label = item.label or point
    params = {"point": point, "label": label, "seconds": QUIET_S, "within": QUIET_WITHIN_S, "disturbs": [],
              "words": f"Bring {label} back in step"}  # fmt: skip
    plan.steps.append(StepState(0, subject.device, "quiet", params))
    return plan


def plan_power_cycle(subject: Subject, fed: Mapping[str, str] | None) -> DevicePlan:
    """One that does not answer is what this is for, so nothing is read before."""
    plan = DevicePlan(subject.device)
    if not fed:
        text = (
            "Nothing is done: no switch on record told on which of its ports it is, or that port's power is not driven."
            " Sweep the switch's line, and try again."
        )
        plan.remarks.append(Remark("left-out", text))
        return plan
    params = {
        "words": "Power-cycle", "feeder": fed["device"], "feeder_name": fed["name"], "point": fed["point"],
        "point_label": fed["label"], "off_s": OFF_S, "within": BACK_S + subject.profile.away_seconds,
        "disturbs": ["power", "link"], "seconds": OFF_S + max(subject.profile.away_seconds, 5.0),
    }  # fmt: skip
    plan.steps.append(StepState(0, subject.device, "power-cycle", params))
    text = f"Its power is taken at {fed['label']} of {fed['name']} for {OFF_S:g} s. What it has not stored goes."
    plan.remarks.append(Remark("not-kept", text))
    return plan


def _remark(subject: Subject, name: str, plan: DevicePlan) -> None:
    procedure = subject.profile.procedure(name)
    assert procedure is not None
    if name == "restart":
        goes = unkept_paths(subject.profile, subject.running, subject.startup)
        if goes:
            more = f" and {len(goes) - 3} more" if len(goes) > 3 else ""
            some = ", ".join(subject.profile.called(path) for path in goes[:3])
            plan.remarks.append(Remark("not-kept", f"Values that are not kept go: {some}{more}."))
    if name in SETS_BACK:
        stays = [word for word in ("address", "name", "password", "settings") if word in procedure.survives]
        kept = f"What stays: {', '.join(stays)}." if stays else "Nothing stays: neither address nor settings."
        brings = "The backup that is made before brings it back." if plan.steps[0].action == "backup" else ""
        told = [kept, _comes_up(subject.profile, name), brings]
        plan.remarks.append(Remark("sets-back", " ".join(filter(None, told))))


def _comes_up(profile: Profile, name: str) -> str:
    """Where it is to be looked for after it was set back, and after how long."""
    procedure, factory = profile.procedure(name), profile.factory
    if procedure is None or "address" in procedure.survives or not factory.addresses:
        return ""
    where = " or ".join(factory.addresses)
    speed = f" at {factory.speed} baud" if factory.speed else ""
    wait = f", about {procedure.away:g} s later" if procedure.away else ""
    return f"It comes up at {where}{speed}{wait}."


def look_at(profile: Profile, says: Iterable[str]) -> list[str]:
    """Sentences that tell which light to look at, and what it means there."""
    wanted = set(says)
    return [
        _light(light.printed, light.where, meaning)
        for light in profile.lights
        for meaning in light.patterns
        if meaning.says in wanted
    ]


def _at(profile: Profile, words: str) -> list[str]:
    """Where the lights are that an act speaks of."""
    return [f"{light.printed}: {light.where}." for light in profile.lights if light.where and light.printed in words]


def _light(printed: str, where: str, meaning: Meaning) -> str:
    place = f" ({where})" if where else ""
    then = f" {meaning.then}" if meaning.then else ""
    return f"{printed}{place} {' '.join(filter(None, [meaning.pattern, meaning.colour]))}: {meaning.means}{then}"


def expected(profile: Profile, name: str, survives: Iterable[str], before: Mapping[str, Document]) -> dict[str, Any]:
    """What readable values have to be afterwards, by path; values of which nobody can say that are left out.

    `before` are the sets as they were read before.
    """
    running, startup = before.get("running", {}), before.get("startup", {})
    stays = frozenset(survives)
    wanted: dict[str, Any] = {}
    for path, item in profile.by_path.items():
        if item.secret or item.reserved:
            continue
        if name == "restart":
            value = get(startup, path) if startup else get(running, path) if item.kept == "always" else MISSING
            value = MISSING if item.kept == "never" else value
        elif name in SETS_BACK:
            value = get(running, path) if _stays(item, stays) else _of_factory(profile, item)
        else:
            value = MISSING
        if value is not MISSING:
            wanted[path] = value
    return wanted


def _stays(item: Item, survives: frozenset[str]) -> bool:
    if item.role in ("address", "mask", "gateway", "speed"):
        return "address" in survives
    return (item.role or "settings") in survives


def _of_factory(profile: Profile, item: Item) -> Any:
    factory = profile.factory
    if item.role == "address":
        return item.type.canonical(factory.addresses[0]) if len(factory.addresses) == 1 else MISSING
    if item.role == "speed" and factory.speed:
        return factory.speed
    return MISSING if item.default is None else item.default
