"""Points of a device as they are shown, and what can be fed to it."""

from __future__ import annotations

from rest_framework import serializers

from netloom_server.base.forms import Form


class PointRangeSerializer(Form):
    """Of a number; null of anything else."""

    minimum = serializers.FloatField(allow_null=True)
    maximum = serializers.FloatField(allow_null=True)


class PointSerializer(Form):
    """`id` is the item's path, `short` its short name; either names it where it is driven.

    `item` is the path in the profile, `place` the number on each of its axes.
    """

    id = serializers.CharField()
    item = serializers.CharField()
    place = serializers.DictField(child=serializers.IntegerField())
    short = serializers.CharField()
    type = serializers.CharField()
    unit = serializers.CharField()
    limits = PointRangeSerializer()
    targets = serializers.ListField(child=serializers.CharField())
    words = serializers.DictField(child=serializers.CharField())
    live = serializers.BooleanField()
    kind = serializers.CharField()
    state = serializers.CharField()
    states = serializers.ListField(child=serializers.CharField())
    drive = serializers.BooleanField()
    disturbs = serializers.ListField(child=serializers.CharField())

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class FeedKnownSerializer(Form):
    """A point that can be said again and again: seconds, and what shows that it goes on by itself then."""

    point = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    every = serializers.FloatField()
    quickest = serializers.FloatField()
    slowest = serializers.FloatField()
    after = serializers.FloatField()
    alone = serializers.ListField(child=serializers.CharField())
