"""The backup store: documents once per digest, and backups that name them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import orjson
from django.db import models

from netloom_core.documents.tree import canonical, digest
from netloom_server.installation.models import Device, new_id


class Document(models.Model):
    digest = models.CharField(primary_key=True, max_length=64)
    body = models.BinaryField()

    @classmethod
    def keep(cls, document: dict[str, Any]) -> str:
        name = digest(document)
        cls.objects.get_or_create(digest=name, defaults={"body": canonical(document)})
        return name

    @classmethod
    def keep_all(cls, documents: Mapping[str, dict[str, Any]]) -> None:
        """Documents by their digests; those that are here already stay."""
        Document.objects.bulk_create(
            (Document(digest=name, body=canonical(document)) for name, document in documents.items()),
            ignore_conflicts=True,
        )

    @classmethod
    def load(cls, name: str) -> dict[str, Any]:
        """The document, or an empty one where there is none."""
        if not name:
            return {}
        parsed: dict[str, Any] = orjson.loads(bytes(cls.objects.get(digest=name).body))
        return parsed

    @classmethod
    def load_many(cls, names: set[str]) -> dict[str, dict[str, Any]]:
        found = cls.objects.in_bulk([name for name in names if name])
        return {name: orjson.loads(bytes(one.body)) for name, one in found.items()}


def next_number() -> int:
    return (Backup.objects.aggregate(last=models.Max("number"))["last"] or 0) + 1


class Backup(models.Model):
    """What a device was, and what it had, when it was backed up. Outlives the device's record.

    `number` grows with each; by it one knows the newest, since a clock may be put back and an archive
    may state any time. `holes` are values that it should have and that could not be read then, by path: why.
    """

    id = models.CharField(primary_key=True, max_length=12, default=new_id)
    number = models.BigIntegerField(default=next_number, db_index=True)
    device = models.ForeignKey(Device, null=True, on_delete=models.SET_NULL, related_name="backups")
    run = models.CharField(max_length=12, blank=True)
    name = models.CharField(max_length=80)
    maker = models.CharField(max_length=120, blank=True)
    model = models.CharField(max_length=120, blank=True)
    serial = models.CharField(max_length=120, blank=True)
    profile = models.CharField(max_length=60)
    firmware = models.CharField(max_length=60, blank=True)
    line = models.CharField(max_length=80, blank=True)
    address = models.CharField(max_length=64, blank=True)
    taken = models.DateTimeField()
    by = models.CharField(max_length=150)
    baseline = models.BooleanField(default=False)
    label = models.CharField(max_length=120, blank=True)
    running = models.ForeignKey(Document, on_delete=models.PROTECT, related_name="+")
    startup = models.ForeignKey(Document, null=True, on_delete=models.PROTECT, related_name="+")
    holes = models.JSONField(default=dict)

    class Meta:
        ordering = ["-number", "-id"]
