"""What happened at a device: its own event record on our time, beside the journal and the point monitor."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.accounts.models import Role
from netloom_server.base.forms import Form
from netloom_server.host.engine import engine
from netloom_server.installation.services import history, records
from netloom_server.runs.services import journal

READ_S = 40.0
MOST_ENTRIES = 300


class HappenedSerializer(Form):
    """`of` is device, journal or points; `at` is none where the device told no time that is one."""

    of = serializers.CharField()
    at = serializers.DateTimeField(allow_null=True)
    text = serializers.CharField()
    code = serializers.CharField()


class HistorySerializer(Form):
    """`ahead` is by how many seconds the device's clock is ahead of ours; none where that is not known."""

    ahead = serializers.FloatField(allow_null=True)
    events = serializers.IntegerField()
    rows = HappenedSerializer(many=True)


class HistoryView(APIView):
    write_role = Role.VIEWER

    @extend_schema(request=None, responses=HistorySerializer)
    def post(self, request: Request, word: str) -> Response:
        """Read its own record now, and lay it beside what was written to it and how its points changed."""
        device = records.resolve(word)
        told = engine().do({"do": "event record", "device": device.id}, READ_S)
        entries = journal.of_devices([device.id, *device.was], MOST_ENTRIES)
        rows = history.laid_together(device, told["events"], entries, engine().library)
        return Response({"ahead": told["ahead"], "events": len(told["events"]), "rows": rows})
