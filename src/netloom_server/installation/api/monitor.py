"""The point monitor: what is recorded, its changes, and what chatters."""

from __future__ import annotations

import time
from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.base.asked import number
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.services import monitor

LONGEST_S = 7 * 24 * 3600
USUAL_S = 600


class PointAskedSerializer(Form):
    device = serializers.CharField(max_length=200)
    point = serializers.CharField(max_length=200)


class MonitorAddSerializer(Form):
    points = PointAskedSerializer(many=True)


class MonitoredSerializer(Form):
    id = serializers.IntegerField()
    device = serializers.CharField()
    name = serializers.CharField()
    point = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    kind = serializers.CharField()
    states = serializers.ListField(child=serializers.CharField())
    words = serializers.DictField(child=serializers.CharField())
    unit = serializers.CharField()
    by = serializers.CharField()


class LeaderSerializer(Form):
    device = serializers.CharField()
    point = serializers.CharField()
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]


class ChatterSerializer(Form):
    """A point that changes again and again: `kind` is bounces, beats or flutters, `every` and `lag` are in seconds."""

    device = serializers.CharField()
    point = serializers.CharField()
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    kind = serializers.CharField()
    since = serializers.FloatField()
    changes = serializers.IntegerField()
    every = serializers.FloatField()
    leader = LeaderSerializer(allow_null=True)
    lag = serializers.FloatField()
    means = serializers.CharField()
    then = serializers.CharField()
    steps = serializers.ListField(child=serializers.CharField())
    words = serializers.CharField()


class EdgeSerializer(Form):
    """`time` is Unix time in seconds; an empty `state` is that nobody could tell it."""

    device = serializers.CharField()
    point = serializers.CharField()
    state = serializers.CharField()
    time = serializers.FloatField()
    cause = serializers.CharField()


class MonitorSerializer(Form):
    points = MonitoredSerializer(many=True)
    edges = EdgeSerializer(many=True)
    chatter = ChatterSerializer(many=True)


def _edges(seconds: int) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    since = time.time() - seconds
    keys = [(device, point) for device, points in monitor.wanted().items() for point in points]
    told = engine().do({"do": "edges", "points": keys, "since": since})
    kept = [edge.as_dict() for edge in monitor.recorded(since)]
    return monitor.together(kept, told["edges"]), told["chatter"]


def _seconds(request: Request) -> int:
    return min(max(number(request, "seconds", USUAL_S), 1), LONGEST_S)


class MonitorView(APIView):
    @extend_schema(parameters=[OpenApiParameter("seconds", int)], responses=MonitorSerializer)
    def get(self, request: Request) -> Response:
        """What is recorded, its changes of the last `seconds`, and all that chatters now, recorded or not."""
        edges, chatter = _edges(_seconds(request))
        return Response({"points": monitor.shown(engine().library), "edges": edges, "chatter": chatter})

    @extend_schema(request=MonitorAddSerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        data = checked(MonitorAddSerializer, request)
        points = [(one["device"], one["point"]) for one in data["points"]]
        monitor.add(points, request.user.get_username(), engine().library)
        return Response(status=204)


class MonitoredView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        """Record it no more; what was recorded stays for a while."""
        monitor.take_out(int(ident) if ident.isascii() and ident.isdecimal() and len(ident) < 12 else 0)
        return Response(status=204)


class EdgesFileView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("seconds", int)],
        responses={(200, "text/csv"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request) -> HttpResponse:
        """The changes as CSV."""
        body = monitor.as_csv(_edges(_seconds(request))[0], engine().library)
        headers = {"Content-Disposition": 'attachment; filename="points.csv"'}
        return HttpResponse(body, "text/csv; charset=utf-8", headers=headers)
