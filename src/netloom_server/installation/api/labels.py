"""Labels: what people call inputs, relays, zones; and which of several devices are one thing."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.api.shapes import DevicesSerializer
from netloom_server.installation.services import decisions, naming, present, records


class LabelledSerializer(Form):
    axis = serializers.CharField(max_length=40)
    number = serializers.IntegerField(min_value=0, max_value=100_000)
    text = serializers.CharField(max_length=naming.MAX_TEXT)


class SameThingSerializer(Form):
    """The place of this device is the same thing as another one's, and is called as that is."""

    axis = serializers.CharField(max_length=40)
    number = serializers.IntegerField(min_value=0, max_value=100_000)
    other = serializers.CharField(max_length=200)
    other_axis = serializers.CharField(max_length=40)
    other_number = serializers.IntegerField(min_value=0, max_value=100_000)


def _decided(changes: list[tuple[str, str, Any]], request: Request) -> Response:
    library = engine().library
    devices = decisions.set_intended(changes, library, by=request.user.get_username()) if changes else []
    return Response({"devices": [present.device_as_dict(device, library) for device in devices]})


class LabelView(APIView):
    @extend_schema(request=LabelledSerializer, responses=DevicesSerializer)
    def put(self, request: Request, word: str) -> Response:
        """Give it a label; it is decided on every device that can show it. Nothing is written before a plan."""
        device = records.resolve(word)
        data = checked(LabelledSerializer, request)
        by = request.user.get_username()
        changes = naming.label(device, data["axis"], data["number"], data["text"], by, engine().library)
        return _decided(changes, request)


class SameThingView(APIView):
    @extend_schema(request=SameThingSerializer, responses=DevicesSerializer)
    def post(self, request: Request, word: str) -> Response:
        device = records.resolve(word)
        data = checked(SameThingSerializer, request)
        other = records.resolve(data["other"])
        changes = naming.same(device, data["axis"], data["number"], other, data["other_axis"], data["other_number"],
                              request.user.get_username(), engine().library)  # fmt: skip
        return _decided(changes, request)


class LabelPlaceView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        """A thing of its own again; it keeps what it is called."""
        number = int(ident) if ident.isascii() and ident.isdecimal() and len(ident) < 12 else 0
        naming.part(number, request.user.get_username())
        return Response(status=204)
