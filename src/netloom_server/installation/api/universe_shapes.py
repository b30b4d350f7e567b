"""Shapes of universes, of who listens and who sends there, and of the patch sheet."""

from __future__ import annotations

from rest_framework import serializers

from netloom_core.model.universe import LAST_SLOT, PORT_ADDRESSES
from netloom_server.base.forms import Form
from netloom_server.installation.api.place_shapes import MOST, TableRowSerializer


class UniverseSerializer(Form):
    """`shown` has the three parts of its number, too; `free` is how many slots are left."""

    number = serializers.IntegerField()
    shown = serializers.CharField()
    name = serializers.CharField()
    twice = serializers.BooleanField()
    free = serializers.IntegerField()


class PersonalitySerializer(Form):
    """`slots` is 0 where only the unit knows."""

    value = serializers.CharField()
    called = serializers.CharField()
    slots = serializers.IntegerField()


class FixtureSerializer(Form):
    """See core's addressing/universes.py. `version` is that of the device that is decided on."""

    device = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.CharField()
    universe = serializers.IntegerField(allow_null=True)
    start = serializers.IntegerField()
    slots = serializers.IntegerField()
    last = serializers.IntegerField()
    heard = serializers.IntegerField(allow_null=True)
    at = serializers.IntegerField()
    takes = serializers.IntegerField()
    personality = serializers.CharField()
    personalities = PersonalitySerializer(many=True)
    shares = serializers.CharField()
    can = serializers.BooleanField()
    fitted = serializers.BooleanField()
    mine = serializers.BooleanField()
    node = serializers.CharField()
    version = serializers.IntegerField()


class OutputSerializer(Form):
    """A port of a node: what it is to send, and what it sends. `used`: somebody decided that, or hangs there."""

    device = serializers.CharField()
    name = serializers.CharField()
    called = serializers.CharField()
    path = serializers.CharField()
    universe = serializers.IntegerField(allow_null=True)
    now = serializers.IntegerField(allow_null=True)
    used = serializers.BooleanField()
    version = serializers.IntegerField()


class UniversesSerializer(Form):
    universes = UniverseSerializer(many=True)
    fixtures = FixtureSerializer(many=True)
    outputs = OutputSerializer(many=True)


class ToPatchSerializer(Form):
    """`universe` where they are to go to a certain one."""

    devices = serializers.ListField(child=serializers.CharField(max_length=120), max_length=MOST)
    universe = serializers.IntegerField(
        min_value=0, max_value=PORT_ADDRESSES - 1, required=False, allow_null=True, default=None
    )


class PatchSerializer(Form):
    device = serializers.CharField()
    name = serializers.CharField()
    universe = serializers.IntegerField(allow_null=True)
    start = serializers.IntegerField()
    slots = serializers.IntegerField()
    stays = serializers.BooleanField()
    why = serializers.ListField(child=serializers.CharField())
    problem = serializers.CharField()
    hint = serializers.CharField()
    version = serializers.IntegerField()


class PatchesSerializer(Form):
    proposals = PatchSerializer(many=True)


class PatchingSerializer(Form):
    """What is left out stays; null takes a decision back."""

    device = serializers.CharField(max_length=8)
    version = serializers.IntegerField(required=False)
    universe = serializers.IntegerField(min_value=0, max_value=PORT_ADDRESSES - 1, required=False, allow_null=True)
    start = serializers.IntegerField(min_value=1, max_value=LAST_SLOT, required=False, allow_null=True)
    personality = serializers.CharField(max_length=80, required=False, allow_null=True)
    shares = serializers.CharField(max_length=40, required=False, allow_blank=True)


class DecidePatchSerializer(Form):
    assignments = serializers.ListField(child=PatchingSerializer(), max_length=MOST)


class PortSendsSerializer(Form):
    device = serializers.CharField(max_length=120)
    path = serializers.CharField(max_length=200)
    universe = serializers.IntegerField(min_value=0, max_value=PORT_ADDRESSES - 1)
    version = serializers.IntegerField(required=False)


class SheetRowSerializer(TableRowSerializer):
    """`profile` is that of a fixture that would be planned anew."""

    profile = serializers.CharField()


class SheetSerializer(Form):
    rows = SheetRowSerializer(many=True)
    decided = serializers.IntegerField()


class LevelsAskedSerializer(Form):
    """`universe` as the protocol counts: from 0 (Art-Net's port address), or from 1 (sACN)."""

    protocol = serializers.ChoiceField(choices=["artnet", "sacn"])
    universe = serializers.IntegerField(min_value=0, max_value=63999)


class LevelSourceSerializer(Form):
    """`rate` in packets a second; `lost` counts numbers that were left out; `counts`: its levels are not outvoted."""

    who = serializers.CharField()
    name = serializers.CharField()
    address = serializers.CharField()
    priority = serializers.IntegerField()
    rate = serializers.FloatField()
    slots = serializers.IntegerField()
    lost = serializers.IntegerField()
    counts = serializers.BooleanField()


class FixtureTestSerializer(Form):
    """`at` is which of the fixtures is up; -1 before and after."""

    at = serializers.IntegerField()
    fixtures = serializers.ListField(child=serializers.CharField())
    priority = serializers.IntegerField()


class LevelsSerializer(Form):
    protocol = serializers.CharField()
    universe = serializers.IntegerField()
    levels = serializers.ListField(child=serializers.IntegerField())
    sources = LevelSourceSerializer(many=True)
    others = serializers.IntegerField()
    hears = serializers.CharField()
    trouble = serializers.CharField()
    test = FixtureTestSerializer(allow_null=True)


class RaiseFixtureSerializer(Form):
    name = serializers.CharField(max_length=80)
    start = serializers.IntegerField(min_value=1, max_value=512)
    slots = serializers.IntegerField(min_value=1, max_value=512)


class RaiseSerializer(Form):
    """`universe` as sACN counts."""

    universe = serializers.IntegerField(min_value=1, max_value=63999)
    fixtures = RaiseFixtureSerializer(many=True, allow_empty=False, max_length=512)  # type: ignore[call-arg]
    seconds = serializers.FloatField(min_value=0.2, max_value=600)


class EndRaiseSerializer(Form):
    universe = serializers.IntegerField(min_value=1, max_value=63999)
