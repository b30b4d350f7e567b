"""The installation: areas, lines, devices, evidence of who was seen where."""

from __future__ import annotations

import secrets

from django.db import models

from netloom_core.model import line as core

ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz"


def new_id() -> str:
    """Eight characters that can be read aloud."""
    return "".join(secrets.choice(ALPHABET) for _ in range(8))


class Installation(models.Model):
    """`watch_minutes` is how often all lines are swept by themselves; 0 for never."""

    name = models.CharField(max_length=120)
    watch_minutes = models.PositiveIntegerField(default=0)


class Area(models.Model):
    name = models.CharField(max_length=80)
    parent = models.ForeignKey("self", null=True, blank=True, on_delete=models.CASCADE, related_name="inside")


class Line(models.Model):
    """`off` are methods switched off; `reports` what each did in the last sweep; `note` what changed by itself.

    `adapter` is what the port belongs to (see core's links/ports.py); `parent` leads the bus
    of a line behind a device.
    """

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    name = models.CharField(max_length=80, unique=True)
    kind = models.CharField(
        max_length=8, choices=[("ip", "IP network"), ("serial", "Serial line"), ("behind", "Behind a device")]
    )
    network = models.CharField(max_length=32, blank=True)
    interface = models.CharField(max_length=32, blank=True)
    source = models.CharField(max_length=32, blank=True)
    path = models.CharField(max_length=400, blank=True)
    speed = models.PositiveIntegerField(default=9600)
    protocol = models.CharField(max_length=16, blank=True)
    parity = models.CharField(max_length=1, default="N")
    adapter = models.CharField(max_length=200, blank=True)
    parent = models.ForeignKey("Device", null=True, blank=True, on_delete=models.CASCADE, related_name="leads")
    off = models.JSONField(default=list)
    reports = models.JSONField(default=list)
    note = models.CharField(max_length=400, blank=True)
    trouble = models.CharField(max_length=400, blank=True)
    swept = models.DateTimeField(null=True)

    class Meta:
        ordering = ["name"]

    def as_core(self) -> core.Line:
        return core.Line(
            id=self.id,
            name=self.name,
            kind=self.kind,
            network=self.network,
            source=self.source,
            path=self.path,
            speed=self.speed,
            protocol=self.protocol,
            interface=self.interface,
            parity=self.parity,
            adapter=self.adapter,
            parent=self.parent_id or "",
            off=tuple(self.off),
        )


class Device(models.Model):
    """`status` is what the last sweep found it to be; `place` is where it was last found.

    `keys` are all facts that ever named it, `places` where else it is ({line, address,
    speed}), `apart` keys that a person said are not its. `said` is set when a person said
    what it is. `switch` is where a switch last saw its MAC address ({address, port}).
    `intended` is sparse: only what people decided. `earlier` and `earlier_startup` name the
    documents before the present ones, which tells a value that a power cut took back.
    """

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    name = models.CharField(max_length=80)
    profile = models.CharField(max_length=60, blank=True)
    maker = models.CharField(max_length=120, blank=True)
    model = models.CharField(max_length=120, blank=True)
    serial = models.CharField(max_length=120, blank=True, db_index=True)
    firmware = models.CharField(max_length=60, blank=True)
    identity_key = models.CharField(max_length=250, blank=True, db_index=True)
    keys = models.JSONField(default=list)
    apart = models.JSONField(default=list)
    places = models.JSONField(default=list)
    said = models.BooleanField(default=False)
    guess = models.CharField(max_length=200, blank=True)
    switch = models.JSONField(default=dict)
    facts = models.JSONField(default=dict)
    area = models.ForeignKey(Area, null=True, blank=True, on_delete=models.SET_NULL)
    line = models.ForeignKey(Line, null=True, on_delete=models.SET_NULL, related_name="devices")
    address = models.CharField(max_length=64, blank=True)
    speed = models.PositiveIntegerField(default=0)
    taken_in = models.BooleanField(default=False)
    status = models.CharField(max_length=12, default="planned")
    methods = models.JSONField(default=list)
    reasons = models.JSONField(default=list)
    seen = models.DateTimeField(null=True)
    read = models.DateTimeField(null=True)
    read_trouble = models.CharField(max_length=400, blank=True)
    intended = models.JSONField(default=dict)
    version = models.PositiveIntegerField(default=1)
    running = models.CharField(max_length=64, blank=True)
    startup = models.CharField(max_length=64, blank=True)
    earlier = models.CharField(max_length=64, blank=True)
    earlier_startup = models.CharField(max_length=64, blank=True)
    proof = models.JSONField(default=dict)
    proven = models.DateTimeField(null=True)
    counts = models.JSONField(default=dict)  # pending, unkept, drift, lost: kept up by records.recount

    class Meta:
        ordering = ["name"]


class Sighting(models.Model):
    run = models.CharField(max_length=12, db_index=True)
    device = models.ForeignKey(Device, null=True, on_delete=models.SET_NULL, related_name="sightings")
    line = models.ForeignKey(Line, on_delete=models.CASCADE)
    address = models.CharField(max_length=64)
    method = models.CharField(max_length=20)
    facts = models.JSONField(default=dict)
    time = models.DateTimeField(db_index=True)


class Credential(models.Model):
    """How to get into a device; `secret` is encrypted with a key outside the database."""

    device = models.OneToOneField(Device, on_delete=models.CASCADE, related_name="credential")
    user = models.CharField(max_length=120)
    secret = models.BinaryField()
    set_by = models.CharField(max_length=150)
    set_at = models.DateTimeField(auto_now=True)


class LineAccess(models.Model):
    """SNMP communities and users for sweeps of a line; `secret` is their JSON, encrypted."""

    line = models.OneToOneField(Line, on_delete=models.CASCADE, related_name="access")
    secret = models.BinaryField()


class Change(models.Model):
    """A coming or going that a sweep noticed: came, went, moved or back."""

    time = models.DateTimeField(auto_now_add=True, db_index=True)
    device = models.ForeignKey(Device, null=True, on_delete=models.SET_NULL)
    name = models.CharField(max_length=80)
    line = models.CharField(max_length=80)
    address = models.CharField(max_length=64)
    what = models.CharField(max_length=10)
