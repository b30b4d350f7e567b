"""The installation: areas, lines, devices, evidence of who was seen where."""

from __future__ import annotations

import secrets
from typing import Any

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
    """`archived` is when people put it away: it is kept, and offered nowhere."""

    name = models.CharField(max_length=80)
    archived = models.DateTimeField(null=True)
    parent = models.ForeignKey("self", null=True, blank=True, on_delete=models.CASCADE, related_name="inside")


class Line(models.Model):
    """`off` are methods switched off; `reports` what each did in the last sweep; `note` what changed by itself.
    `position` is where people put it on the loom; 0 where nobody did. `archived` is when people put it away with the
    devices on it: all of it is kept, nothing goes out on it, and it stands nowhere until it is brought back.
    `rules` say which places are whose (core's addressing/rules.py); empty where nobody decided any.

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
    parent = models.ForeignKey("Device", null=True, blank=True, on_delete=models.SET_NULL, related_name="leads")
    off = models.JSONField(default=list)
    reports = models.JSONField(default=list)
    note = models.CharField(max_length=400, blank=True)
    trouble = models.CharField(max_length=400, blank=True)
    swept = models.DateTimeField(null=True)
    position = models.PositiveIntegerField(default=0)
    archived = models.DateTimeField(null=True)
    rules = models.JSONField(default=dict)

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


class Unit(models.Model):
    """What is fitted somewhere now: it has a serial number, keys, firmware, and values that were read.

    `keys` are all facts that ever named it, `apart` keys that a person said are not its. `switch` is
    where a switch last saw its MAC address ({address, port, interface}). `ways` are the methods by which
    its keys came, `shared` keys that name nobody here since others bear them too, with the reason.
    `running` and `startup` name documents, `read` is when they were asked for, `unreadable` says by path why a
    value could not be understood then; `lost` are values that a power cut took back (core's backup/verify.py).
    `bound` are addresses to which it may go at a power cut (core's addressing/bound.py). `secrets` are
    the references last written to it, by path, `pins` fingerprints of what it showed at first sight (`tls`).
    """

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    maker = models.CharField(max_length=120, blank=True)
    model = models.CharField(max_length=120, blank=True)
    serial = models.CharField(max_length=120, blank=True, db_index=True)
    firmware = models.CharField(max_length=60, blank=True)
    identity_key = models.CharField(max_length=250, blank=True, db_index=True)
    keys = models.JSONField(default=list)
    apart = models.JSONField(default=list)
    ways = models.JSONField(default=dict)
    shared = models.JSONField(default=dict)
    facts = models.JSONField(default=dict)
    guess = models.CharField(max_length=200, blank=True)
    switch = models.JSONField(default=dict)
    read = models.DateTimeField(null=True)
    read_trouble = models.CharField(max_length=400, blank=True)
    running = models.CharField(max_length=64, blank=True)
    startup = models.CharField(max_length=64, blank=True)
    unreadable = models.JSONField(default=dict)
    lost = models.JSONField(default=dict)
    bound = models.JSONField(default=dict)
    secrets = models.JSONField(default=dict)
    pins = models.JSONField(default=dict)


def _of_unit(name: str) -> Any:
    """A fact of the unit that is fitted, to read; what it would be of none where nothing is."""

    def get(device: Device) -> Any:
        return getattr(device.unit or NO_UNIT, name)

    return property(get)


class CommonKey(models.Model):
    """A key that names nobody in this installation: several bear it. `why` says how that was seen."""

    key = models.CharField(primary_key=True, max_length=250)
    why = models.CharField(max_length=400)
    since = models.DateTimeField(auto_now_add=True)


class DeviceManager(models.Manager["Device"]):
    def get_queryset(self) -> models.QuerySet[Device]:
        return super().get_queryset().select_related("unit")


class Device(models.Model):
    """A position in the installation. `unit` is what is fitted there now; none while it is only planned.

    `status` is what the last sweep found it to be; `line`, `address` and `speed` are where its unit was
    last found, `placed` when that was shown; `places` where else it is ({line, address, speed}). `said`
    is set when a person said what it is. `intended` is sparse: only what people decided. `was` are ids
    of records that were joined into this one: what the journal says of them is about this device.
    `universe` is the one that a fixture is planned in, by its port address; none where nobody decided that. Those with
    the same word in `shares` are meant to hear the same slots.
    """

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    name = models.CharField(max_length=80)
    unit = models.OneToOneField(Unit, null=True, on_delete=models.PROTECT, related_name="device")
    profile = models.CharField(max_length=60, blank=True)
    said = models.BooleanField(default=False)
    area = models.ForeignKey(Area, null=True, blank=True, on_delete=models.SET_NULL)
    line = models.ForeignKey(Line, null=True, on_delete=models.SET_NULL, related_name="devices")
    address = models.CharField(max_length=64, blank=True)
    speed = models.PositiveIntegerField(default=0)
    places = models.JSONField(default=list)
    placed = models.DateTimeField(null=True)
    taken_in = models.BooleanField(default=False)
    status = models.CharField(max_length=12, default="planned")
    methods = models.JSONField(default=list)
    reasons = models.JSONField(default=list)
    seen = models.DateTimeField(null=True)
    intended = models.JSONField(default=dict)
    version = models.PositiveIntegerField(default=1)
    proof = models.JSONField(default=dict)
    proven = models.DateTimeField(null=True)
    counts = models.JSONField(default=dict)  # pending, unkept, drift, lost, place: kept up by records.recount
    was = models.JSONField(default=list)
    universe = models.PositiveIntegerField(null=True)
    shares = models.CharField(max_length=40, blank=True)

    maker = _of_unit("maker")
    model = _of_unit("model")
    serial = _of_unit("serial")
    firmware = _of_unit("firmware")
    identity_key = _of_unit("identity_key")
    keys = _of_unit("keys")
    apart = _of_unit("apart")
    ways = _of_unit("ways")
    shared = _of_unit("shared")
    facts = _of_unit("facts")
    guess = _of_unit("guess")
    switch = _of_unit("switch")
    read = _of_unit("read")
    read_trouble = _of_unit("read_trouble")
    running = _of_unit("running")
    startup = _of_unit("startup")
    unreadable = _of_unit("unreadable")
    pins = _of_unit("pins")

    objects = DeviceManager()

    class Meta:
        ordering = ["name"]


NO_UNIT = Unit(id="")


class Touched(models.Model):
    """When each device's row changed last, as a number that only grows; kept up by triggers (see triggers.py)."""

    device = models.CharField(primary_key=True, max_length=8)
    rev = models.PositiveBigIntegerField(unique=True)


class Fitting(models.Model):
    """That a unit is, or was, fitted at a device: the history of replacements."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="fittings")
    unit = models.ForeignKey(Unit, on_delete=models.CASCADE, related_name="fittings")
    since = models.DateTimeField(auto_now_add=True)
    until = models.DateTimeField(null=True)
    by = models.CharField(max_length=150, blank=True)


class Secret(models.Model):
    """A text behind a reference in a device's values; encrypted with a key outside the database."""

    id = models.CharField(primary_key=True, max_length=8, default=new_id)
    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="secrets")
    secret = models.BinaryField()
    sent = models.CharField(max_length=30, null=True)  # as the code of that level; None where it was not, or is settled
    set_by = models.CharField(max_length=150)
    set_at = models.DateTimeField(auto_now_add=True)


class Sighting(models.Model):
    run = models.CharField(max_length=12, db_index=True)
    device = models.ForeignKey(Device, null=True, on_delete=models.SET_NULL, related_name="sightings")
    line = models.ForeignKey(Line, on_delete=models.CASCADE)
    address = models.CharField(max_length=64)
    method = models.CharField(max_length=20)
    facts = models.JSONField(default=dict)
    time = models.DateTimeField(db_index=True)


class Credential(models.Model):
    """How to get into a device at one level of access, "" the usual one; `secret` is encrypted with a key outside the
    database."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="logins")
    level = models.CharField(max_length=30, default="")
    user = models.CharField(max_length=120)
    secret = models.BinaryField()
    set_by = models.CharField(max_length=150)
    set_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "level"], name="one_login_a_level")]


class SharedLogin(models.Model):
    """How to get into all devices of one model, or with an empty `profile` into all that have a code, at one level."""

    profile = models.CharField(max_length=60, default="")
    level = models.CharField(max_length=30, default="")
    user = models.CharField(max_length=120)
    secret = models.BinaryField()
    set_by = models.CharField(max_length=150)
    set_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["profile", "level"], name="one_shared_login_a_level")]


class Fence(models.Model):
    """Nothing there is driven or written until then, by nobody: somebody is on the ladder. An empty `point` is the
    whole device."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="fences")
    point = models.CharField(max_length=120, default="")
    why = models.CharField(max_length=200)
    by = models.CharField(max_length=150)
    until = models.DateTimeField()


class Joined(models.Model):
    """That a device joins what another one makes: what has to be equal on both is taken from there."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="joins")
    parent = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="joined_by")
    name = models.CharField(max_length=60)
    by = models.CharField(max_length=150)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "name"], name="joins_once")]


class Label(models.Model):
    """What people call one thing, wherever it stands."""

    text = models.CharField(max_length=80)
    by = models.CharField(max_length=150)


class LabelPlace(models.Model):
    """A place on an axis of a device that is that thing: its relay 3, say."""

    label = models.ForeignKey(Label, on_delete=models.CASCADE, related_name="places")
    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="labels")
    axis = models.CharField(max_length=40)
    number = models.IntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "axis", "number"], name="one_label_a_place")]


class MonitoredPoint(models.Model):
    """A live point whose changes people want recorded. `seen` is when it was last asked for, to about half a minute:
    from then on nobody knows what it did while the server was away."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="monitored")
    point = models.CharField(max_length=120)
    by = models.CharField(max_length=150)
    seen = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["device", "point"], name="monitored_once")]


class PointEdge(models.Model):
    """A change of a live state. An empty `state` is that nobody could tell it any more."""

    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="edges")
    point = models.CharField(max_length=120)
    state = models.CharField(max_length=120)
    cause = models.CharField(max_length=150, default="")
    at = models.DateTimeField(db_index=True)

    class Meta:
        indexes = [models.Index(fields=["device", "point", "id"], name="edges_of_a_point")]


class OwnProfile(models.Model):
    """A profile that people added to this installation, as they wrote it; it goes before one that ships with its id."""

    ident = models.CharField(max_length=60, primary_key=True)
    name = models.CharField(max_length=120)
    text = models.TextField()
    added_by = models.CharField(max_length=150)
    added_at = models.DateTimeField(auto_now=True)


class Template(models.Model):
    """A named part of a document. `values` are by path; {n}, {area} and the like in a text are filled in for each
    device."""

    name = models.CharField(max_length=80, unique=True)
    profile = models.CharField(max_length=60)
    values = models.JSONField(default=dict)
    made_by = models.CharField(max_length=150)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]


class TemplateUse(models.Model):
    """That a template was applied to a device. `number` is what {n} was."""

    template = models.ForeignKey(Template, on_delete=models.CASCADE, related_name="uses")
    device = models.ForeignKey(Device, on_delete=models.CASCADE, related_name="templates")
    number = models.PositiveIntegerField(default=1)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["template", "device"], name="one_use_of_a_template")]


class LineAccess(models.Model):
    """SNMP communities and users for sweeps of a line; `secret` is their JSON, encrypted."""

    line = models.OneToOneField(Line, on_delete=models.CASCADE, related_name="access")
    secret = models.BinaryField()


class RefusedLogin(models.Model):
    """How often a login was refused at an address of a line; `mark` is the core's, of place and login."""

    line = models.ForeignKey(Line, on_delete=models.CASCADE)
    mark = models.CharField(max_length=120)
    count = models.PositiveIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["line", "mark"], name="one_refused_login")]


class Change(models.Model):
    """A coming or going that a sweep noticed: came, went, moved or back."""

    time = models.DateTimeField(auto_now_add=True, db_index=True)
    device = models.ForeignKey(Device, null=True, on_delete=models.SET_NULL)
    name = models.CharField(max_length=80)
    line = models.CharField(max_length=80)
    address = models.CharField(max_length=64)
    what = models.CharField(max_length=10)
