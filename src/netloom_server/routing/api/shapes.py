"""What the API of routing takes and gives."""

from __future__ import annotations

from rest_framework import serializers

from netloom_server.base.forms import Form


class EndSerializer(Form):
    """A jack of a device; without a device it is something that is not on record, called `name`."""

    device = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    jack = serializers.CharField(allow_blank=True)
    label = serializers.CharField(allow_blank=True)  # type: ignore[assignment]


class HopSerializer(Form):
    """A device on the way. `present` says whether a signal comes in, null where nobody tells; `by` is the point that
    chose what goes on."""

    device = serializers.CharField()
    name = serializers.CharField()
    into = serializers.CharField()
    into_label = serializers.CharField()
    out = serializers.CharField()
    out_label = serializers.CharField()
    by = serializers.CharField()
    present = serializers.BooleanField(allow_null=True)
    format = serializers.CharField()
    cable = serializers.CharField()
    over = serializers.CharField()  # what lies before it and is no device on record, as a splitter


class StopSerializer(Form):
    """Where it stops: `kind` is no-cable, no-signal, not-routed, held, protected, format, not-taken, unknown, loop."""

    kind = serializers.CharField()
    device = serializers.CharField()
    name = serializers.CharField()
    jack = serializers.CharField()
    why = serializers.CharField()


class PathSerializer(Form):
    """What reaches an end. The first of `stops` is the cause. `arrives` is null where nothing at the end tells."""

    end = EndSerializer()
    source = serializers.CharField()  # type: ignore[assignment]
    arrives = serializers.BooleanField(allow_null=True)
    hops = HopSerializer(many=True)
    stops = StopSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())


class KitHalfSerializer(Form):
    """`quality` is what it tells of the link, with its unit; empty where it tells nothing."""

    device = serializers.CharField()
    name = serializers.CharField()
    firmware = serializers.CharField()
    quality = serializers.CharField()


class KitSerializer(Form):
    """`linked` is null where neither half told; `carries` is what goes over the link beside the picture."""

    sender = KitHalfSerializer()
    receiver = KitHalfSerializer()
    linked = serializers.BooleanField(allow_null=True)
    why = serializers.CharField()
    carries = serializers.ListField(child=serializers.CharField())
    unlike = serializers.BooleanField()


class PathsSerializer(Form):
    """`troubles` says by device why it told nothing; `unheard` are devices whose live states are not known yet."""

    paths = PathSerializer(many=True)
    kits = KitSerializer(many=True)
    troubles = serializers.DictField(child=serializers.CharField())
    unheard = serializers.ListField(child=serializers.CharField())


class JackSerializer(Form):
    id = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    way = serializers.CharField()
    carries = serializers.CharField()


class JacksOfSerializer(Form):
    device = serializers.CharField()
    name = serializers.CharField()
    jacks = JackSerializer(many=True)


class JacksSerializer(Form):
    devices = JacksOfSerializer(many=True)


class NewCableSerializer(Form):
    """From a jack to a jack; an end without a device is called by its `jack`."""

    from_device = serializers.CharField(max_length=200, allow_blank=True, required=False, default="")
    from_jack = serializers.CharField(max_length=60)
    to_device = serializers.CharField(max_length=200, allow_blank=True, required=False, default="")
    to_jack = serializers.CharField(max_length=60)


class CableSerializer(Form):
    id = serializers.CharField()
    source = EndSerializer()  # type: ignore[assignment]
    target = EndSerializer()
    by = serializers.CharField()
    at = serializers.DateTimeField()
    proof = serializers.CharField()


class CablesSerializer(Form):
    cables = CableSerializer(many=True)


class MadeSerializer(Form):
    id = serializers.CharField()


class CellSerializer(Form):
    device = serializers.CharField(max_length=200)
    point = serializers.CharField(max_length=120)
    state = serializers.CharField(max_length=1100)


class TakeSerializer(Form):
    cells = CellSerializer(many=True, allow_empty=False, max_length=4096)  # type: ignore[call-arg]


class TakenSerializer(Form):
    """`word` is taken, same, locked, refused, not-followed, not-sent, unknown or unproven."""

    device = serializers.CharField()
    name = serializers.CharField()
    point = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    wanted = serializers.CharField()
    before = serializers.CharField()
    now = serializers.CharField()
    word = serializers.CharField()
    message = serializers.CharField()


class TakesSerializer(Form):
    cells = TakenSerializer(many=True)


class ToldSerializer(Form):
    point = serializers.CharField()
    one_of = serializers.ListField(child=serializers.CharField())
    none_of = serializers.ListField(child=serializers.CharField())


class HoldsBackSerializer(Form):
    point = serializers.CharField()
    states = serializers.ListField(child=serializers.CharField())
    why = serializers.CharField()
    drive = serializers.BooleanField()


class GridPlaceSerializer(Form):
    """What is at one end of a row or a column: which points tell what of it."""

    number = serializers.IntegerField()
    label = serializers.CharField()  # type: ignore[assignment]
    name = serializers.CharField()
    jack = serializers.CharField()
    present = ToldSerializer(allow_null=True)
    format = serializers.CharField()
    protected = ToldSerializer(allow_null=True)
    edid = serializers.CharField()
    stops = HoldsBackSerializer(many=True)


class GridColumnSerializer(GridPlaceSerializer):
    """`state` is the one of a row that has it; "no input" is a column, too, where a row can do without."""

    state = serializers.CharField()


class GridRowSerializer(GridPlaceSerializer):
    """`points` has one for each column where each cell is a point of its own."""

    point = serializers.CharField()
    points = serializers.ListField(child=serializers.CharField())
    said = serializers.CharField()
    drive = serializers.BooleanField()


class GridLevelsSerializer(Form):
    minimum = serializers.FloatField()
    maximum = serializers.FloatField()
    step = serializers.FloatField(required=False)
    unit = serializers.CharField()


class GridSerializer(Form):
    """With `levels` each cell is a level of its own."""

    label = serializers.CharField()  # type: ignore[assignment]
    rows = GridRowSerializer(many=True)
    columns = GridColumnSerializer(many=True)
    levels = GridLevelsSerializer(allow_null=True)


class GridsSerializer(Form):
    grids = GridSerializer(many=True)


class NewPresetSerializer(Form):
    """Of the `cells` given, or of all crosspoints of `devices` as they are now. `over` writes over one of that name."""

    name = serializers.CharField(max_length=80)
    cells = CellSerializer(many=True, required=False, max_length=4096)  # type: ignore[call-arg]
    devices = serializers.ListField(child=serializers.CharField(max_length=200), required=False, max_length=256)
    over = serializers.BooleanField(required=False, default=False)


class PresetSerializer(Form):
    id = serializers.CharField()
    name = serializers.CharField()
    devices = serializers.ListField(child=serializers.CharField())
    cells = serializers.IntegerField()
    by = serializers.CharField()
    at = serializers.DateTimeField()


class OwnPresetSerializer(Form):
    """A preset in the device itself; `cells` by path as far as it tells, `same` the id of ours that holds the same."""

    device = serializers.CharField()
    device_name = serializers.CharField()
    number = serializers.IntegerField()
    name = serializers.CharField()
    cells = serializers.DictField(child=serializers.CharField())
    recall = serializers.CharField()
    keep = serializers.CharField()
    same = serializers.CharField()


class PresetsSerializer(Form):
    presets = PresetSerializer(many=True)
    own = OwnPresetSerializer(many=True)


class ComparedCellSerializer(Form):
    """`verdict` is same, differs, unknown or gone."""

    device = serializers.CharField()
    name = serializers.CharField()
    point = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    state = serializers.CharField()
    now = serializers.CharField()
    verdict = serializers.CharField()


class ComparedPresetSerializer(Form):
    id = serializers.CharField()
    name = serializers.CharField()
    cells = ComparedCellSerializer(many=True)


class RecallSerializer(Form):
    """All of it, or only the cells of some `devices`, or only some `points` as {device, point}."""

    devices = serializers.ListField(child=serializers.CharField(max_length=200), required=False, max_length=256)
    points = serializers.ListField(
        child=serializers.ListField(child=serializers.CharField(max_length=200), min_length=2, max_length=2),
        required=False, max_length=4096,
    )  # fmt: skip


class NewLockSerializer(Form):
    """Without a `state` the point stays as it is; with one it is kept from that state."""

    device = serializers.CharField(max_length=200)
    point = serializers.CharField(max_length=120)
    state = serializers.CharField(max_length=120, allow_blank=True, required=False, default="")
    why = serializers.CharField(max_length=200)


class LockSerializer(Form):
    id = serializers.IntegerField()
    device = serializers.CharField()
    name = serializers.CharField()
    point = serializers.CharField()
    path = serializers.CharField()
    state = serializers.CharField()
    why = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()
    said = serializers.CharField()


class LocksSerializer(Form):
    locks = LockSerializer(many=True)


class EdidModeSerializer(Form):
    label = serializers.CharField()  # type: ignore[assignment]
    said_by = serializers.CharField()
    vic = serializers.IntegerField()
    clock_mhz = serializers.FloatField()
    only_420 = serializers.BooleanField()
    why = serializers.CharField()


class EdidFindingSerializer(Form):
    severity = serializers.CharField()
    where = serializers.CharField()
    message = serializers.CharField()


class EdidSerializer(Form):
    """What an EDID says; `modes` in the order in which a source would take them, `picks` what one does."""

    octets = serializers.CharField()
    name = serializers.CharField()
    maker = serializers.CharField()
    product = serializers.IntegerField()
    serial = serializers.CharField()
    made = serializers.CharField()
    version = serializers.CharField()
    interface = serializers.CharField()
    size_mm = serializers.ListField(child=serializers.IntegerField())
    modes = EdidModeSerializer(many=True)
    sounds = serializers.ListField(child=serializers.CharField())
    speakers = serializers.ListField(child=serializers.CharField())
    colours = serializers.ListField(child=serializers.CharField())
    depths = serializers.ListField(child=serializers.IntegerField())
    hdmi = serializers.CharField()
    hdr = serializers.CharField()
    blocks = serializers.ListField(child=serializers.CharField())
    findings = EdidFindingSerializer(many=True)
    picks = serializers.CharField()
    because = serializers.CharField()


class EdidBehindSerializer(Form):
    name = serializers.CharField()
    edid = EdidSerializer(allow_null=True)


class EdidAtInputSerializer(Form):
    """What an input shows a source, beside what the displays behind it say; `in_vain` is what they do not take."""

    jack = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    path = serializers.CharField()
    edid = EdidSerializer(allow_null=True)
    displays = EdidBehindSerializer(many=True)
    in_vain = serializers.ListField(child=serializers.CharField())


class EdidsAtSerializer(Form):
    inputs = EdidAtInputSerializer(many=True)


class EdidTextSerializer(Form):
    text = serializers.CharField(max_length=70_000)


class KeepEdidSerializer(Form):
    name = serializers.CharField(max_length=80)
    text = serializers.CharField(max_length=70_000)
    origin = serializers.CharField(max_length=200, required=False, allow_blank=True, default="")


class StoredEdidSerializer(Form):
    id = serializers.CharField()
    name = serializers.CharField()
    octets = serializers.CharField()
    origin = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()


class StoredEdidsSerializer(Form):
    edids = StoredEdidSerializer(many=True)


class ProvenSerializer(Form):
    proof = serializers.CharField()


class BehindAskedSerializer(Form):
    device = serializers.CharField(max_length=200)
    jack = serializers.CharField(max_length=60)


class BehindSerializer(Form):
    ends = EndSerializer(many=True)
