"""Runs with their steps, the journal, and the events that browsers follow."""

from __future__ import annotations

from typing import Any

from django.db import models

from netloom_core.model import work
from netloom_server.installation.models import new_id

LIVE = ("waiting", "running")


def next_number() -> int:
    return (Run.objects.aggregate(last=models.Max("number"))["last"] or 0) + 1


class Run(models.Model):
    """`number` grows with each; by it one knows the newest, since a clock may be put back."""

    id = models.CharField(primary_key=True, max_length=12, default=new_id)
    number = models.BigIntegerField(default=next_number, db_index=True)
    kind = models.CharField(max_length=16)
    by = models.CharField(max_length=150)
    params = models.JSONField(default=dict)
    state = models.CharField(max_length=12, default="waiting", db_index=True)
    result = models.JSONField(default=dict)
    message = models.CharField(max_length=600, blank=True)
    cancel = models.BooleanField(default=False)
    progress = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    def as_core(self) -> work.RunState:
        return work.RunState(
            id=self.id,
            kind=self.kind,
            by=self.by,
            params=self.params,
            state=self.state,
            steps=[step.as_core() for step in self.steps.order_by("ordinal")],
            result=self.result,
            message=self.message,
        )


class Step(models.Model):
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="steps")
    ordinal = models.PositiveIntegerField()
    device = models.CharField(max_length=8, db_index=True)
    action = models.CharField(max_length=20)
    params = models.JSONField(default=dict)
    state = models.CharField(max_length=10, default=work.PENDING)
    message = models.CharField(max_length=1000, blank=True)
    hint = models.CharField(max_length=600, blank=True)
    code = models.CharField(max_length=40, blank=True)
    evidence = models.JSONField(default=dict)
    settled = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "ordinal"], name="step_once")]

    def as_core(self) -> work.StepState:
        return work.StepState(
            ordinal=self.ordinal,
            device=self.device,
            action=self.action,
            params=self.params,
            state=self.state,
            message=self.message,
            hint=self.hint,
            code=self.code,
            evidence=self.evidence,
        )


class Lease(models.Model):
    """One run holds a device at a time. Taken in the transaction that makes the run, given back when it is settled."""

    device = models.CharField(primary_key=True, max_length=8)
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="leases")


class Plan(models.Model):
    """What would be written, as it was shown. Its id is that of the run that made it; a person approves by it.

    `versions` are those of the decisions that it was made on, by device; `used` is the run that
    carried it out.
    """

    id = models.CharField(primary_key=True, max_length=12)
    kind = models.CharField(max_length=16)
    by = models.CharField(max_length=150)
    params = models.JSONField(default=dict)
    steps = models.JSONField(default=list)
    remarks = models.JSONField(default=list)
    read = models.JSONField(default=dict)
    versions = models.JSONField(default=dict)
    digest = models.CharField(max_length=64)
    created = models.DateTimeField(auto_now_add=True)
    used = models.CharField(max_length=12, blank=True)


class JournalEntry(models.Model):
    """Append-only: the database itself refuses to change or delete a row (see the migrations).

    The columns beside `entry` are copies of what is in it, to be searched by; `hash` covers all of it.
    """

    id = models.BigAutoField(primary_key=True)
    device = models.CharField(max_length=8, blank=True, db_index=True)
    run = models.CharField(max_length=12, blank=True, db_index=True)
    kind = models.CharField(max_length=10, blank=True)
    intent = models.CharField(max_length=16, blank=True, db_index=True)
    entry = models.JSONField()
    hash = models.CharField(max_length=64)

    def as_dict(self) -> dict[str, Any]:
        return {"id": self.id, "hash": self.hash, **self.entry}

    @property
    def columns_agree(self) -> bool:
        """Whether what it is searched by is what it says."""
        return all(getattr(self, name) == self.entry.get(name, "") for name in ("device", "run", "kind", "intent"))


class Witness(models.Model):
    """The one row that says since when the journal has a head outside of the records, and from which entry on its chain
    counts: a lead may accept one that is broken, and a new chain begins then."""

    since = models.DateTimeField(auto_now_add=True)
    first = models.PositiveBigIntegerField(default=1)


class Event(models.Model):
    """`data` is the JSON that goes to browsers, as it is."""

    id = models.BigAutoField(primary_key=True)
    kind = models.CharField(max_length=20)
    data = models.TextField()
    time = models.DateTimeField(auto_now_add=True)
