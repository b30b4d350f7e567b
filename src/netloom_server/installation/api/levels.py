"""Levels of a universe as they are heard now, and a test that raises one fixture after the other."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.accounts.models import Role
from netloom_server.base.forms import checked
from netloom_server.host.engine import engine
from netloom_server.installation.api import universe_shapes as shapes
from netloom_server.installation.api.lines import line_in_use


class LevelsView(APIView):
    write_role = Role.VIEWER  # it only listens

    @extend_schema(request=shapes.LevelsAskedSerializer, responses=shapes.LevelsSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """What is heard; it is listened to for 12 s more."""
        data = checked(shapes.LevelsAskedSerializer, request)
        return Response(engine().do({"do": "levels", "line": line_in_use(ident).id, **data}))


class RaiseView(APIView):
    @extend_schema(request=shapes.RaiseSerializer, responses={204: None})
    def post(self, request: Request, ident: str) -> Response:
        """Fixtures one after the other at full, above every other source; ends when nobody looks any more."""
        data = checked(shapes.RaiseSerializer, request)
        fixtures = [dict(one) for one in data["fixtures"]]
        command = {"do": "raise", "line": line_in_use(ident).id, **data, "fixtures": fixtures}
        engine().do({**command, "by": request.user.get_username()})
        return Response(status=204)


class EndRaiseView(APIView):
    @extend_schema(request=shapes.EndRaiseSerializer, responses={204: None})
    def post(self, request: Request, ident: str) -> Response:
        """End it; the levels before are given back."""
        data = checked(shapes.EndRaiseSerializer, request)
        engine().do({"do": "end raising", "line": line_in_use(ident).id, **data})
        return Response(status=204)
