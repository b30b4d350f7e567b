"""The journal, newest first."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.model.work import without_secrets
from netloom_server.accounts.models import Role
from netloom_server.base.forms import Form, checked
from netloom_server.base.paging import page_of
from netloom_server.base.problems import NotFound
from netloom_server.host.engine import engine
from netloom_server.installation.services.labels import Labels
from netloom_server.installation.services.records import names_of, resolve
from netloom_server.runs.api.shapes import JournalSerializer
from netloom_server.runs.models import JournalEntry
from netloom_server.runs.services import journal


def _all_ids(word: str) -> list[str]:
    """Those that its record has had."""
    try:
        record = resolve(word)
    except NotFound:
        return [word]
    return [record.id, *record.was]


class JournalView(APIView):
    @extend_schema(
        parameters=[
            OpenApiParameter("device", str),
            OpenApiParameter("run", str),
            OpenApiParameter("page", str),
            OpenApiParameter("check", bool),
        ],
        responses=JournalSerializer,
    )
    def get(self, request: Request) -> Response:
        """Newest first; `next` is the path of the next page. `device` is any word for it, or the id of one that was
        removed. With `check` the whole chain is read anew."""
        entries = JournalEntry.objects.all()
        if request.query_params.get("run"):
            entries = entries.filter(run=request.query_params["run"])
        if word := request.query_params.get("device"):
            entries = entries.filter(device__in=_all_ids(word))
        found, following = page_of(entries, request, "-id")
        told = [{"intent": "", **entry.as_dict()} for entry in found]
        names = names_of({entry["device"] for entry in told})
        labels = Labels(names, engine().library)
        for entry in told:
            entry["name"] = names.get(entry["device"], entry["device"])
            entry["changes"] = labels.on(entry["device"], without_secrets(entry["changes"]))
        known = journal.check() if request.query_params.get("check") else journal.standing()
        return Response(
            {
                "entries": told,
                "whole": known.broken is None,
                "chain": {"word": known.word, "entries": known.entries, "at": known.at, "broken": known.broken},
                "next": following,
            }
        )


class AcceptChainSerializer(Form):
    reason = serializers.CharField(max_length=400)


class AcceptView(APIView):
    write_role = Role.LEAD

    @extend_schema(request=AcceptChainSerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        """Go on with a broken journal: a new chain begins, with the old head and the reason in its first entry."""
        journal.accept(request.user.get_username(), checked(AcceptChainSerializer, request)["reason"])
        return Response(status=204)
