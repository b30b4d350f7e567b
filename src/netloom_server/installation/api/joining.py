"""Joining what another device makes."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.api.shapes import DevicesSerializer
from netloom_server.installation.services import joining, present, records


class JoinWhatSerializer(Form):
    """`name` may be left out where there is one thing that it can join."""

    to = serializers.CharField(max_length=200)
    name = serializers.CharField(max_length=60, required=False, allow_blank=True, default="")


class JoiningView(APIView):
    @extend_schema(request=JoinWhatSerializer, responses=DevicesSerializer)
    def post(self, request: Request, word: str) -> Response:
        """Take what has to be equal from the device that makes it; decided, and written by a plan."""
        device = records.resolve(word)
        data = checked(JoinWhatSerializer, request)
        parent = records.resolve(data["to"])
        joining.no_circle(device, parent)
        library = engine().library
        decided = joining.join(device, parent, data["name"], request.user.get_username(), library)
        return Response({"devices": [present.device_as_dict(one, library) for one in decided]})

    @extend_schema(parameters=[OpenApiParameter("name", str, required=True)], responses={204: None})
    def delete(self, request: Request, word: str) -> Response:
        joining.leave(records.resolve(word), request.query_params.get("name", "")[:60])
        return Response(status=204)
