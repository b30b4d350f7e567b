"""The journal, newest first."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.installation.models import Device
from netloom_server.installation.services.records import names_of
from netloom_server.runs.api.shapes import JournalSerializer
from netloom_server.runs.models import JournalEntry
from netloom_server.runs.services import journal
from netloom_server.runs.services.runs import shown

MAX_JOURNAL = 500


class JournalView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("device", str), OpenApiParameter("run", str)], responses=JournalSerializer
    )
    def get(self, request: Request) -> Response:
        entries = JournalEntry.objects.order_by("-id")
        if request.query_params.get("run"):
            entries = entries.filter(run=request.query_params["run"])
        if ident := request.query_params.get("device"):
            record = Device.objects.filter(id=ident).first()
            entries = entries.filter(device__in=[ident, *(record.was if record else [])])
        told = [{"intent": "", **entry.as_dict()} for entry in entries[:MAX_JOURNAL]]
        names = names_of({entry["device"] for entry in told})
        for entry in told:
            entry["name"] = names.get(entry["device"], entry["device"])
            entry["changes"] = shown(entry["changes"])
        return Response({"entries": told, "whole": journal.broken_at() is None})
