"""Consoles in the browser: open, type, follow, close; and the logs that are kept."""

from __future__ import annotations

import base64
import binascii
import json
from collections.abc import AsyncIterator, Callable
from contextlib import AbstractAsyncContextManager
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.console.session import Console, open_serial, open_ssh, open_telnet
from netloom_core.errors import NetloomError, RequestError
from netloom_core.links.interfaces import is_loopback
from netloom_core.model.device import Credentials
from netloom_core.protocols.framing import FLOWS, Framing
from netloom_server.accounts.models import Role
from netloom_server.accounts.permissions import has_role
from netloom_server.base.crossing import in_records
from netloom_server.base.forms import Form, checked
from netloom_server.base.problems import NotFound
from netloom_server.consoles.models import ConsoleLog, HostKey
from netloom_server.host.engine import engine
from netloom_server.installation.api.lines import line_in_use
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services import lines, present, records

MAX_TYPED = 8192
LOGS_SHOWN = 50
ENTRIES_SHOWN = 4000
OPEN_S = 25.0


class OpenSerializer(Form):
    """A device, or a serial line. User and password are for SSH, are used once and not kept."""

    device = serializers.CharField(max_length=200, required=False, allow_blank=True)
    line = serializers.CharField(max_length=80, required=False, allow_blank=True)
    speed = serializers.IntegerField(min_value=300, max_value=4_000_000, required=False)
    framing = serializers.RegexField(r"^[5-8][NEO][12]$", required=False)
    flow = serializers.ChoiceField(list(FLOWS), required=False)
    user = serializers.CharField(max_length=120, required=False, allow_blank=True)
    password = serializers.CharField(max_length=400, required=False, allow_blank=True, trim_whitespace=False)
    forget_key = serializers.BooleanField(required=False, default=False)


class ConsoleSerializer(Form):
    id = serializers.CharField()
    title = serializers.CharField()
    kind = serializers.CharField()
    settings = serializers.CharField()
    line_end = serializers.CharField(trim_whitespace=False)
    wakes = serializers.CharField(allow_blank=True, trim_whitespace=False)


class TypedSerializer(Form):
    """`data` is base64 of the bytes."""

    data = serializers.CharField(max_length=MAX_TYPED * 2)  # type: ignore[assignment]


class LogSerializer(Form):
    id = serializers.CharField()
    title = serializers.CharField()
    kind = serializers.CharField()
    by = serializers.CharField()
    begun = serializers.DateTimeField()
    ended = serializers.DateTimeField(allow_null=True)


class EntrySerializer(Form):
    time = serializers.DateTimeField()
    direction = serializers.CharField()
    data = serializers.CharField()  # type: ignore[assignment]


class WholeLogSerializer(LogSerializer):
    entries = EntrySerializer(many=True)


class ConsolesView(APIView):
    @extend_schema(parameters=[OpenApiParameter("device", str)], responses=LogSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Logs of a device's consoles, newest first."""
        logs = ConsoleLog.objects.order_by("-begun")
        if word := request.query_params.get("device", ""):
            logs = logs.filter(device=records.resolve(word))
        return Response([log_as_dict(log) for log in logs[:LOGS_SHOWN]])

    @extend_schema(request=OpenSerializer, responses={201: ConsoleSerializer})
    def post(self, request: Request) -> Response:
        data = checked(OpenSerializer, request)
        by = request.user.get_username()
        device = records.resolve(data["device"]) if data.get("device") else None
        line = device.line if device else line_in_use(data.get("line", ""))
        if line is None:
            raise RequestError("That device is on no line.", "Say which line it is on.")
        lines.in_use(line)
        title, kind, how, opener = _way(device, line, data, by)
        log = ConsoleLog.objects.create(device=device, line=line, title=title, kind=kind, by=by)
        try:
            engine().call(engine().desk.open(log, opener, _prompts(device)), OPEN_S)
        except NetloomError:
            log.delete()
            raise
        return Response({"id": log.id, "title": title, "kind": kind, "settings": how, **_keys(device)}, 201)


def _prompts(device: Device | None) -> list[str]:
    """How the device asks for a secret, as its profile knows."""
    profile = engine().library.get(device.profile) if device else None
    return profile.console.asks_for_secret if profile and profile.console else []


def _keys(device: Device | None) -> dict[str, str]:
    """What ends a line for the device, and what wakes it."""
    profile = engine().library.get(device.profile) if device else None
    own = profile.console if profile else None
    return {"line_end": own.line_end if own else "\r", "wakes": own.wakes if own else ""}


Opener = Callable[[], AbstractAsyncContextManager[Console]]


def _way(device: Device | None, line: Line, data: dict[str, Any], by: str) -> tuple[str, str, str, Opener]:
    """(title, kind, settings in words, opener)."""
    library = engine().library
    profile = library.get(device.profile) if device else None
    if line.kind == "serial":
        speed = data.get("speed") or (device.speed if device and device.speed else line.speed)
        usual = present.serial_framing(line, profile)
        framing = data.get("framing") or usual["framing"]
        flow = data.get("flow") or usual["flow"]
        core = line.as_core()
        title = device.name if device else line.name
        how = f"{line.path}, {speed} baud, {Framing.of(framing, flow)}"
        return (
            title,
            "serial",
            how,
            lambda: open_serial(engine().owners.serial(core), f"console of {by}", speed, framing, flow),
        )
    offered = present.console_of(device, profile) if device else None
    if device is None or offered is None:
        raise RequestError("There is no console to that.", "Consoles go to serial lines, Telnet and SSH servers.")
    if settings.LOOPBACK_ONLY and not is_loopback(device.address):
        raise RequestError("The demo sends on loopback only.", "Its devices are on 127.x.y.z.")
    host, port, source = device.address, offered["port"], line.source
    how = f"{host} port {port}"
    if offered["kind"] == "telnet":
        return device.name, "telnet", how, lambda: open_telnet(source, host, port)
    if records.can_be_read(device, library):
        # Its settings are reached as well: it proves there who it is, before a password is said to it.
        engine().do({"do": "prove", "device": device.id}, OPEN_S)
    login = _login(device, data)
    if data["forget_key"]:
        HostKey.objects.filter(device=device).delete()
    kept = HostKey.objects.filter(device=device).first()
    ident = device.id

    def seen(fingerprint: str) -> None:
        engine().spawn(in_records(_keep_key, ident, fingerprint))

    return (
        device.name,
        "ssh",
        f"{login.user}@{how}",
        lambda: open_ssh(source, host, port, login, kept.fingerprint if kept else "", seen),
    )


def _keep_key(device: str, fingerprint: str) -> None:
    HostKey.objects.get_or_create(device_id=device, defaults={"fingerprint": fingerprint})


def _login(device: Device, data: dict[str, Any]) -> Credentials:
    if data.get("user"):
        return Credentials(data["user"], data.get("password") or "")
    found = records.target_of(device, engine().library).logins()
    if not found:
        raise RequestError(f"Nobody said how to get into {device.name}.", "Type a user and a password.")
    return found[0]


class ConsoleView(APIView):
    @extend_schema(request=TypedSerializer, responses={204: None})
    def post(self, request: Request, ident: str) -> Response:
        """Type into it."""
        try:
            typed = base64.b64decode(checked(TypedSerializer, request)["data"], validate=True)
        except (binascii.Error, ValueError) as error:
            raise RequestError("What was typed came garbled.", "Type it again.") from error
        engine().call(engine().desk.type(ident, typed))
        return Response(status=204)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        """Close it and give the line back."""
        engine().call(engine().desk.close(ident))
        return Response(status=204)


class BreakView(APIView):
    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request, ident: str) -> Response:
        engine().call(engine().desk.send_break(ident))
        return Response(status=204)


class LogView(APIView):
    @extend_schema(responses=WholeLogSerializer)
    def get(self, request: Request, ident: str) -> Response:
        log = ConsoleLog.objects.filter(id=ident).first()
        if log is None:
            raise NotFound("There is no such log.")
        entries = [
            {"time": e.time.isoformat(), "direction": e.direction, "data": base64.b64encode(bytes(e.data)).decode()}
            for e in log.entries.order_by("id")[:ENTRIES_SHOWN]
        ]
        return Response({**log_as_dict(log), "entries": entries})


def log_as_dict(log: ConsoleLog) -> dict[str, Any]:
    return {
        "id": log.id,
        "title": log.title,
        "kind": log.kind,
        "by": log.by,
        "begun": log.begun.isoformat(),
        "ended": log.ended.isoformat() if log.ended else None,
    }


async def stream(request: HttpRequest, ident: str) -> HttpResponse | StreamingHttpResponse | JsonResponse:
    """Server-Sent Events: data are base64 pieces with their number as id; `ended` says why it is over."""
    user = await request.auser()
    if not user.is_authenticated or not has_role(user, Role.TECHNICIAN):
        return JsonResponse({"error": {"code": "no-right", "message": "Sign in first.", "try": ""}}, status=403)
    after = request.headers.get("Last-Event-ID", "0")
    try:
        engine().desk.session(ident)
    except NetloomError as error:
        return JsonResponse({"error": error.as_dict()}, status=404)
    response = StreamingHttpResponse(
        _pieces(ident, int(after) if after.isdecimal() else 0), content_type="text/event-stream"
    )
    response["Cache-Control"] = "no-cache"
    return response


async def _pieces(ident: str, after: int) -> AsyncIterator[bytes]:
    yield b": open\n\n"
    async for piece in engine().desk.follow(ident, after):
        if piece is None:
            yield b": quiet\n\n"
        elif isinstance(piece, str):
            yield f"event: ended\ndata: {json.dumps(piece)}\n\n".encode()
        else:
            number, data = piece
            yield f"id: {number}\ndata: {base64.b64encode(data).decode()}\n\n".encode()
