"""Fences: a point, or a whole device, that nobody drives for a time."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.model.work import JournalEntry
from netloom_server.accounts.models import Role
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.services import fences, records
from netloom_server.runs.services import journal
from netloom_server.runs.services.journal import in_one_act


class NewFenceSerializer(Form):
    """`point` is empty for all of the device."""

    point = serializers.CharField(max_length=120, required=False, allow_blank=True, default="")
    why = serializers.CharField(max_length=200)
    minutes = serializers.IntegerField(min_value=1, max_value=fences.MOST_MINUTES)


class FenceSerializer(Form):
    id = serializers.IntegerField()
    point = serializers.CharField()
    why = serializers.CharField()
    by = serializers.CharField()
    until = serializers.DateTimeField()


def _noted(device: str, by: str, message: str) -> None:
    journal.append_all([JournalEntry("act", "", device, "", "", "fence", by, "", message=message)])


class FencesView(APIView):
    @extend_schema(request=NewFenceSerializer, responses=FenceSerializer)
    @in_one_act
    def post(self, request: Request, word: str) -> Response:
        """Fence it off for everybody; it stands in the journal, and ends by itself."""
        device = records.resolve(word)
        data = checked(NewFenceSerializer, request)
        by = request.user.get_username()
        made = fences.fence_off(device, data["point"], data["why"], data["minutes"], by, engine().library)
        what = made.point or "the whole device"
        _noted(device.id, by, f"Fenced off {what} for {data['minutes']} min: {made.why}")
        return Response(FenceSerializer(made).data)


class FenceView(APIView):
    @extend_schema(responses={204: None})
    @in_one_act
    def delete(self, request: Request, word: str, ident: str) -> Response:
        by, role = request.user.get_username(), getattr(request.user, "role", "")
        number = int(ident) if ident.isascii() and ident.isdecimal() and len(ident) < 12 else 0
        gone = fences.lift(number, by, lead=role == Role.LEAD)
        _noted(gone.device_id, by, f"Lifted the fence around {gone.point or 'the whole device'}: {gone.why}")
        return Response(status=204)
