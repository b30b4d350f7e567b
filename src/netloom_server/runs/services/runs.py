"""Runs, their leases and their plans as records."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import Count
from django.utils import timezone

from netloom_core.engine.ports import MadePlan
from netloom_core.errors import ReasonWanted, StalePlan
from netloom_core.model import work
from netloom_core.plan.power import UNSAFE
from netloom_server.base.moments import within
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device, Installation, Line
from netloom_server.installation.services.labels import Labels
from netloom_server.installation.services.records import names_of
from netloom_server.runs.models import LIVE, Lease, Plan, Run, Step

FAILURES = 3  # that a run tells by itself
ACTING_SHOWN = 24  # of a run: as many devices are worked on at once
WATCH = "watch"  # by whom sweeps are made that begin by themselves
KIND_WORDS = {"apply": "write", "restore": "restore", "undo": "taking back", "verify": "verification",
              "procedure": "procedure", "firmware": "firmware"}  # fmt: skip


@transaction.atomic
def create_run(kind: str, by: str, params: dict[str, Any], steps: Sequence[work.StepState]) -> Run:
    """Make a run and take its devices, in one transaction. Raises Conflict where another run holds one."""
    devices = list(dict.fromkeys(step.device for step in steps))
    held = Lease.objects.filter(device__in=devices, run__state__in=LIVE).select_related("run").first()
    if held is not None:
        name = Device.objects.filter(id=held.device).values_list("name", flat=True).first() or held.device
        word = KIND_WORDS.get(held.run.kind, held.run.kind)
        raise Conflict(
            f"Another run is working on {name}: a {word} by {held.run.by}.", "Wait until it has ended, or stop it."
        )
    run = Run.objects.create(kind=kind, by=by, params=params)
    _save_new_steps(run.id, steps)
    _lease(run.id, devices)
    return run


@transaction.atomic
def create_sweep(by: str, params: dict[str, Any]) -> Run:
    """Two sweeps of one line at once would spoil each other's view. Raises Conflict."""
    wanted = set(params.get("lines") or [])
    for other in Run.objects.filter(kind="sweep", state__in=LIVE):
        theirs = set(other.params.get("lines") or [])
        if not wanted or not theirs or wanted & theirs:
            raise Conflict("A sweep of these lines is under way already.", "Wait for it, or stop it.")
    return Run.objects.create(kind="sweep", by=by, params=params)


@transaction.atomic
def approve(plan_id: str, kind: str, by: str, reason: str = "") -> Run:
    """The run of a stored plan: what was shown is what is carried out, once. A plan after which a power cut would leave
    somebody in danger wants a `reason`, which stands in the journal. Raises ReasonWanted, StalePlan, NotFound."""
    plan = Plan.objects.filter(id=plan_id[:12]).first()
    if plan is None:
        raise NotFound(f"There is no plan {plan_id!r}.", "Make a plan first; it is shown before anything is written.")
    if plan.kind != kind:
        raise StalePlan(f"That plan is for {plan.kind}, not for {kind}.", "Make a plan for what is wanted.")
    if plan.used:
        raise StalePlan("That plan was carried out already. Nothing was written now.", "Make a new plan.")
    now = dict(Device.objects.filter(id__in=plan.versions).values_list("id", "version"))
    writes = {step["device"] for step in plan.steps}
    stale = [ident for ident, seen in plan.versions.items() if ident in writes and now.get(ident) != seen]
    if stale:  # of every kind: what is done to a device must not go over what somebody decided meanwhile
        name = names_of(stale).get(stale[0], "a device that was removed")
        more = f" and {len(stale) - 1} more" if len(stale) > 1 else ""
        raise StalePlan(
            f"Somebody decided on {name}{more} since the plan was shown. Nothing was written.",
            "Look at the new plan, then write it.",
        )
    unsafe = [remark for remark in plan.remarks if remark["code"] == UNSAFE]
    reason = reason.strip()
    if unsafe and not reason:
        raise ReasonWanted(
            f"{unsafe[0]['name']}: {unsafe[0]['message']}"
            + (f" {len(unsafe) - 1} more are like it." if len(unsafe) > 1 else ""),
            "Say why it is wanted so, or decide another value. Nothing was written.",
        )
    steps = [work.StepState(**step) for step in plan.steps]
    params = {**plan.params, "plan": plan.id, "remarks": plan.remarks, "asked": plan.read}
    run = create_run(kind, by, {**params, "reason": reason} if unsafe else params, steps)
    plan.used = run.id
    plan.save(update_fields=["used"])
    return run


def unsafe_for(run: Run) -> list[work.JournalEntry]:
    """What its plan named as unsafe, and the reason for which it is done, as the journal tells it."""
    reason = run.params.get("reason", "")
    unsafe = [remark for remark in run.params.get("remarks", []) if remark["code"] == UNSAFE and reason]
    return [
        work.JournalEntry(
            "act",
            run.id,
            one["device"],
            "",
            "",
            "reason",
            run.by,
            "",
            message=f"{one['message']} Reason: {reason}"[:900],
        )
        for one in unsafe
    ]


def _save_new_steps(run: str, steps: Sequence[work.StepState]) -> None:
    Step.objects.bulk_create(
        Step(run_id=run, ordinal=step.ordinal, device=step.device, action=step.action, params=step.params)
        for step in steps
    )


def _lease(run: str, devices: Sequence[str]) -> None:
    Lease.objects.filter(device__in=devices).exclude(run__state__in=LIVE).delete()
    Lease.objects.bulk_create(Lease(device=device, run_id=run) for device in devices)


@transaction.atomic
def add_steps(run: str, steps: Sequence[work.StepState]) -> list[work.StepState]:
    """Steps that a run found for itself; devices that another run holds are left out."""
    held = set(
        Lease.objects.filter(device__in={s.device for s in steps}, run__state__in=LIVE)
        .exclude(run=run)
        .values_list("device", flat=True)
    )
    free = [step for step in steps if step.device not in held]
    for ordinal, step in enumerate(free):
        step.ordinal = ordinal
    _save_new_steps(run, free)
    _lease(run, list(dict.fromkeys(step.device for step in free)))
    return free


def save_steps(steps: Sequence[tuple[str, work.StepState]]) -> list[None]:
    """Steps with the ids of their runs; of one that is named twice the later is what is kept."""
    now = timezone.now()
    rows = {
        (run, step.ordinal): Step(
            run_id=run,
            ordinal=step.ordinal,
            device=step.device,
            action=step.action,
            params=step.params,
            state=step.state,
            message=step.message[:1000],
            hint=step.hint[:600],
            code=step.code[:40],
            evidence=step.evidence,
            settled=now if step.state in work.SETTLED else None,
        )
        for run, step in steps
    }
    Step.objects.bulk_create(
        rows.values(),
        update_conflicts=True,
        unique_fields=["run", "ordinal"],
        update_fields=["state", "message", "hint", "code", "evidence", "settled"],
    )
    return [None] * len(steps)


@transaction.atomic
def save_run(run: work.RunState) -> None:
    """A settled run gives its devices free."""
    ended = None if run.state in LIVE else timezone.now()
    Run.objects.filter(id=run.id).update(state=run.state, result=run.result, message=run.message[:600], ended=ended)
    if ended is not None:
        Lease.objects.filter(run=run.id).delete()


@transaction.atomic
def save_plan(run: work.RunState, plan: MadePlan) -> None:
    kept = ("backup", "devices", "keep", "run", "procedure", "file")
    params = {name: value for name, value in run.params.items() if name in kept}
    Plan.objects.update_or_create(
        id=run.id,
        defaults={
            "kind": run.params["kind"],
            "by": run.by,
            "params": params,
            "steps": [
                {"ordinal": s.ordinal, "device": s.device, "action": s.action, "params": s.params} for s in plan.steps
            ],
            "remarks": plan.remarks,
            "read": plan.read if run.params.get("devices") else {},
            "versions": plan.versions,
            "digest": plan.digest,
        },
    )


@transaction.atomic
def unfinished() -> list[str]:
    """Runs to go on with; leases of others, if a crash left any, are given back."""
    Lease.objects.exclude(run__state__in=LIVE).delete()
    return list(Run.objects.filter(state__in=LIVE).order_by("number").values_list("id", flat=True))


@transaction.atomic
def due_sweep() -> str:
    """The id of a new run when watch mode says that it is time; a run of somebody goes first."""
    site = Installation.objects.first()
    if site is None or not site.watch_minutes or Run.objects.filter(state__in=LIVE).exists():
        return ""
    last = Run.objects.filter(kind="sweep").order_by("-number").first()
    if last is not None and within(last.created, timedelta(minutes=site.watch_minutes)):
        return ""
    if not Line.objects.filter(archived=None).exists():
        return ""
    return Run.objects.create(kind="sweep", by=WATCH, params={"lines": [], "quiet": True}).id


# As the API shows them


def counts_of(runs: Iterable[Run]) -> dict[str, dict[str, int]]:
    """How many steps of each run are in which state, by the run's id."""
    counts: dict[str, dict[str, int]] = {}
    told = Step.objects.filter(run__in=[run.id for run in runs]).values_list("run_id", "state").annotate(Count("id"))
    for run, state, count in told:
        counts.setdefault(run, {})[state] = count
    return counts


def run_in_short(run: Run, counts: Mapping[str, Mapping[str, int]]) -> dict[str, Any]:
    """A run for lists: without steps, and of its result only single values."""
    whole = _without_steps(run, counts.get(run.id, {}))
    return {
        **whole,
        "result": {name: value for name, value in run.result.items() if not isinstance(value, list | dict)},
    }


def run_as_dict(run: Run) -> dict[str, Any]:
    """A run without its steps, but with how many are in which state, and the first that failed."""
    counts = counts_of([run]).get(run.id, {})
    bad = [state for state in (work.FAILED, work.UNKNOWN) if counts.get(state)]
    whole = _without_steps(run, counts)
    if bad:
        whole["failures"] = steps_as_dicts(run, states=bad, limit=FAILURES)
    if run.state in LIVE and counts.get(work.ACTING):
        acting = steps_as_dicts(run, states=[work.ACTING], limit=ACTING_SHOWN)
        whole["waiting"] = [step for step in acting if step["asks"] or step["waits"] or step["sends"]]
    return whole


def _without_steps(run: Run, counts: Mapping[str, int]) -> dict[str, Any]:
    return {
        "id": run.id,
        "kind": run.kind,
        "by": run.by,
        "state": run.state,
        "message": run.message,
        "params": {k: v for k, v in run.params.items() if k != "steps"},
        "progress": run.progress,
        "result": run.result,
        "cancelling": run.cancel,
        "created": run.created.isoformat(),
        "ended": run.ended.isoformat() if run.ended else None,
        "counts": dict(counts),
        "failures": [],
        "waiting": [],
    }


def steps_as_dicts(
    run: Run, *, after: int = -1, limit: int | None = None, states: Sequence[str] = ()
) -> list[dict[str, Any]]:
    """Steps in order, those after an ordinal, at most so many; only those in `states` where some are named."""
    found = run.steps.filter(ordinal__gt=after, **({"state__in": states} if states else {}))
    steps = list(found.order_by("ordinal")[:limit])
    names = names_of({step.device for step in steps})
    return [{**step.as_core().shown(), "name": names.get(step.device, step.device)} for step in steps]


def plan_as_dict(run: Run, plan: Plan | None, names: dict[str, str], labels: Labels | None = None) -> dict[str, Any]:
    """A plan as it is shown; `state` is making until the run that makes it has ended."""
    steps = plan.steps if plan else []
    said = labels.on if labels else lambda _, changes: list(changes)
    seconds: dict[str, float] = {}
    for step in steps:
        seconds[step["device"]] = seconds.get(step["device"], 0) + float(step["params"].get("seconds", 1))
    return {
        "id": run.id,
        "kind": run.params.get("kind", ""),
        "state": "making" if run.state in LIVE else "ready" if plan else run.state,
        "message": run.message,
        "used": plan.used if plan else "",
        "digest": plan.digest if plan else "",
        "steps": [
            {
                "device": step["device"],
                "name": names.get(step["device"], step["device"]),
                "action": step["action"],
                "changes": said(step["device"], work.without_secrets(step["params"].get("changes", []))),
                "unkept": step["params"].get("unkept", []),
                "disturbs": step["params"].get("disturbs", []),
                "words": step["params"].get("words") or step["params"].get("label", ""),
                "note": step["params"].get("note", ""),
            }
            for step in steps
        ],
        "remarks": plan.remarks if plan else [],
        "seconds": max(seconds.values(), default=0),
        "disturbs": sorted({d for step in steps for d in step["params"].get("disturbs", [])}),
        "again": sorted({word for step in steps for word in step["params"].get("again", [])}),
    }
