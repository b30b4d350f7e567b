"""Logs of consoles, kept with the device; the host keys of SSH servers."""

from __future__ import annotations

from django.db import models

from netloom_server.installation.models import Device, Line, new_id


class ConsoleLog(models.Model):
    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    device = models.ForeignKey(Device, null=True, on_delete=models.SET_NULL, related_name="console_logs")
    line = models.ForeignKey(Line, null=True, on_delete=models.SET_NULL)
    title = models.CharField(max_length=160)
    kind = models.CharField(max_length=8)
    by = models.CharField(max_length=150)
    begun = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)


class ConsoleEntry(models.Model):
    """`direction` is in, out or note. Nothing typed as a password is in `data` (see core's recorder)."""

    log = models.ForeignKey(ConsoleLog, on_delete=models.CASCADE, related_name="entries")
    time = models.DateTimeField()
    direction = models.CharField(max_length=4)
    data = models.BinaryField()


class HostKey(models.Model):
    """Fingerprint of the SSH host key that a device showed first."""

    device = models.OneToOneField(Device, on_delete=models.CASCADE, related_name="host_key")
    fingerprint = models.CharField(max_length=120)
