"""Templates: made of one device's values, decided for others, and where each still holds."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.library.load import Library
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.models import Template
from netloom_server.installation.services import templates
from netloom_server.installation.services.records import resolve, resolve_all

MOST = 2000  # devices in one request


class MakeTemplateSerializer(Form):
    """Of the values of `device` at `paths`; `values` by path go before them, and may have {n}, {area} … in a text."""

    name = serializers.CharField(max_length=80)
    device = serializers.CharField(max_length=120)
    paths = serializers.ListField(child=serializers.CharField(max_length=200), max_length=templates.MOST_VALUES)
    values = serializers.DictField(child=serializers.JSONField(), required=False, default=dict)


class TemplateValueSerializer(Form):
    path = serializers.CharField()
    called = serializers.CharField()
    value = serializers.JSONField()


class FromTemplateSerializer(Form):
    path = serializers.CharField()
    called = serializers.CharField()
    wanted = serializers.JSONField()
    has = serializers.JSONField(allow_null=True)


class StandingSerializer(Form):
    """`state` is holds, waits, differs or gone."""

    device = serializers.CharField()
    name = serializers.CharField()
    state = serializers.CharField()
    differs = FromTemplateSerializer(many=True)


class TemplateSerializer(Form):
    id = serializers.IntegerField()
    name = serializers.CharField()
    profile = serializers.CharField()
    made_by = serializers.CharField()
    made_at = serializers.DateTimeField()
    values = TemplateValueSerializer(many=True)
    uses = StandingSerializer(many=True)


class TemplatesSerializer(Form):
    templates = TemplateSerializer(many=True)


class ApplyTemplateSerializer(Form):
    """Who has it for the first time is counted on in that order; `versions` are those that were looked at."""

    devices = serializers.ListField(child=serializers.CharField(max_length=120), max_length=MOST)
    versions = serializers.DictField(child=serializers.IntegerField(), required=False, default=dict)


class AppliedSerializer(Form):
    devices = serializers.ListField(child=serializers.CharField())


def _shown(template: Template, library: Library) -> dict[str, Any]:
    profile = library.get(template.profile)

    def called(path: str) -> str:
        return profile.called(path) if profile is not None else path

    uses = [
        {
            "device": one.device,
            "name": one.name,
            "state": one.state,
            "differs": [
                {"path": path, "called": called(path), "wanted": wanted, "has": has}
                for path, (wanted, has) in one.differs.items()
            ],
        }
        for one in templates.standings(template, library)
    ]
    values = [{"path": path, "called": called(path), "value": value} for path, value in template.values.items()]
    return {
        "id": template.id,
        "name": template.name,
        "profile": template.profile,
        "made_by": template.made_by,
        "made_at": template.made_at,
        "values": values,
        "uses": uses,
    }


class TemplatesView(APIView):
    @extend_schema(responses=TemplatesSerializer)
    def get(self, request: Request) -> Response:
        """All, each with where it was applied and whether it still holds there."""
        library = engine().library
        return Response({"templates": [_shown(one, library) for one in Template.objects.all()]})

    @extend_schema(request=MakeTemplateSerializer, responses={201: TemplateSerializer})
    def post(self, request: Request) -> Response:
        data = checked(MakeTemplateSerializer, request)
        library, by = engine().library, request.user.get_username()
        made = templates.make(data["name"], resolve(data["device"]), data["paths"], data["values"], by, library)
        return Response(_shown(made, library), 201)


class TemplateView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        """What was decided by it stays decided."""
        templates.find(ident).delete()
        return Response(status=204)


class ApplyTemplateView(APIView):
    @extend_schema(request=ApplyTemplateSerializer, responses=AppliedSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """Decide its values for these devices: all, or none. It is written by a plan, as all decisions are."""
        data = checked(ApplyTemplateSerializer, request)
        found = resolve_all(data["devices"])
        devices = list({device.id: device for device in (found[word] for word in data["devices"])}.values())
        by = request.user.get_username()
        decided = templates.apply(templates.find(ident), devices, data["versions"], by, engine().library)
        return Response({"devices": [device.id for device in decided]})
