"""What people recorded of routing: cables, presets over several devices, locks, EDIDs that are kept."""

from __future__ import annotations

from django.db import models

from netloom_server.installation.models import Device, new_id


class Cable(models.Model):
    """From a jack to a jack. Without a device an end is something that is not on record, and its jack is what people
    call that. `proof` says how it was proven last, empty where somebody only wrote it down."""

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    source_device = models.ForeignKey(Device, null=True, on_delete=models.CASCADE, related_name="cables_out")
    source_jack = models.CharField(max_length=60)
    target_device = models.ForeignKey(Device, null=True, on_delete=models.CASCADE, related_name="cables_in")
    target_jack = models.CharField(max_length=60)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)
    proof = models.CharField(max_length=200, default="")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["target_device", "target_jack"], name="one_cable_into_a_jack"),
            models.UniqueConstraint(fields=["source_device", "source_jack"], name="one_cable_out_of_a_jack"),
        ]


class Preset(models.Model):
    """States of points, of one device or of several: `cells` as {device, path, state}."""

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    name = models.CharField(max_length=80, unique=True)
    cells = models.JSONField(default=list)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]


class Lock(models.Model):
    """Nobody changes what is at `path` from here. Without a `state` it stays as it is; with one, not that."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="locks")
    path = models.CharField(max_length=200)
    state = models.CharField(max_length=120, default="")
    why = models.CharField(max_length=200)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "path", "state"], name="locked_once")]


class StoredEdid(models.Model):
    """An EDID that somebody kept, in hexadecimal."""

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    name = models.CharField(max_length=80, unique=True)
    octets = models.TextField()
    origin = models.CharField(max_length=200, default="")
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
