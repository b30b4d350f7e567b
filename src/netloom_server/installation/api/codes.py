"""New codes for devices, and looking at one that is kept; both stand in the journal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.model.work import JournalEntry
from netloom_server.accounts.models import Role
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.services import codes
from netloom_server.installation.services.records import resolve, resolve_all
from netloom_server.runs.services import journal
from netloom_server.runs.services.journal import in_one_act

MOST = 2000  # devices in one request


class NewCodesSerializer(Form):
    """`pattern` as for names, with {level} and {random} or {random:4}; random ones where it is empty. `levels` are the
    codes meant of devices with several; all without."""

    devices = serializers.ListField(child=serializers.CharField(max_length=120), max_length=MOST)
    pattern = serializers.CharField(max_length=80, required=False, allow_blank=True, default="")
    levels = serializers.ListField(child=serializers.CharField(max_length=30), max_length=8, required=False)


class CodeSerializer(Form):
    device = serializers.CharField()
    name = serializers.CharField()
    serial = serializers.CharField()
    level = serializers.CharField()
    user = serializers.CharField()
    code = serializers.CharField()


class CodesSerializer(Form):
    codes = CodeSerializer(many=True)


def _noted(request: Request, devices: Sequence[str], message: str) -> None:
    by = request.user.get_username()
    journal.append_all([JournalEntry("act", "", one, "", "", "code", by, "", message=message) for one in devices])


class NewCodesView(APIView):
    @extend_schema(request=NewCodesSerializer, responses=CodesSerializer)
    @in_one_act
    def post(self, request: Request) -> Response:
        """Decide new codes; they are in this answer once, and written by a plan."""
        data = checked(NewCodesSerializer, request)
        found = resolve_all(data["devices"])
        devices = list({device.id: device for device in found.values()}.values())
        made = codes.give(devices, data["pattern"], request.user.get_username(), engine().library, data.get("levels"))
        _noted(request, list(dict.fromkeys(one.device for one in made)), "A new code was decided, and shown once.")
        return Response({"codes": [asdict(one) for one in made]})


class WhichCodeSerializer(Form):
    level = serializers.CharField(max_length=30, required=False, allow_blank=True, default="")


class CodeView(APIView):
    write_role = Role.LEAD

    @extend_schema(request=WhichCodeSerializer, responses=CodeSerializer)
    @in_one_act
    def post(self, request: Request, word: str) -> Response:
        """Look at the code of a device. Only a lead may, and who did stands in the journal before it is shown."""
        device = resolve(word)
        code = codes.reveal(device, engine().library, checked(WhichCodeSerializer, request)["level"])
        which = f"Its code of the level {code.level} was looked at." if code.level else "Its code was looked at."
        _noted(request, [device.id], which)
        return Response(asdict(code))
