"""From what is wanted and what is there to an ordered list of steps, as data.

Within a device: what works at once; what waits for a restart is staged; then one store for both;
the restart, which is a change of place where the address is among its values; changes of place by
a command of their own; last what nothing keeps, since a restart would take it. The table of proof
says which of these a value needs. An empty plan is the proof that nothing is left to do.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.diff import differences, towards
from netloom_core.documents.tree import ALL_READ, MISSING, Document, get, leaves, merged
from netloom_core.errors import NetloomError, OutOfRange, Reserved, WrongModel
from netloom_core.model.change import Change
from netloom_core.model.work import StepState
from netloom_core.plan.allowed import allowed, judged
from netloom_core.plan.order import ordered
from netloom_core.plan.power import remark_unsafe
from netloom_core.plan.proof import Row
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.profiles.abilities import Ability
from netloom_core.profiles.locked import why_locked
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.values import checked, unmet_needs

SECONDS = {"write": 1.0, "stage": 1.0, "store": 1.0}
PLACE = ("address", "speed")


def in_order(profile: Profile, changes: Sequence[Change]) -> list[Change]:
    """Each change after those that it needs; otherwise in the profile's order, and so that a fixture's slots fit in its
    universe after each."""
    order = {path: float(at) for path, at in profile.order.items()}
    order |= _slots_fit(profile, changes)
    waiting = sorted(changes, key=lambda change: order.get(change.path, len(order)))
    done: list[Change] = []
    while waiting:
        open_paths = {change.path for change in waiting}
        ready = [c for c in waiting if not {n.path for n in profile.by_path[c.path].needs} & (open_paths - {c.path})]
        chosen = ready or waiting  # needs in a circle: the profile's order is as good as any
        done += chosen
        waiting = [change for change in waiting if change not in chosen]
    return done


def _slots_fit(profile: Profile, changes: Sequence[Change]) -> dict[str, float]:
    """Where the start address has to stand, of changes that give a fixture another personality, too."""
    listens = profile.listens
    by_path = {change.path: change for change in changes}
    if listens is None or not {listens.start, listens.personality} <= by_path.keys():
        return {}
    start, personality = by_path[listens.start], by_path[listens.personality]
    first = listens.start_goes_first(start.before, personality.after)
    return {start.path: profile.order[personality.path] + (-0.5 if first else 0.5)}


def waits_for_restart(profile: Profile, path: str) -> bool:
    """Whether the value works only after a restart or a change of place."""
    setting = profile.by_path[path]
    return setting.takes == "on-restart" or setting.role in PLACE


def unkept_paths(profile: Profile, running: Document, startup: Document) -> list[str]:
    """Items whose value would go at the next power cut."""
    if not startup or running == startup:
        return []
    return [
        change.path
        for change in differences(startup, running)
        if change.after is not None
        and (setting := profile.by_path.get(change.path)) is not None
        and (
            setting.kept == "when-stored" or (setting.kept == "always" and not waits_for_restart(profile, change.path))
        )
    ]


def would_be_kept(profile: Profile, running: Document, startup: Document) -> list[str]:
    """Paths whose running value a store would keep; what waits for a restart is told by what was staged."""
    return [path for path in unkept_paths(profile, running, startup) if not waits_for_restart(profile, path)]


def kept_untold(profile: Profile, running: Document, unreadable: Mapping[str, str]) -> list[str]:
    """Paths of which a store would keep a value that the device did not tell."""
    return [
        path
        for path in unreadable
        if (setting := profile.by_path.get(path)) is not None
        and setting.kept == "when-stored"
        and get(running, path) is MISSING
        and not waits_for_restart(profile, path)
    ]


def known_unkept(
    profile: Profile, running: Document, startup: Document, unreadable: Mapping[str, str] = ALL_READ
) -> list[str]:
    """Those of `would_be_kept` that it is known to keep otherwise: what could not be read may be kept all the same."""
    return [path for path in would_be_kept(profile, running, startup) if path not in unreadable]


@dataclass
class _Sorted:
    """Changes by what becomes of them. `placed` change the place without a restart, `late` may only come after it."""

    at_once: list[Change] = field(default_factory=list)
    staged: list[Change] = field(default_factory=list)
    placed: list[Change] = field(default_factory=list)
    late: list[Change] = field(default_factory=list)
    fleeting: list[Change] = field(default_factory=list)


def _sort(subject: Subject, changes: Sequence[Change]) -> _Sorted:
    found = _Sorted()
    for change in in_order(subject.profile, changes):
        setting = subject.profile.by_path[change.path]
        if setting.role in PLACE and (setting.takes != "on-restart" or Ability.READDRESS in subject.abilities):
            found.placed.append(change)
        elif setting.takes == "on-restart":
            found.staged.append(change)
        elif setting.kept == "never":
            found.fleeting.append(change)
        else:
            found.at_once.append(change)
    if not found.staged:  # nothing takes it back within this plan, so it keeps its place in the order
        found.at_once = in_order(subject.profile, [*found.at_once, *found.fleeting])
        found.fleeting = []
    return found


def _in_allowed_order(subject: Subject, changes: Sequence[Change], plan: DevicePlan) -> _Sorted:
    """Sorted so that the device never has what its profile forbids; where there is no such order that is said."""
    sorted_ = _sort(subject, changes)
    profile, rules = subject.profile, subject.profile.allowed
    if not rules:
        return sorted_
    on_store = [change for change in sorted_.at_once if profile.by_path[change.path].takes == "on-store"]
    at_once = [change for change in sorted_.at_once if change not in on_store]
    now = judged(profile, subject.running)
    order = ordered(rules, now, at_once, on_store, sorted_.staged, sorted_.fleeting)
    if order is None:
        bound = [change for change in changes if change.path in rules.by_path]
        names = ", ".join(profile.called(change.path) for change in bound)
        text = f"{names}: in whatever order they are written, on the way stands something that is not allowed."
        plan.remarks.append(Remark("no-order", f"{text} Write them in two plans, by values in between."))
        return _sort(subject, [change for change in changes if change not in bound])
    sorted_.at_once = [*order.first, *on_store]
    sorted_.late, sorted_.fleeting = order.late, order.last
    return sorted_


def plan_changes(
    subject: Subject, changes: Sequence[Change], *, keep: bool = True, only_good: bool = False
) -> DevicePlan:
    """Steps for given changes. `keep=False` leaves out the store, for values to try. A value that may not be given to
    its item refuses them all, unless `only_good`: then it is left out by its name."""
    plan, profile = DevicePlan(subject.device), subject.profile
    changes = _good(subject, changes, plan, raises=not only_good)
    if not keep:
        changes = _only_to_try(subject, changes, plan)
    changes = _not_locked(subject, _let_in(subject, changes, plan), plan)
    if changes and not _reachable(subject, changes, plan):
        return plan
    sorted_ = _in_allowed_order(subject, allowed(subject, changes, plan), plan)
    if sorted_.at_once:
        plan.steps.append(_step(subject, "write", sorted_.at_once, SECONDS["write"]))
    if sorted_.staged:
        step = _step(subject, "stage", sorted_.staged, SECONDS["stage"])
        for data in step.params["changes"]:
            waits = get(subject.startup, data["path"])
            if waits is not MISSING and waits != data["from"]:
                data["waits"] = waits
        plan.steps.append(step)
    if keep:
        _add_store(subject, plan, [*sorted_.at_once, *sorted_.staged])
    if any(get(subject.running, change.path) != change.after for change in sorted_.staged):
        moves = any(profile.by_path[c.path].role in PLACE for c in sorted_.staged)
        step = _step(subject, "readdress" if moves else "restart", sorted_.staged, profile.away_seconds)
        step.params["by"] = "restart"
        plan.steps.append(step)
    if sorted_.placed:
        _add_place(subject, plan, sorted_.placed, keep)
    if sorted_.late:
        plan.steps.append(_step(subject, "write", sorted_.late, SECONDS["write"]))
        if keep:
            _add_store(subject, plan, sorted_.late)
    if sorted_.fleeting:
        plan.steps.append(_step(subject, "write", sorted_.fleeting, SECONDS["write"]))
    if keep:
        _name_again(subject, plan)
    _remark(subject, plan, changes)
    remark_unsafe(subject, plan)
    return plan


def _name_again(subject: Subject, plan: DevicePlan) -> None:
    """What may be done once more where the last reading shows that just that lacks (run/closing.py)."""
    if not plan.steps:
        return
    by_path = subject.profile.by_path
    again = ["write"] if any(step.action == "write" for step in plan.steps[:-1]) else []
    kept = any(by_path[c["path"]].kept != "never" for step in plan.steps for c in step.params["changes"])
    if kept and Ability.STORE in subject.abilities and "startup" in subject.abilities.sets:
        again.append("store")
    if again:
        plan.steps[-1].params["again"] = again


def _good(subject: Subject, changes: Sequence[Change], plan: DevicePlan, *, raises: bool) -> list[Change]:
    """Without those whose value may not be given to them: each is named, and no other one suffers for it."""
    good = []
    for change in changes:
        try:
            if not subject.profile.by_path[change.path].secret:
                checked(subject.profile, change.path, change.after)
        except (OutOfRange, Reserved) as error:
            if raises:
                raise
            plan.remarks.append(Remark("left-out", f"Left out: {error.message}"))
        else:
            good.append(change)
    return good


def _reachable(subject: Subject, changes: Sequence[Change], plan: DevicePlan) -> bool:
    """Whether the device's way in can do what the changes need; else that is remarked and nothing planned."""
    sorted_ = _sort(subject, changes)
    lacks = []
    if (sorted_.at_once or sorted_.staged or sorted_.fleeting) and Ability.WRITE not in subject.abilities:
        lacks.append("no way to write settings")
    if sorted_.staged and Ability.RESTART not in subject.abilities:
        lacks.append("no way to restart it from here")
    if lacks:
        plan.remarks.append(Remark("left-out", f"Nothing is written: there is {' and '.join(lacks)}."))
    return not lacks


def _not_locked(subject: Subject, changes: Sequence[Change], plan: DevicePlan) -> list[Change]:
    good = []
    for change in changes:
        state = subject.profile.by_path[change.path].state_of(change.after) if subject.locks else ""
        if why := why_locked(subject.profile, subject.locks, change.path, state):
            plan.remarks.append(Remark("locked", f"{subject.profile.called(change.path)} is left out. {why}"))
        else:
            good.append(change)
    return good


def _let_in(subject: Subject, changes: Sequence[Change], plan: DevicePlan) -> list[Change]:
    """What can be written with the codes that are known; of what is left out it is said which code it needs."""
    closed: dict[str, list[str]] = {}
    good = []
    for change in changes:
        level = subject.profile.level_for([change.path])
        if subject.opens(level):
            good.append(change)
        else:
            closed.setdefault(level, []).append(subject.profile.called(change.path))
    for level, names in closed.items():
        listed = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
        code = subject.profile.ladder.called(level)
        text = f"{listed}: it needs the {code}, which is not known here. Enter it under Address, Access."
        plan.remarks.append(Remark("level-wanted", text))
    return good


def _only_to_try(subject: Subject, changes: Sequence[Change], plan: DevicePlan) -> list[Change]:
    """What can be tried without being kept."""
    good, profile = [], subject.profile
    for change in changes:
        setting = profile.by_path[change.path]
        if setting.takes == "at-once" and setting.role not in PLACE:
            good.append(change)
        else:
            when = "a restart, which would take the tried values back" if setting.takes == "on-restart" else "a store"
            why = when if setting.role not in PLACE else "a change that is kept"
            plan.remarks.append(
                Remark("left-out", f"{profile.called(change.path)} was left out: it works only after {why}.")
            )
    return good


def _step(subject: Subject, action: str, changes: Sequence[Change], seconds: float) -> StepState:
    disturbs = {d for change in changes for d in subject.profile.by_path[change.path].disturbs}
    if action == "stage":
        disturbs = set()  # nothing happens yet; the restart disturbs
    if action in ("restart", "readdress"):
        disturbs.add("link")
    params: dict[str, Any] = {
        "changes": [change.as_dict() for change in changes],
        "disturbs": sorted(disturbs),
        "seconds": seconds,
    }
    if level := subject.profile.level_for(change.path for change in changes):
        params["signs_in"] = subject.profile.ladder.called(level)
    return StepState(0, subject.device, action, params)


def _add_store(subject: Subject, plan: DevicePlan, written: Sequence[Change]) -> None:
    """One store for all that was written, and for what was loose before; left out where nothing needs it."""
    profile = subject.profile
    rows = {change.path: subject.row(profile.by_path[change.path]) for change in written}
    needed = [
        change
        for change in written
        if "store" in rows[change.path].steps and not _kept_so(subject, change, rows[change.path])
    ]
    mine = {change.path for change in written}
    loose = [p for p in would_be_kept(profile, subject.running, subject.startup) if p not in mine]
    if not (needed or loose):
        return
    if Ability.STORE not in subject.abilities:
        if needed:
            plan.remarks.append(Remark("not-kept", "It has no way to store: the values go at the next power cut."))
        return
    keeps = [{"path": c.path, "to": c.after} for c in written if "store" in rows[c.path].steps]
    keeps += [{"path": path, "to": get(subject.running, path)} for path in loose]
    step = _step(subject, "store", [], SECONDS["store"])
    works = [keep for keep in keeps if keep["path"] in mine and profile.by_path[keep["path"]].takes == "on-store"]
    coming = {path: value for path, value in subject.waiting.items() if path not in mine}
    for path, value in coming.items():
        keep = {"path": path, "to": value}
        keeps = [*(one for one in keeps if one["path"] != path), keep]
        works.append(keep)
        shown = profile.by_path[path].type.show(value)
        text = f"{profile.called(path)} {shown} was written by an earlier run and waits: this store makes it work."
        plan.remarks.append(Remark("waiting", text))
    unkept = [*loose, *(path for path in coming if path not in loose)]
    step.params |= {"keeps": keeps, "unkept": unkept, "works": works, **_not_seen(subject, plan, mine)}
    plan.steps.append(step)


def _not_seen(subject: Subject, plan: DevicePlan, mine: Collection[str]) -> dict[str, Any]:
    """What a store would keep though nobody knows it, which people are told: `all`, or the paths `unseen`."""
    if not subject.startup:
        tells = "does not" if "startup" in subject.abilities.sets else "cannot"
        text = f"Storing keeps all that runs now; what of it was not kept before, the device {tells} tell."
        plan.remarks.append(Remark("keeps-all", text))
        return {"all": True, "unseen": []}
    unseen = [p for p in kept_untold(subject.profile, subject.running, subject.unreadable) if p not in mine]
    if unseen:
        more = f" and {len(unseen) - 1} more" if len(unseen) > 1 else ""
        text = f"{subject.profile.called(unseen[0])}{more} cannot be read: storing keeps whatever it is now."
        plan.remarks.append(Remark("keeps-untold", text))
    brought = _brought(subject, plan, mine)
    return {"all": False, "unseen": [*unseen, *(path for path in brought if path not in unseen)]}


def _brought(subject: Subject, plan: DevicePlan, mine: Collection[str]) -> list[str]:
    """What the device changes by itself with what is written, as its profile tells; people are told before."""
    by_path = subject.profile.by_path
    found = list(dict.fromkeys(p for path in mine for p in by_path[path].brings if p not in mine))
    if found:
        names = ", ".join(map(subject.profile.called, found[:4])) + (f" and {len(found) - 4} more" if found[4:] else "")
        text = f"{names}: the device may change that by itself with it; storing keeps what it is then."
        plan.remarks.append(Remark("brings", text))
    return found


def _kept_so(subject: Subject, change: Change, row: Row) -> bool:
    """Whether a power cut would bring this very value already, and nothing but that is missing."""
    setting = subject.profile.by_path[change.path]
    kept = row.kept_by == "startup" and bool(subject.startup) and get(subject.startup, change.path) == change.after
    return kept and setting.takes == "at-once"


def _add_place(subject: Subject, plan: DevicePlan, placed: Sequence[Change], keep: bool) -> None:
    step = _step(subject, "readdress", placed, subject.profile.away_seconds)
    step.params["by"] = "command" if Ability.READDRESS in subject.abilities else "write"
    plan.steps.append(step)
    keeps = [{"path": c.path, "to": c.after} for c in placed if subject.profile.by_path[c.path].kept == "when-stored"]
    if keep and keeps and step.params["by"] == "write" and Ability.STORE in subject.abilities:
        store = _step(subject, "store", [], SECONDS["store"])
        mine = {change.path for change in placed}
        store.params |= {"keeps": keeps, "unkept": [], "works": [], **_not_seen(subject, plan, mine)}
        plan.steps.append(store)


def _remark(subject: Subject, plan: DevicePlan, changes: Sequence[Change]) -> None:
    profile = subject.profile
    document = merged(subject.running, {change.path: change.after for change in changes})
    for change in changes:
        for reason in unmet_needs(profile, change.path, document):
            plan.remarks.append(Remark("no-effect", f"{profile.called(change.path)}: {reason}"))
        setting = profile.by_path[change.path]
        if setting.kept == "never":
            plan.remarks.append(
                Remark("not-kept", f"{profile.called(change.path)}: nothing keeps it through a power cut.")
            )


def plan_intended(subject: Subject, intended: Document, *, keep: bool = True) -> DevicePlan:
    """What brings the device to what people decided."""
    return plan_changes(subject, wanted_changes(subject, intended), keep=keep)


def wanted_changes(subject: Subject, wanted: Document) -> list[Change]:
    """Changes towards wanted values that the profile knows. What is staged already is not changed again."""
    return [c for c in towards(subject.running, wanted) if c.path in subject.profile.by_path]


def plan_restore(subject: Subject, backup_profile: str, backup: Document) -> DevicePlan:
    """What brings the device back to a backup's running values. Refuses another model's backup."""
    if backup_profile != subject.profile.id:
        raise WrongModel(
            f"The backup is of a {backup_profile}, the device is a {subject.profile.id}.",
            "Choose a backup of the same model. Nothing was changed.",
            target=subject.device,
        )
    known = subject.profile.by_path
    changes = [
        c for c in towards(subject.running, backup) if c.path in known and not known[c.path].reserved
    ]  # fmt: skip
    gone = [c.path for c in towards({}, backup) if c.path not in known]
    plan = plan_changes(subject, changes, only_good=True)
    untold = [p for p in dict(leaves(subject.running)) if p in known and get(backup, p) is MISSING]
    untold = [p for p in untold if not (known[p].reserved or known[p].secret)]
    if untold:
        names = ", ".join(map(subject.profile.called, untold[:5])) + (
            f" and {len(untold) - 5} more" if len(untold) > 5 else ""
        )
        text = f"The backup has no value of {names}: there it stays as it is, and nobody knows whether it was so."
        plan.remarks.append(Remark("not-in-backup", text))
    if plan.steps:  # what fits already has to fit at the end, too
        left = {change.path for change in changes}
        fits = {p: v for p, v in leaves(backup) if p in known and p not in left and not known[p].secret}
        plan.steps[-1].params["ends_with"] = fits
    if gone:
        names = ", ".join(gone[:5]) + (f" and {len(gone) - 5} more" if len(gone) > 5 else "")
        plan.remarks.append(
            Remark("left-out", f"The backup has values that this profile does not know any more, left out: {names}.")
        )
    return plan


def left_out(device: str, error: NetloomError) -> DevicePlan:
    """The plan of a device that cannot be planned: the reason, and nothing to write."""
    return DevicePlan(device, remarks=[Remark("left-out", f"It was left out: {error.message} {error.hint}".strip())])


def number(plans: Sequence[DevicePlan]) -> list[StepState]:
    """One list for a run; each device's steps stay in their order."""
    steps = [step for plan in plans for step in plan.steps]
    for ordinal, step in enumerate(steps):
        step.ordinal = ordinal
    return steps


def effect(steps: Sequence[StepState]) -> list[list[Any]]:
    """All that the steps will do, in full; only how long they may take is left out. What a plan's digest is made of."""
    return [[s.device, s.action, {k: v for k, v in s.params.items() if k != "seconds"}] for s in steps]
