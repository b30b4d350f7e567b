"""What passes on a serial line, both ways."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.accounts.models import Role
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.api.lines import line_in_use


class TrafficAskedSerializer(Form):
    since = serializers.IntegerField(min_value=0, default=0)


class PieceSerializer(Form):
    """`time` is Unix time in seconds, `out` what this computer sent, `who` had the line then; `data` is base64."""

    number = serializers.IntegerField()
    time = serializers.FloatField()
    out = serializers.BooleanField()
    who = serializers.CharField()
    data = serializers.CharField()  # type: ignore[assignment]


class TrafficSerializer(Form):
    """`more` where older pieces than these were left out; `errors` are the port's own counts, where it counts."""

    pieces = PieceSerializer(many=True)
    more = serializers.BooleanField()
    errors = serializers.DictField(child=serializers.IntegerField())  # type: ignore[assignment]
    trouble = serializers.CharField()
    holder = serializers.CharField()


class TrafficView(APIView):
    write_role = Role.TECHNICIAN

    @extend_schema(request=TrafficAskedSerializer, responses=TrafficSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """What passed after number `since`; it is listened to for some seconds more. Passwords are not in it."""
        data = checked(TrafficAskedSerializer, request)
        return Response(engine().do({"do": "traffic", "line": line_in_use(ident).id, "since": data["since"]}))
