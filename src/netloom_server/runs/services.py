"""Runs and the journal as records."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from netloom_core.model import work
from netloom_core.run.journal import GENESIS, chained, first_break
from netloom_server.runs.models import JournalEntry, Run, Step


@transaction.atomic
def create_run(kind: str, by: str, params: dict[str, Any], steps: list[work.StepState]) -> Run:
    run = Run.objects.create(kind=kind, by=by, params=params)
    save_new_steps(run.id, steps)
    return run


def save_new_steps(run: str, steps: list[work.StepState]) -> None:
    Step.objects.bulk_create(
        Step(run_id=run, ordinal=step.ordinal, device=step.device, action=step.action, params=step.params)
        for step in steps
    )


def save_step(run: str, step: work.StepState) -> None:
    Step.objects.filter(run_id=run, ordinal=step.ordinal).update(
        state=step.state,
        message=step.message[:1000],
        hint=step.hint[:600],
        code=step.code,
        evidence=step.evidence,
        settled=timezone.now() if step.state in work.SETTLED else None,
    )


def save_run(run: work.RunState) -> None:
    ended = None if run.state in ("waiting", "running") else timezone.now()
    Run.objects.filter(id=run.id).update(state=run.state, result=run.result, message=run.message[:600], ended=ended)


@transaction.atomic
def append_journal(entry: dict[str, Any], device: str = "", run: str = "") -> JournalEntry:
    """Append with the chain's next hash. The immediate transaction keeps writers in line."""
    last = JournalEntry.objects.order_by("-id").first()
    return JournalEntry.objects.create(
        device=device, run=run, entry=entry, hash=chained(last.hash if last else GENESIS, entry)
    )


def journal_break() -> int | None:
    """Id of the first journal entry that is not what was written; None when the chain holds."""
    ids, pairs = [], []
    for one in JournalEntry.objects.order_by("id").iterator():
        ids.append(one.id)
        pairs.append((one.entry, one.hash))
    index = first_break(pairs)
    return None if index is None else ids[index]


def run_as_dict(run: Run, *, steps: bool = True, names: dict[str, str] | None = None) -> dict[str, Any]:
    result: dict[str, Any] = {
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
    }
    if steps:
        result["steps"] = [
            {
                "ordinal": s.ordinal,
                "device": s.device,
                "name": (names or {}).get(s.device, s.device),
                "action": s.action,
                "state": s.state,
                "message": s.message,
                "try": s.hint,
                "code": s.code,
                "changes": s.evidence.get("changes") or s.params.get("changes", []),
                "disturbs": s.params.get("disturbs", []),
            }
            for s in run.steps.order_by("ordinal")
        ]
    return result
