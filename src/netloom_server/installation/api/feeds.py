"""A text that is said to a device again and again, as a source outside does, and what the device tells of it."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.services import records


class FeedBeginSerializer(Form):
    """`every` in seconds; the profile's own where it is not given."""

    point = serializers.CharField(max_length=120)
    text = serializers.CharField(max_length=1000, allow_blank=True, trim_whitespace=False)
    every = serializers.FloatField(min_value=0.05, max_value=600, required=False)
    minutes = serializers.FloatField(min_value=0.05, max_value=480, default=10)


class ToldOfFeedSerializer(Form):
    """`holds` is null where the device did not tell."""

    what = serializers.CharField()
    holds = serializers.BooleanField(allow_null=True)


class FeedSerializer(Form):
    """`phase` is saying, ending while it is looked at what the device does then, or over; times are Unix times.

    `shown` of `looks` are those at which the device told all of it; `alone_after` is how many seconds after the end it
    told that it goes on by itself.
    """

    point = serializers.CharField()
    text = serializers.CharField(trim_whitespace=False)
    every = serializers.FloatField()
    by = serializers.CharField()
    phase = serializers.ChoiceField(["saying", "ending", "over"])
    began = serializers.FloatField()
    until = serializers.FloatField()
    ended = serializers.FloatField(allow_null=True)
    said = serializers.IntegerField()
    failed = serializers.IntegerField()
    late = serializers.IntegerField()
    looks = serializers.IntegerField()
    shown = serializers.IntegerField()
    told = ToldOfFeedSerializer(many=True)
    trouble = serializers.CharField()
    account = serializers.CharField()
    alone_after = serializers.FloatField(allow_null=True)


class FeedNowSerializer(Form):
    feed = FeedSerializer(allow_null=True)


class FeedView(APIView):
    @extend_schema(responses=FeedNowSerializer)
    def get(self, request: Request, word: str) -> Response:
        """The feed that is under way on that device, else the last one."""
        return self._told({"do": "feed now", "device": records.resolve(word).id})

    @extend_schema(request=FeedBeginSerializer, responses=FeedNowSerializer)
    def post(self, request: Request, word: str) -> Response:
        """Begin one. It ends by itself after its minutes, and with the server."""
        device = records.resolve(word)
        data = checked(FeedBeginSerializer, request)
        return self._told({"do": "feed", "device": device.id, "by": request.user.get_username(), **data})

    @extend_schema(responses=FeedNowSerializer)
    def delete(self, request: Request, word: str) -> Response:
        """Say it no more; what the device does then is still looked at."""
        by = request.user.get_username()
        return self._told({"do": "end feed", "device": records.resolve(word).id, "by": by})

    def _told(self, command: dict[str, Any]) -> Response:
        return Response(engine().do(command))
