"""Papers: asked for, listed, handed out as files."""

from __future__ import annotations

from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.accounts.models import Role
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.papers.kinds.registry import KINDS
from netloom_server.papers.models import State
from netloom_server.papers.services import papers

POLICY = "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'"


class PaperSerializer(Form):
    id = serializers.CharField()
    kind = serializers.ChoiceField(choices=list(KINDS))
    title = serializers.CharField()
    state = serializers.ChoiceField(choices=State.choices)
    by = serializers.CharField()
    asked = serializers.DateTimeField()
    made = serializers.DateTimeField(allow_null=True)
    bytes = serializers.IntegerField()
    digest = serializers.CharField(allow_blank=True)
    name = serializers.CharField()
    since = serializers.IntegerField(help_text="entries of the journal that came after it was asked for")
    message = serializers.CharField(allow_blank=True)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "try": serializers.CharField(allow_blank=True)}


class PapersSerializer(Form):
    papers = PaperSerializer(many=True)


class AskedPaperSerializer(Form):
    kind = serializers.ChoiceField(choices=list(KINDS))


class PapersView(APIView):
    write_role = Role.VIEWER  # a paper changes nothing

    @extend_schema(responses=PapersSerializer)
    def get(self, request: Request) -> Response:
        """Newest first; only the newest few of each kind are kept."""
        return Response({"papers": papers.listed()})

    @extend_schema(request=AskedPaperSerializer, responses={202: PaperSerializer})
    def post(self, request: Request) -> Response:
        """Begin to make one; GET tells when it is ready."""
        paper = papers.ask(checked(AskedPaperSerializer, request)["kind"], request.user.get_username())
        told = papers.as_dict(paper)
        engine().events.put("paper", told)
        engine().make_papers()
        return Response(told, 202)


class PaperView(APIView):
    @extend_schema(responses=PaperSerializer)
    def get(self, request: Request, ident: str) -> Response:
        return Response(papers.as_dict(papers.find(ident)))


class PaperFileView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, ident: str) -> FileResponse:
        """The file, as it was made."""
        paper = papers.find(ident)
        kind = KINDS[paper.kind]
        path = papers.ready_file(paper)
        response = FileResponse(
            path.open("rb"), as_attachment=not kind.inline, filename=papers.name_of(paper), content_type=kind.media
        )
        response["Content-Security-Policy"] = POLICY
        return response
