"""Firmware files that are kept, and what people want of a model's firmware."""

from __future__ import annotations

from django.db import models

from netloom_server.installation.models import Device, new_id


class FirmwareFile(models.Model):
    """Its bytes are in the data folder's `firmware/`, by their digest. `profile` is empty where it fits no model.

    `code` and `hardware` (revisions) are what its header bears, `version` too unless a person said it. `refused` is why
    it is not to be used, `source` where it came from, `supersedes` the versions that people say it replaces.
    """

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    name = models.CharField(max_length=120)
    digest = models.CharField(max_length=64, unique=True)
    size = models.PositiveBigIntegerField()
    profile = models.CharField(max_length=60, blank=True)
    code = models.CharField(max_length=60, blank=True)
    hardware = models.JSONField(default=list)
    version = models.CharField(max_length=60, blank=True)
    dated = models.DateField(null=True)
    notes = models.TextField(blank=True)
    source = models.CharField(max_length=200, blank=True)
    refused = models.CharField(max_length=200, blank=True)
    supersedes = models.CharField(max_length=200, blank=True)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["profile", "name", "at"]


class ModelFirmware(models.Model):
    """What people want of a model: the `current` version, the `least` and why."""

    profile = models.CharField(primary_key=True, max_length=60)
    current = models.CharField(max_length=60, blank=True)
    least = models.CharField(max_length=60, blank=True)
    why = models.CharField(max_length=200, blank=True)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now=True)


class SetAside(models.Model):
    """What was decided for the model that a device was, before another application made another one of it."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="set_aside")
    profile = models.CharField(max_length=60)
    values = models.JSONField(default=dict)
    at = models.DateTimeField(auto_now_add=True)
