"""Profiles: what there is, checks and trials for whoever writes one, adding and taking away."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from django.conf import settings
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_core.links.interfaces import is_loopback
from netloom_core.live.trial import try_profile
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import host_of
from netloom_core.model.snmp import SnmpAccess
from netloom_server.accounts.models import Role
from netloom_server.base.apart import read_apart
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.api.lines import line_in_use
from netloom_server.installation.api.shapes import ProfileSerializer
from netloom_server.installation.models import Device
from netloom_server.installation.services import access, profiles, records

TRY_S = 60.0
MAX_TEXT = 1_000_000


class ProfileTextSerializer(Form):
    name = serializers.CharField(max_length=120)
    text = serializers.CharField(max_length=MAX_TEXT, trim_whitespace=False)


class ProfileTrySerializer(ProfileTextSerializer):
    line = serializers.CharField(max_length=120)
    address = serializers.CharField(max_length=64)
    speed = serializers.IntegerField(min_value=300, max_value=4_000_000, required=False)


class CheckedProfileSerializer(Form):
    id = serializers.CharField()
    maker = serializers.CharField()
    model = serializers.CharField()
    values = serializers.IntegerField()
    points = serializers.IntegerField()
    replaces = serializers.CharField()
    able = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))


class TrialRowSerializer(Form):
    path = serializers.CharField()
    channel = serializers.CharField()
    set = serializers.CharField()
    state = serializers.CharField()
    text = serializers.CharField()


class TrialSerializer(Form):
    channel = serializers.CharField()
    identity = serializers.DictField(child=serializers.CharField())
    able = serializers.ListField(child=serializers.CharField())
    rows = TrialRowSerializer(many=True)
    trouble = serializers.CharField()
    hint = serializers.CharField()


def _sound(data: dict[str, Any]) -> None:
    """Read first in a process of its own, bounded in memory and time: it is a stranger's file."""
    with tempfile.NamedTemporaryFile(dir=settings.DATA, suffix=".profile") as file:
        file.write(data["text"].encode())
        file.flush()
        read_apart("profile", Path(file.name), data["name"])


def _checked(data: dict[str, Any]) -> dict[str, Any]:
    library = engine().library
    profile = profiles.read(data["text"], data["name"], library)
    before = library.get(profile.id)
    able = {name: sorted(way.abilities(name, profile).can) for name, way in profile.channels.items()}
    return {
        "id": profile.id, "maker": profile.maker, "model": profile.model, "values": len(profile.by_path),
        "points": len(profile.by_point), "replaces": before.model if before else "", "able": able,
    }  # fmt: skip


class ProfilesView(APIView):
    write_role = Role.LEAD

    @extend_schema(responses=ProfileSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(profiles.rows(engine().library))

    @extend_schema(request=ProfileTextSerializer, responses={201: CheckedProfileSerializer})
    def post(self, request: Request) -> Response:
        """Add a profile to this installation; it goes before one that ships with its id."""
        data = checked(ProfileTextSerializer, request)
        _sound(data)
        told = _checked(data)
        profiles.add(data["text"], data["name"], engine().library, request.user.get_username())
        engine().events.put("profiles", {"profile": told["id"]})
        return Response(told, 201)


class ProfileView(APIView):
    write_role = Role.LEAD

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        """Take an added profile away; the one that ships is back, where there is one."""
        profiles.drop(ident, engine().library)
        engine().events.put("profiles", {"profile": ident})
        return Response(status=204)


class ProfileCheckView(APIView):
    @extend_schema(request=ProfileTextSerializer, responses=CheckedProfileSerializer)
    def post(self, request: Request) -> Response:
        """Whether a file is a profile that would work; nothing is kept."""
        data = checked(ProfileTextSerializer, request)
        _sound(data)
        return Response(_checked(data))


class ProfileTryView(APIView):
    @extend_schema(request=ProfileTrySerializer, responses=TrialSerializer)
    def post(self, request: Request) -> Response:
        """Read everything that a profile describes from a device, and say what each binding gave. Writes nothing."""
        data = checked(ProfileTrySerializer, request)
        _sound(data)
        profile = profiles.read(data["text"], data["name"], engine().library)
        line = line_in_use(data["line"])
        core = line.as_core()
        if not core.holds(data["address"]):
            raise RequestError(f"{data['address']} is no address on {line.name}.", "Look at the line's range.")
        if settings.LOOPBACK_ONLY and core.kind == "ip" and not is_loopback(host_of(data["address"])):
            raise RequestError("The demo sends on loopback only.", "Its devices are on 127.x.y.z.")
        device = Device.objects.filter(line=line, address=data["address"]).first()
        target = _target(profile.id, profile.model, core, data, access.of_line(line))
        if device is not None and device.logins.exists():
            known = records.target_of(device, engine().library)
            target = replace(
                target, name=known.name, credentials=known.credentials, keys=known.keys, found=known.found,
                maker=known.maker, models=known.models,
            )  # fmt: skip
        elif profile.factory.user or profile.factory.password:
            login = Credentials(profile.factory.user, profile.factory.password)
            target = replace(target, credentials=(login,))
        trial = engine().call(try_profile(profile, target, engine().owners, engine().library.maker), TRY_S)
        return Response({**vars(trial), "rows": [vars(row) for row in trial.rows]})


def _target(ident: str, model: str, line: Any, data: dict[str, Any], known: Any) -> Target:
    speed = data.get("speed", 0) or (line.speed if line.kind == "serial" else 0)
    return Target(
        "trial", model, ident, line, data["address"], speed,
        snmp=SnmpAccess(known.communities, known.snmp_users), found=False,
    )  # fmt: skip
