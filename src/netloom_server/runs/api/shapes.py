"""Plans, runs and the journal as the API gives and takes them."""

from __future__ import annotations

from rest_framework import serializers

from netloom_server.base.forms import Form
from netloom_server.runs.kinds.registry import KINDS


class ChangeSerializer(Form):
    """`read_back` is what the device said afterwards; where it said nothing of that, `untold` says why."""

    path = serializers.CharField()
    to = serializers.JSONField(allow_null=True)
    read_back = serializers.JSONField(required=False)
    untold = serializers.CharField(required=False)

    def get_fields(self) -> dict[str, serializers.Field]:
        label = serializers.CharField(required=False, allow_blank=True)
        return {**super().get_fields(), "from": serializers.JSONField(allow_null=True), "label": label}


class PlanStepSerializer(Form):
    device = serializers.CharField()
    name = serializers.CharField()
    action = serializers.CharField()
    changes = ChangeSerializer(many=True)
    unkept = serializers.ListField(child=serializers.CharField())
    disturbs = serializers.ListField(child=serializers.CharField())
    words = serializers.CharField(allow_blank=True)
    note = serializers.CharField(allow_blank=True)


class RemarkSerializer(Form):
    """`code` is left-out, no-effect, not-kept, keeps-all, keeps-untold, address-taken, sets-back, later,
    level-wanted, code-first, forbidden, no-order, locked or safety: that is approved for a reason only."""

    device = serializers.CharField()
    name = serializers.CharField()
    code = serializers.CharField()
    message = serializers.CharField()


class PlanSerializer(Form):
    """`state` is making, ready, failed or cancelled; `used` is the run that carried it out."""

    id = serializers.CharField()
    kind = serializers.CharField()
    state = serializers.CharField()
    message = serializers.CharField()
    used = serializers.CharField(allow_blank=True)
    digest = serializers.CharField()
    steps = PlanStepSerializer(many=True)
    remarks = RemarkSerializer(many=True)
    seconds = serializers.FloatField()
    disturbs = serializers.ListField(child=serializers.CharField())
    again = serializers.ListField(child=serializers.CharField())


class AsksSerializer(Form):
    """What a person is asked, since when (Unix time), and how many seconds it waits."""

    words = serializers.CharField()
    since = serializers.FloatField()
    within = serializers.FloatField()


class WaitsSerializer(Form):
    """Since when (Unix time) it waits for the device, and how many seconds that usually takes."""

    since = serializers.FloatField()
    usual = serializers.FloatField()


class SendsSerializer(Form):
    """How much of a file a device has, in bytes, how long the rest may take (s), and whether it may be unplugged."""

    sent = serializers.IntegerField()
    total = serializers.IntegerField()
    left = serializers.FloatField(allow_null=True)
    unplug = serializers.BooleanField()


class AnswerSerializer(Form):
    """A person's answer to a step that waits for one: whether what it asks for is so."""

    step = serializers.IntegerField(min_value=0)
    came = serializers.BooleanField()
    note = serializers.CharField(required=False, allow_blank=True, default="", max_length=200)


class LostSerializer(Form):
    """A setting that is not what it was before the step: `what` is set back, dropped where there is none now, or not
    read where nobody knows."""

    path = serializers.CharField()
    what = serializers.CharField()
    to = serializers.JSONField(allow_null=True)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "from": serializers.JSONField(allow_null=True)}


class RunStepSerializer(Form):
    ordinal = serializers.IntegerField()
    device = serializers.CharField()
    name = serializers.CharField()
    action = serializers.CharField()
    state = serializers.CharField()
    message = serializers.CharField()
    code = serializers.CharField()
    changes = ChangeSerializer(many=True)
    lost = LostSerializer(many=True)
    disturbs = serializers.ListField(child=serializers.CharField())
    asks = AsksSerializer(allow_null=True)
    waits = WaitsSerializer(allow_null=True)
    sends = SendsSerializer(allow_null=True)
    look_at = serializers.ListField(child=serializers.CharField())
    note = serializers.CharField(allow_blank=True)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "try": serializers.CharField()}


class RunStepsSerializer(Form):
    steps = RunStepSerializer(many=True)
    next = serializers.IntegerField(allow_null=True)


class RunSerializer(Form):
    id = serializers.CharField()
    kind = serializers.CharField()
    by = serializers.CharField()
    state = serializers.CharField()
    message = serializers.CharField()
    params = serializers.DictField()
    progress = serializers.DictField()
    result = serializers.DictField()
    cancelling = serializers.BooleanField()
    created = serializers.DateTimeField()
    ended = serializers.DateTimeField(allow_null=True)
    counts = serializers.DictField(child=serializers.IntegerField())
    failures = RunStepSerializer(many=True)  # the first few; all are among the steps
    waiting = RunStepSerializer(many=True)  # those that wait for a person, or for a device to come back
    steps = RunStepSerializer(many=True, required=False)


class WorkSerializer(Form):
    """What a plan or run is asked for. `plan` is the id of the one that is approved by this, `reason` why values are
    kept that its remarks name as unsafe."""

    kind = serializers.ChoiceField(list(KINDS))
    devices = serializers.ListField(child=serializers.CharField(max_length=200), required=False, max_length=5000)
    lines = serializers.ListField(child=serializers.CharField(max_length=80), required=False, max_length=200)
    backup = serializers.CharField(required=False, allow_blank=True, max_length=12)
    run = serializers.CharField(required=False, max_length=12)
    baseline = serializers.BooleanField(required=False, default=False)
    keep = serializers.BooleanField(required=False, default=True)
    lock = serializers.BooleanField(required=False, default=False)
    plan = serializers.CharField(required=False, allow_blank=True, max_length=12)
    over_later = serializers.BooleanField(required=False, default=False)
    procedure = serializers.CharField(required=False, allow_blank=True, max_length=130)
    file = serializers.CharField(required=False, allow_blank=True, max_length=120)
    reason = serializers.CharField(required=False, allow_blank=True, max_length=300)


class RehearsedSerializer(Form):
    """`result` is the worst of its steps: done, unproven, skipped, failed, or unknown where it could not be played;
    `lost` are the settings that a power cut after it would take back."""

    device = serializers.CharField()
    name = serializers.CharField()
    result = serializers.CharField()
    message = serializers.CharField()
    hint = serializers.CharField()
    lost = serializers.ListField(child=serializers.CharField())


class RehearsalSerializer(Form):
    devices = RehearsedSerializer(many=True)


class JournalEntrySerializer(Form):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    time = serializers.DateTimeField()
    by = serializers.CharField()
    device = serializers.CharField()
    name = serializers.CharField()
    run = serializers.CharField()
    action = serializers.CharField()
    intent = serializers.CharField()
    address = serializers.CharField()
    outcome = serializers.CharField()
    message = serializers.CharField()
    changes = ChangeSerializer(many=True)
    hash = serializers.CharField()


class ChainSerializer(Form):
    """Up to which entry it was read anew and found whole, and when; `broken` is the first that is not."""

    word = serializers.CharField()
    entries = serializers.IntegerField()
    at = serializers.DateTimeField(allow_null=True)
    broken = serializers.IntegerField(allow_null=True)


class JournalSerializer(Form):
    entries = JournalEntrySerializer(many=True)
    whole = serializers.BooleanField()
    chain = ChainSerializer()
    next = serializers.CharField(allow_null=True)
