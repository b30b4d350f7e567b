"""The journal, newest first."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.model.work import without_secrets
from netloom_server.base.paging import page_of
from netloom_server.host.engine import engine
from netloom_server.installation.models import Device
from netloom_server.installation.services.labels import Labels
from netloom_server.installation.services.records import names_of
from netloom_server.runs.api.shapes import JournalSerializer
from netloom_server.runs.models import JournalEntry
from netloom_server.runs.services import journal


class JournalView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("device", str), OpenApiParameter("run", str), OpenApiParameter("page", str)],
        responses=JournalSerializer,
    )
    def get(self, request: Request) -> Response:
        """Newest first; `next` is the path of the next page."""
        entries = JournalEntry.objects.all()
        if request.query_params.get("run"):
            entries = entries.filter(run=request.query_params["run"])
        if ident := request.query_params.get("device"):
            record = Device.objects.filter(id=ident).first()
            entries = entries.filter(device__in=[ident, *(record.was if record else [])])
        found, following = page_of(entries, request, "-id")
        told = [{"intent": "", **entry.as_dict()} for entry in found]
        names = names_of({entry["device"] for entry in told})
        labels = Labels(names, engine().library)
        for entry in told:
            entry["name"] = names.get(entry["device"], entry["device"])
            entry["changes"] = labels.on(entry["device"], without_secrets(entry["changes"]))
        return Response({"entries": told, "whole": journal.broken_since() is None, "next": following})
