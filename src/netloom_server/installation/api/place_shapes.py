"""Shapes of rules, proposals, troubles of places and tables."""

from __future__ import annotations

from rest_framework import serializers

from netloom_core.addressing.planning import ROLES
from netloom_core.model.universe import PORT_ADDRESSES
from netloom_server.base.forms import Form

MOST = 5000  # devices in one request


class SpanSerializer(Form):
    first = serializers.CharField(max_length=40)
    last = serializers.CharField(max_length=40)


class RangeSerializer(SpanSerializer):
    kind = serializers.CharField(max_length=80, required=False, allow_blank=True)
    area = serializers.CharField(max_length=20, required=False, allow_blank=True)


class ReservedSerializer(SpanSerializer):
    why = serializers.CharField(max_length=120, required=False, allow_blank=True)


class UniverseRulesSerializer(Form):
    """`number` is its port address; `twice` whether several nodes are meant to send it."""

    number = serializers.IntegerField(min_value=0, max_value=PORT_ADDRESSES - 1)
    name = serializers.CharField(max_length=80, required=False, allow_blank=True)
    twice = serializers.BooleanField(required=False)
    ranges = RangeSerializer(many=True, required=False)
    reserved = ReservedSerializer(many=True, required=False)


class RulesSerializer(Form):
    """See core's addressing/rules.py, which checks them; what is left out is not decided."""

    ranges = RangeSerializer(many=True, required=False)
    reserved = ReservedSerializer(many=True, required=False)
    pool = SpanSerializer(required=False, allow_null=True)
    names = serializers.CharField(max_length=120, required=False, allow_blank=True)
    mask = serializers.CharField(max_length=15, required=False, allow_blank=True)
    gateway = serializers.CharField(max_length=15, required=False, allow_blank=True)
    speed = serializers.IntegerField(min_value=0, max_value=4_000_000, required=False)
    parity = serializers.ChoiceField(["", "N", "E", "O"], required=False)
    universes = UniverseRulesSerializer(many=True, required=False)


class KeepRulesSerializer(Form):
    """`seen` are the rules that were changed."""

    rules = RulesSerializer()
    seen = RulesSerializer()


class RulesOfLineSerializer(Form):
    """`factory` are places at which new units come up."""

    rules = RulesSerializer()
    factory = serializers.ListField(child=serializers.CharField())


class DevicesToPlaceSerializer(Form):
    devices = serializers.ListField(child=serializers.CharField(max_length=120), max_length=MOST)


class ProposalSerializer(Form):
    device = serializers.CharField()
    name = serializers.CharField()
    line = serializers.CharField()
    before = serializers.CharField()
    address = serializers.CharField()
    values = serializers.DictField(child=serializers.CharField())
    why = serializers.ListField(child=serializers.CharField())
    stays = serializers.BooleanField()
    problem = serializers.CharField()
    hint = serializers.CharField()
    version = serializers.IntegerField()


class ProposalsSerializer(Form):
    proposals = ProposalSerializer(many=True)


class AssignmentByRoleSerializer(Form):
    """`values` by role: address, mask, gateway, name, speed. `version` is that of the device that was looked at."""

    device = serializers.CharField(max_length=8)
    values = serializers.DictField(child=serializers.CharField(max_length=120))
    version = serializers.IntegerField(required=False)

    def validate_values(self, values: dict[str, str]) -> dict[str, str]:
        if strange := set(values) - set(ROLES):
            raise serializers.ValidationError(f"There is no role {sorted(strange)[0]!r}.")
        return values


class DecideSerializer(Form):
    assignments = serializers.ListField(child=AssignmentByRoleSerializer(), max_length=MOST)


class DecidedSerializer(Form):
    devices = serializers.ListField(child=serializers.CharField())


class TroubleSerializer(Form):
    code = serializers.CharField()
    line = serializers.CharField()
    device = serializers.CharField()
    name = serializers.CharField()
    address = serializers.CharField()
    message = serializers.CharField()
    hint = serializers.CharField()


class TroublesSerializer(Form):
    troubles = TroubleSerializer(many=True)


class GiveSerializer(Form):
    minutes = serializers.IntegerField(min_value=1, max_value=240, required=False, default=30)


class AcceptSerializer(Form):
    mac = serializers.RegexField(r"^([0-9A-Fa-f]{2}[:-]){5}[0-9A-Fa-f]{2}$")
    address = serializers.IPAddressField(protocol="IPv4")


class ExchangeSerializer(Form):
    """`time` of the last of `count` alike; `name` is the device's, or of a stranger what it calls its kind."""

    time = serializers.FloatField()
    mac = serializers.CharField()
    name = serializers.CharField()
    host = serializers.CharField()
    asked = serializers.CharField()
    said = serializers.CharField()
    count = serializers.IntegerField()


class MacAddressSerializer(Form):
    mac = serializers.CharField()
    address = serializers.CharField()


class OtherServerSerializer(Form):
    server = serializers.CharField()
    how = serializers.CharField()


class GivingSerializer(Form):
    """What giving addresses is like on a line; `until` is when it ends by itself."""

    line = serializers.CharField()
    interface = serializers.CharField()
    by = serializers.CharField()
    until = serializers.FloatField()
    exchanges = ExchangeSerializer(many=True)
    strangers = ExchangeSerializer(many=True)
    given = MacAddressSerializer(many=True)
    accepted = MacAddressSerializer(many=True)
    others = OtherServerSerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())
    trouble = serializers.CharField()


class MaybeGivingSerializer(Form):
    """`giving` is null where nothing is given."""

    giving = GivingSerializer(allow_null=True)


class WaitingSerializer(Form):
    device = serializers.CharField()
    name = serializers.CharField()
    address = serializers.CharField()
    model = serializers.CharField()


class CameSerializer(Form):
    """Who answers where new units come up. `several` is whether more than one does, `stands_for` whom it could be."""

    device = serializers.CharField()
    name = serializers.CharField()
    model = serializers.CharField()
    serial = serializers.CharField()
    address = serializers.CharField()
    several = serializers.BooleanField()
    taken_in = serializers.BooleanField()
    stands_for = serializers.CharField()


class QueueSerializer(Form):
    """`looked` are the places that were looked at."""

    waiting = WaitingSerializer(many=True)
    looked = serializers.ListField(child=serializers.CharField())
    came = CameSerializer(many=True)


class BorrowSerializer(Form):
    """`near` is the address of a unit in another subnet."""

    near = serializers.IPAddressField(protocol="IPv4")
    minutes = serializers.IntegerField(min_value=1, max_value=240, required=False, default=30)


class BorrowedSerializer(Form):
    """A second address of this computer."""

    line = serializers.CharField()
    interface = serializers.CharField()
    address = serializers.CharField()
    network = serializers.CharField()
    until = serializers.FloatField()
    by = serializers.CharField()


class BorrowedNowSerializer(Form):
    borrowed = BorrowedSerializer(many=True)


class BorrowedMadeSerializer(Form):
    """`reaches` is the line of that network."""

    borrowed = BorrowedSerializer()
    reaches = serializers.CharField()


class TableRowSerializer(Form):
    number = serializers.IntegerField()
    name = serializers.CharField()
    device = serializers.CharField()
    changes = serializers.DictField(child=serializers.CharField())
    before = serializers.DictField(child=serializers.CharField())
    problem = serializers.CharField()
    hint = serializers.CharField()


class TableSerializer(Form):
    """`decided` is how many devices were decided on by it."""

    rows = TableRowSerializer(many=True)
    decided = serializers.IntegerField()
