"""Shapes of the installation's API, for checking what comes in and for the schema."""

from __future__ import annotations

from rest_framework import serializers

from netloom_server.base.forms import Form
from netloom_server.installation.api.feeding_shapes import FeederSerializer, PortHangsSerializer
from netloom_server.installation.api.place_shapes import RulesSerializer
from netloom_server.installation.api.point_shapes import FeedKnownSerializer, PointSerializer
from netloom_server.runs.api.shapes import ChangeSerializer


class AreaSerializer(Form):
    id = serializers.IntegerField()
    name = serializers.CharField()
    archived = serializers.BooleanField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "parent": serializers.IntegerField(allow_null=True)}


class MethodSerializer(Form):
    """A sweep method on a line, and what it did there last: packets sent, addresses seen, seconds."""

    name = serializers.CharField()
    title = serializers.CharField()
    needs = serializers.CharField()
    sends = serializers.CharField()
    on = serializers.BooleanField()
    state = serializers.CharField()
    seconds = serializers.FloatField()
    seen = serializers.IntegerField()
    sent = serializers.IntegerField()
    notes = serializers.ListField(child=serializers.CharField())


class LineAccessSerializer(Form):
    communities = serializers.IntegerField()
    users = serializers.ListField(child=serializers.CharField())
    onvif = serializers.ListField(child=serializers.CharField())


class LineSerializer(Form):
    id = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.CharField()
    network = serializers.CharField()
    interface = serializers.CharField()
    path = serializers.CharField()
    speed = serializers.IntegerField()
    protocol = serializers.CharField()
    parity = serializers.CharField()
    adapter = serializers.CharField()
    parent = serializers.CharField()  # type: ignore[assignment]
    parent_name = serializers.CharField()
    note = serializers.CharField()
    rate = serializers.IntegerField()
    access = LineAccessSerializer()
    methods = MethodSerializer(many=True)
    trouble = serializers.CharField()
    swept = serializers.DateTimeField(allow_null=True)
    archived = serializers.DateTimeField(allow_null=True)
    rules = RulesSerializer()
    holder = serializers.CharField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "source": serializers.CharField()}


class NewLineSerializer(Form):
    kind = serializers.ChoiceField(["ip", "serial"])
    name = serializers.CharField(max_length=80, required=False, allow_blank=True)
    network = serializers.CharField(max_length=32, required=False)
    interface = serializers.RegexField(r"^[\w.:@-]{0,32}$", required=False, allow_blank=True)
    path = serializers.CharField(max_length=400, required=False)
    speed = serializers.IntegerField(min_value=300, max_value=4_000_000, required=False, default=9600)
    protocol = serializers.ChoiceField(["osdp", "modbus", "dialogue"], required=False, default="osdp")
    parity = serializers.ChoiceField(["N", "E", "O"], required=False, default="N")


class ArchivedSerializer(Form):
    """A line that was put away; `where` is its network or port, `devices` how many are on it."""

    id = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.CharField()
    where = serializers.CharField()
    devices = serializers.IntegerField()
    since = serializers.DateTimeField()


class OverviewSerializer(Form):
    """`lines` are those in use."""

    installation = serializers.CharField()
    demo = serializers.BooleanField()
    areas = AreaSerializer(many=True)
    lines = LineSerializer(many=True)
    archived = ArchivedSerializer(many=True)
    last_event = serializers.IntegerField()


class PlaceSerializer(Form):
    line = serializers.CharField()
    line_id = serializers.CharField()
    address = serializers.CharField()
    speed = serializers.IntegerField()


class OfferSerializer(Form):
    """Something that Netloom can do about a reason: `set` a value of a device, in its plan first."""

    action = serializers.CharField()
    device = serializers.CharField()
    path = serializers.CharField()
    value = serializers.JSONField()


class ReasonSerializer(Form):
    reason = serializers.CharField()
    test = serializers.CharField(required=False)
    offer = OfferSerializer(allow_null=True, required=False)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "try": serializers.CharField()}


class FenceKnownSerializer(Form):
    """Nothing there is driven or written until then. An empty `point` is the whole device."""

    id = serializers.IntegerField()
    point = serializers.CharField()
    why = serializers.CharField()
    by = serializers.CharField()
    until = serializers.DateTimeField()


class CountsSerializer(Form):
    pending = serializers.IntegerField()
    unkept = serializers.IntegerField()
    drift = serializers.IntegerField()
    lost = serializers.IntegerField()
    place = serializers.IntegerField()
    forbidden = serializers.IntegerField()


class DeviceSerializer(Form):
    id = serializers.CharField()
    fences = FenceKnownSerializer(many=True)
    name = serializers.CharField()
    maker = serializers.CharField()
    model = serializers.CharField()
    reported_model = serializers.CharField()
    kind = serializers.CharField()
    serial = serializers.CharField()
    profile = serializers.CharField()
    firmware = serializers.CharField()
    firmware_trouble = serializers.CharField()
    addresses = PlaceSerializer(many=True)
    state = serializers.CharField()
    taken_in = serializers.BooleanField()
    area = serializers.CharField()
    planned_address = serializers.CharField()
    code = serializers.CharField()
    universe = serializers.IntegerField(allow_null=True)
    slot = serializers.IntegerField(allow_null=True)
    factory = serializers.BooleanField()
    mode = serializers.CharField()
    guess = serializers.CharField()
    said = serializers.BooleanField()
    managed = serializers.BooleanField()
    methods = serializers.ListField(child=serializers.CharField())
    reasons = ReasonSerializer(many=True)
    seen = serializers.DateTimeField(allow_null=True)
    read = serializers.DateTimeField(allow_null=True)
    read_trouble = serializers.CharField()
    version = serializers.IntegerField()
    counts = CountsSerializer()
    baseline = serializers.BooleanField()
    proof = serializers.CharField()
    proven = serializers.DateTimeField(allow_null=True)


class DevicesSerializer(Form):
    devices = DeviceSerializer(many=True)


class OptionSerializer(Form):
    value = serializers.JSONField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class ShownSerializer(Form):
    """Another scale of a number: value * factor + offset, or reference * 10 ** (value / 20)."""

    unit = serializers.CharField()
    factor = serializers.FloatField()
    offset = serializers.FloatField()
    decibels = serializers.BooleanField()
    reference = serializers.FloatField()
    places = serializers.IntegerField()


class MeaningSerializer(Form):
    pattern = serializers.CharField()
    means = serializers.CharField()
    then = serializers.CharField()
    colour = serializers.CharField()
    says = serializers.CharField()


class LightSerializer(Form):
    printed = serializers.CharField()
    where = serializers.CharField()
    kind = serializers.CharField()
    patterns = MeaningSerializer(many=True)


class ConnectorSerializer(Form):
    printed = serializers.CharField()
    kind = serializers.CharField()
    terminals = serializers.ListField(child=serializers.CharField())
    first = serializers.CharField()
    axis = serializers.CharField()
    excludes = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))
    note = serializers.CharField()


class HandStepSerializer(Form):
    words = serializers.CharField()
    note = serializers.CharField()
    within = serializers.FloatField()


class ProcedureSerializer(Form):
    """What the device does as a whole; what a person does comes first. `sets_back` is whether its values go."""

    name = serializers.CharField()
    by_hand = HandStepSerializer(many=True)
    survives = serializers.ListField(child=serializers.CharField())
    sets_back = serializers.BooleanField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class ViewSerializer(Form):
    kind = serializers.CharField()
    down = serializers.CharField()
    across = serializers.CharField()
    item = serializers.CharField()
    meter = serializers.CharField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class AxisPlaceSerializer(Form):
    number = serializers.IntegerField()
    named = serializers.CharField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class FaceSerializer(Form):
    lights = LightSerializer(many=True)
    connectors = ConnectorSerializer(many=True)
    procedures = ProcedureSerializer(many=True)
    views = ViewSerializer(many=True)
    axes = serializers.DictField(child=AxisPlaceSerializer(many=True))


class LimitsSerializer(Form):
    """What an editor has to know; which of these there are depends on the type."""

    minimum = serializers.FloatField(required=False)
    maximum = serializers.FloatField(required=False)
    step = serializers.FloatField(required=False)
    max_length = serializers.IntegerField(required=False)
    min_length = serializers.IntegerField(required=False)
    options = OptionSerializer(many=True, required=False)
    of = serializers.CharField(required=False)
    x = serializers.JSONField(required=False)
    y = serializers.JSONField(required=False)
    points = serializers.IntegerField(required=False)
    fixed = serializers.BooleanField(required=False)
    steady = serializers.BooleanField(required=False)
    each = serializers.JSONField(required=False)
    least = serializers.IntegerField(required=False)
    most = serializers.IntegerField(required=False)


class SettingSerializer(Form):
    path = serializers.CharField()
    type = serializers.CharField()
    unit = serializers.CharField()
    editor = serializers.CharField()
    limits = LimitsSerializer()
    level = serializers.CharField()
    shown = ShownSerializer(many=True)
    item = serializers.CharField()
    place = serializers.DictField(child=serializers.IntegerField())
    takes = serializers.CharField()
    kept = serializers.CharField()
    reserved = serializers.CharField()
    unreadable = serializers.CharField()
    disturbs = serializers.ListField(child=serializers.CharField())
    role = serializers.CharField()
    unkept = serializers.BooleanField()
    intended = serializers.JSONField(allow_null=True)
    running = serializers.JSONField(allow_null=True)
    startup = serializers.JSONField(allow_null=True)
    baseline = serializers.JSONField(allow_null=True)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class DifferenceSerializer(Form):
    path = serializers.CharField()
    baseline = serializers.JSONField(allow_null=True)
    running = serializers.JSONField(allow_null=True)
    kind = serializers.CharField()
    why = serializers.CharField(required=False)


class SightingSerializer(Form):
    line = serializers.CharField()
    interface = serializers.CharField()
    address = serializers.CharField()
    method = serializers.CharField()
    facts = serializers.DictField(child=serializers.CharField())
    time = serializers.DateTimeField()
    run = serializers.CharField()


class PhraseSerializer(Form):
    send = serializers.CharField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class ConsoleOfferSerializer(Form):
    kind = serializers.CharField()
    port = serializers.IntegerField()
    phrases = PhraseSerializer(many=True)
    framing = serializers.CharField(allow_blank=True)
    flow = serializers.CharField(allow_blank=True)


class BrokenSerializer(Form):
    """A condition that what is decided would break, with the items that it looks at."""

    why = serializers.CharField()
    paths = serializers.ListField(child=serializers.CharField())
    labels = serializers.ListField(child=serializers.CharField())


class OfferedSerializer(Form):
    path = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    value = serializers.JSONField()
    shown = serializers.CharField()


class ConflictsSerializer(Form):
    """`offer` are the nearest values with which all conditions hold; empty where nothing near is allowed."""

    broken = BrokenSerializer(many=True)
    offer = OfferedSerializer(many=True)


class SamePlaceSerializer(Form):
    id = serializers.IntegerField()
    device = serializers.CharField()
    name = serializers.CharField()
    axis = serializers.CharField()
    number = serializers.IntegerField()


class LabelSerializer(Form):
    """What a place on an axis is called. `on_it` is whether the device keeps that itself, `same` which places of other
    devices are the same thing, `place` what names this one where it is parted from them."""

    axis = serializers.CharField()
    number = serializers.IntegerField()
    printed = serializers.CharField()
    text = serializers.CharField()
    on_it = serializers.BooleanField()
    place = serializers.IntegerField(allow_null=True)
    same = SamePlaceSerializer(many=True)


class UnequalSerializer(Form):
    label = serializers.CharField()  # type: ignore[assignment]
    mine = serializers.CharField()
    theirs = serializers.CharField()


class JoinKnownSerializer(Form):
    """Something that it can join: `differs` is what is not equal on both, `joined` what the device itself says."""

    name = serializers.CharField()
    to = serializers.CharField(allow_null=True)
    to_name = serializers.CharField()
    differs = UnequalSerializer(many=True)
    proof = serializers.CharField()
    state = serializers.CharField()
    joined = serializers.BooleanField(allow_null=True)


class LoginKnownSerializer(Form):
    """What is known of the code of one level: `by` is own, model, installation, factory, or empty."""

    level = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    by = serializers.CharField()
    user = serializers.CharField()
    can_set = serializers.BooleanField()


class WholeDeviceSerializer(DeviceSerializer):
    intended = serializers.DictField()
    running = serializers.DictField()
    startup = serializers.DictField()
    baseline = serializers.DictField()  # type: ignore[assignment]
    baseline_id = serializers.CharField(allow_null=True)
    writable = serializers.ListField(child=serializers.CharField())
    points = PointSerializer(many=True)
    settings = SettingSerializer(many=True)
    face = FaceSerializer()
    conflicts = ConflictsSerializer()
    labels = LabelSerializer(many=True)
    joins = JoinKnownSerializer(many=True)
    feeds = FeedKnownSerializer(many=True)
    can = serializers.ListField(child=serializers.CharField())  # what it can be asked for besides values: record
    pending = ChangeSerializer(many=True)
    now = DifferenceSerializer(many=True)
    last_proof = serializers.DictField()
    levels = LoginKnownSerializer(many=True)
    certificate = serializers.CharField()
    channel = serializers.CharField()
    mode_note = serializers.CharField()
    keys = serializers.ListField(child=serializers.CharField())
    ways = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))
    shared = serializers.DictField(child=serializers.CharField())
    switch = serializers.CharField()
    feeder = FeederSerializer(allow_null=True)
    hanging = PortHangsSerializer(many=True)
    apart = serializers.ListField(child=serializers.CharField())
    console = ConsoleOfferSerializer(allow_null=True)
    facts = serializers.DictField(child=serializers.CharField())
    sightings = SightingSerializer(many=True)


class NewDeviceSerializer(Form):
    name = serializers.CharField(max_length=80)
    profile = serializers.CharField(max_length=60)
    line = serializers.CharField(max_length=80)
    address = serializers.CharField(max_length=64, required=False, allow_blank=True)
    area = serializers.IntegerField(required=False, allow_null=True)


class EditDeviceSerializer(Form):
    name = serializers.CharField(max_length=80, required=False)
    area = serializers.IntegerField(required=False, allow_null=True)
    profile = serializers.CharField(max_length=60, required=False, allow_blank=True)
    version = serializers.IntegerField(required=False)


class TakeInSerializer(Form):
    """`pattern` names many at once: {n} counts, {model} and {serial} are filled in."""

    devices = serializers.ListField(child=serializers.CharField(max_length=200), min_length=1, max_length=2000)
    name = serializers.CharField(max_length=80, required=False, allow_blank=True)
    area = serializers.IntegerField(required=False, allow_null=True)
    stands_for = serializers.CharField(max_length=200, required=False, allow_blank=True)


class ValueSerializer(Form):
    """With `forget` the value is no longer decided here."""

    device = serializers.CharField(max_length=200)
    path = serializers.CharField(max_length=300)
    value = serializers.JSONField(required=False, allow_null=True)
    forget = serializers.BooleanField(required=False, default=False)


class IntendedSerializer(Form):
    """With `fill` {n}, {nn}, {place}, {name}, {area} and the like are filled in where they stand in a text."""

    changes = ValueSerializer(many=True)
    versions = serializers.DictField(child=serializers.IntegerField(), required=False)
    fill = serializers.BooleanField(required=False, default=False)


class AssignmentSerializer(Form):
    device = serializers.CharField(max_length=200)
    address = serializers.CharField(max_length=64)
    line = serializers.CharField(max_length=80, required=False, allow_blank=True)


class AddressesSerializer(Form):
    assignments = AssignmentSerializer(many=True)


class DriveSerializer(Form):
    """With `seconds` it is held for so long and let go: a pulse, or a hand on a button that asks again and again. With
    `over` a lead takes it from whoever holds it."""

    point = serializers.CharField(max_length=60)
    state = serializers.CharField(max_length=30)
    seconds = serializers.FloatField(min_value=0.05, max_value=60, required=False)
    over = serializers.BooleanField(required=False)


class LetGoSerializer(Form):
    point = serializers.CharField(max_length=60)


class StatesSerializer(Form):
    states = serializers.DictField(child=serializers.CharField())


class DrivenSerializer(StatesSerializer):
    """`state` is that of the point itself; empty where nothing tells it."""

    state = serializers.CharField()


class FreeSerializer(Form):
    addresses = serializers.ListField(child=serializers.CharField())


class PointMarkSerializer(Form):
    point = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    rest = serializers.CharField()


class ProfileSerializer(Form):
    id = serializers.CharField()
    maker = serializers.CharField()
    model = serializers.CharField()
    kind = serializers.CharField()
    protocol = serializers.CharField()
    line_kinds = serializers.ListField(child=serializers.CharField())
    own = serializers.BooleanField()
    added_by = serializers.CharField()
    values = serializers.IntegerField()
    points = serializers.IntegerField()
    marks = PointMarkSerializer(many=True)
    aliases = serializers.ListField(child=serializers.CharField())


class WatchManySerializer(Form):
    devices = serializers.ListField(child=serializers.CharField(min_length=1, max_length=40), max_length=256)


class StatesOfManySerializer(Form):
    """By device; `troubles` why one told nothing."""

    states = serializers.DictField(child=serializers.DictField(child=serializers.CharField()))
    troubles = serializers.DictField(child=serializers.CharField())
