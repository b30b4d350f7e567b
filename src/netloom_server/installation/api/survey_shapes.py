"""Shapes of the survey's API, for checking what comes in and for the schema."""

from __future__ import annotations

from rest_framework import serializers

from netloom_server.base.forms import Form
from netloom_server.installation.api.shapes import ReasonSerializer


class EditLineSerializer(Form):
    name = serializers.CharField(max_length=80, required=False)
    off = serializers.ListField(child=serializers.CharField(max_length=40), max_length=60, required=False)
    path = serializers.CharField(max_length=400, required=False)
    speed = serializers.IntegerField(min_value=300, max_value=4_000_000, required=False)
    parity = serializers.ChoiceField(["N", "E", "O"], required=False)
    archived = serializers.BooleanField(required=False)


class NewAreaSerializer(Form):
    name = serializers.CharField(max_length=80)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "parent": serializers.IntegerField(allow_null=True, required=False)}


class EditAreaSerializer(NewAreaSerializer):
    name = serializers.CharField(max_length=80, required=False)
    archived = serializers.BooleanField(required=False)


class MergeAreaSerializer(Form):
    into = serializers.IntegerField()


class LineOrderSerializer(Form):
    """`lines` are ids from left to right; those left out stand behind them, as if nobody had put them anywhere."""

    lines = serializers.ListField(child=serializers.CharField(max_length=8), max_length=500)


class MergeLineSerializer(Form):
    into = serializers.CharField(max_length=80)


class SnmpUserSerializer(Form):
    name = serializers.CharField(max_length=32)
    auth = serializers.ChoiceField(
        ["", "MD5", "SHA", "SHA-224", "SHA-256", "SHA-384", "SHA-512"], required=False, default="", allow_blank=True
    )
    auth_key = serializers.CharField(max_length=200, required=False, default="", allow_blank=True)
    priv = serializers.ChoiceField(["", "AES", "AES-256", "AES-256-R"], required=False, default="", allow_blank=True)
    priv_key = serializers.CharField(max_length=200, required=False, default="", allow_blank=True)

    def validate(self, attrs: dict[str, str]) -> dict[str, str]:
        for kind in ("auth", "priv"):
            if attrs[kind] and len(attrs[f"{kind}_key"]) < 8:
                raise serializers.ValidationError(f"An SNMPv3 {kind} key has at least 8 characters (RFC 3414).")
        if attrs["priv"] and not attrs["auth"]:
            raise serializers.ValidationError("SNMPv3 has no privacy without authentication.")
        return attrs


class OnvifUserSerializer(Form):
    name = serializers.CharField(max_length=64)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class AccessSerializer(Form):
    """Each kind that is given replaces what is kept of that kind; the others stay."""

    communities = serializers.ListField(child=serializers.CharField(max_length=60), max_length=4, required=False)
    users = SnmpUserSerializer(many=True, required=False, max_length=4)  # type: ignore[call-arg]
    onvif = OnvifUserSerializer(many=True, required=False, max_length=2)  # type: ignore[call-arg]


class PortSerializer(Form):
    path = serializers.CharField()
    title = serializers.CharField()
    vendor = serializers.CharField()
    product = serializers.CharField()
    usb_serial = serializers.CharField()
    place = serializers.CharField()
    adapter = serializers.CharField()
    line = serializers.CharField()
    held = serializers.CharField()


class WhySerializer(Form):
    """A device on record, or a line and an address."""

    device = serializers.CharField(max_length=200, required=False, allow_blank=True)
    line = serializers.CharField(max_length=80, required=False, allow_blank=True)
    address = serializers.CharField(max_length=64, required=False, allow_blank=True)


class ReasonsSerializer(Form):
    """`there` tells who answers at the address just now, if anybody does."""

    name = serializers.CharField()
    there = serializers.CharField()
    reasons = ReasonSerializer(many=True)


class JoinSerializer(Form):
    other = serializers.CharField(max_length=200)


class PartSerializer(Form):
    keys = serializers.ListField(child=serializers.CharField(max_length=300), min_length=1, max_length=40)


class ExpectedTextSerializer(Form):
    text = serializers.CharField(max_length=2_000_000, trim_whitespace=False)
    plan = serializers.BooleanField(required=False, default=False)


class ExpectedRowSerializer(Form):
    row = serializers.IntegerField()
    name = serializers.CharField()
    model = serializers.CharField()
    line = serializers.CharField()
    address = serializers.CharField()
    area = serializers.CharField()
    serial = serializers.CharField()
    profile = serializers.CharField()
    device = serializers.CharField()
    problem = serializers.CharField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "try": serializers.CharField()}


class ExpectedSerializer(Form):
    rows = ExpectedRowSerializer(many=True)
    planned = serializers.ListField(child=serializers.CharField())


class WatchModeSerializer(Form):
    minutes = serializers.IntegerField(min_value=0, max_value=24 * 60)


class ComingSerializer(Form):
    time = serializers.DateTimeField()
    device = serializers.CharField()
    name = serializers.CharField()
    line = serializers.CharField()
    address = serializers.CharField()
    what = serializers.CharField()


class LookedSerializer(Form):
    printed = serializers.CharField(max_length=40)
    pattern = serializers.CharField(max_length=20)
    colour = serializers.CharField(max_length=20, allow_blank=True, default="")


class MeansSerializer(Form):
    """`calm` is the point to bring back in step, where the light says that it is out of it."""

    means = serializers.CharField()
    then = serializers.CharField()
    calm = serializers.CharField()


class FoundSettingSerializer(Form):
    device = serializers.CharField()
    name = serializers.CharField()
    path = serializers.CharField()
    value = serializers.CharField(allow_blank=True)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class FoundSerializer(Form):
    """`count` is how many there are in all."""

    settings = FoundSettingSerializer(many=True)
    count = serializers.IntegerField()


class HereSerializer(Form):
    """A network that this computer is in. `large` where a line cannot be all of it."""

    interface = serializers.CharField()
    address = serializers.CharField()
    network = serializers.CharField()
    link = serializers.BooleanField()
    line = serializers.CharField(allow_blank=True)
    large = serializers.BooleanField()
