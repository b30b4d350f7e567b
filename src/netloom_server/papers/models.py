"""Papers: what is made of the records to be handed over, kept as files beside the database."""

from __future__ import annotations

from django.db import models


class State(models.TextChoices):
    MAKING = "making"
    READY = "ready"
    FAILED = "failed"


class Paper(models.Model):
    """`journal` is how many entries the journal had when it was made, so that one sees what came after."""

    kind = models.CharField(max_length=20)
    state = models.CharField(max_length=10, choices=State, default=State.MAKING)
    by = models.CharField(max_length=150)
    asked = models.DateTimeField()
    made = models.DateTimeField(null=True)
    bytes = models.BigIntegerField(default=0)
    digest = models.CharField(max_length=64, blank=True)  # SHA-256 of the file
    journal = models.BigIntegerField(default=0)
    message = models.CharField(max_length=400, blank=True)
    hint = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["-id"]  # as they were asked for, whatever the clock did
