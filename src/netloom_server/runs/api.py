"""Plans, runs, journal, and the live event stream."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Any

import orjson
from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role
from netloom_server.config.problems import Conflict, NotFound, body
from netloom_server.engine.engine import engine
from netloom_server.engine.events import after, newest_id
from netloom_server.installation.models import Device
from netloom_server.runs import journal
from netloom_server.runs.kinds.base import Asked
from netloom_server.runs.kinds.registry import KINDS, PLANNED
from netloom_server.runs.models import LIVE, JournalEntry, Plan, Run
from netloom_server.runs.services import create_run, plan_as_dict, run_as_dict, shown

MAX_RUNS = 50
MAX_JOURNAL = 500
KEEP_ALIVE_S = 15.0


class ChangeSerializer(serializers.Serializer):
    path = serializers.CharField()
    to = serializers.JSONField(allow_null=True)
    read_back = serializers.JSONField(required=False)

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "from": serializers.JSONField(allow_null=True)}


class PlanStepSerializer(serializers.Serializer):
    device = serializers.CharField()
    name = serializers.CharField()
    action = serializers.CharField()
    changes = ChangeSerializer(many=True)
    unkept = serializers.ListField(child=serializers.CharField())
    disturbs = serializers.ListField(child=serializers.CharField())


class RemarkSerializer(serializers.Serializer):
    """`code` is left-out, no-effect, not-kept, address-taken or later."""

    device = serializers.CharField()
    name = serializers.CharField()
    code = serializers.CharField()
    message = serializers.CharField()


class PlanSerializer(serializers.Serializer):
    """`state` is making, ready, failed or cancelled; `used` is the run that carried it out."""

    id = serializers.CharField()
    kind = serializers.CharField()
    state = serializers.CharField()
    message = serializers.CharField()
    used = serializers.CharField(allow_blank=True)
    digest = serializers.CharField()
    steps = PlanStepSerializer(many=True)
    remarks = RemarkSerializer(many=True)
    seconds = serializers.FloatField()
    disturbs = serializers.ListField(child=serializers.CharField())


class RunStepSerializer(serializers.Serializer):
    ordinal = serializers.IntegerField()
    device = serializers.CharField()
    name = serializers.CharField()
    action = serializers.CharField()
    state = serializers.CharField()
    message = serializers.CharField()
    code = serializers.CharField()
    changes = ChangeSerializer(many=True)
    disturbs = serializers.ListField(child=serializers.CharField())

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "try": serializers.CharField()}


class RunSerializer(serializers.Serializer):
    id = serializers.CharField()
    kind = serializers.CharField()
    by = serializers.CharField()
    state = serializers.CharField()
    message = serializers.CharField()
    params = serializers.DictField()
    progress = serializers.DictField()
    result = serializers.DictField()
    cancelling = serializers.BooleanField()
    created = serializers.DateTimeField()
    ended = serializers.DateTimeField(allow_null=True)
    steps = RunStepSerializer(many=True, required=False)


class WorkSerializer(serializers.Serializer):
    """What a plan or run is asked for. `plan` is the id of the one that is approved by this."""

    kind = serializers.ChoiceField(list(KINDS))
    devices = serializers.ListField(child=serializers.CharField(max_length=200), required=False, max_length=5000)
    lines = serializers.ListField(child=serializers.CharField(max_length=80), required=False, max_length=200)
    backup = serializers.CharField(required=False, allow_blank=True, max_length=12)
    run = serializers.CharField(required=False, max_length=12)
    baseline = serializers.BooleanField(required=False, default=False)
    keep = serializers.BooleanField(required=False, default=True)
    plan = serializers.CharField(required=False, allow_blank=True, max_length=12)
    over_later = serializers.BooleanField(required=False, default=False)


def _asked(request: Request) -> Asked:
    form = WorkSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    return Asked(form.validated_data, request.user.get_username(), request, engine().library)


def names_of(ids: set[str]) -> dict[str, str]:
    return dict(Device.objects.filter(id__in=ids).values_list("id", "name"))


class PlansView(APIView):
    write_role = Role.VIEWER  # a plan writes nothing

    @extend_schema(request=WorkSerializer, responses={202: PlanSerializer})
    def post(self, request: Request) -> Response:
        """Begin to make a plan; a run reads the devices for it. GET tells when it is ready."""
        asked = _asked(request)
        kind = asked.data["kind"]
        if kind not in PLANNED:
            raise RequestError(f"A {kind} writes nothing, so it has no plan.")
        run = create_run("plan", asked.by, {"kind": kind, **PLANNED[kind].order(asked)}, [])
        engine().submit(run.id)
        return Response(plan_as_dict(run, None, {}), 202)


class PlanView(APIView):
    @extend_schema(responses=PlanSerializer)
    def get(self, request: Request, ident: str) -> Response:
        run = Run.objects.filter(id=ident, kind="plan").first()
        if run is None:
            raise NotFound(f"There is no plan {ident!r}.")
        plan = Plan.objects.filter(id=ident).first()
        return Response(plan_as_dict(run, plan, names_of({step["device"] for step in plan.steps} if plan else set())))


class RunsView(APIView):
    @extend_schema(responses=RunSerializer(many=True))
    def get(self, request: Request) -> Response:
        runs = Run.objects.exclude(kind="plan").order_by("-created")[:MAX_RUNS]
        return Response([run_as_dict(run, steps=False) for run in runs])

    @extend_schema(request=WorkSerializer, responses=RunSerializer)
    def post(self, request: Request) -> Response:
        asked = _asked(request)
        run = KINDS[asked.data["kind"]].begin(asked)
        engine().submit(run.id)
        return Response(run_as_dict(run, names=names_of({s.device for s in run.steps.all()})), 201)


def find_run(ident: str) -> Run:
    run = Run.objects.filter(id=ident).first()
    if run is None:
        raise NotFound(f"There is no run {ident!r}.")
    return run


class RunView(APIView):
    @extend_schema(responses=RunSerializer)
    def get(self, request: Request, ident: str) -> Response:
        run = find_run(ident)
        return Response(run_as_dict(run, names=names_of({s.device for s in run.steps.all()})))


class CancelView(APIView):
    @extend_schema(request=None, responses=RunSerializer)
    def post(self, request: Request, ident: str) -> Response:
        run = find_run(ident)
        if run.state not in LIVE:
            raise Conflict("That run has ended already.")
        Run.objects.filter(id=ident).update(cancel=True)
        engine().do({"do": "stop", "run": ident})
        run.refresh_from_db()
        return Response(run_as_dict(run))


class JournalEntrySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    time = serializers.DateTimeField()
    by = serializers.CharField()
    device = serializers.CharField()
    name = serializers.CharField()
    run = serializers.CharField()
    action = serializers.CharField()
    intent = serializers.CharField()
    address = serializers.CharField()
    outcome = serializers.CharField()
    message = serializers.CharField()
    changes = ChangeSerializer(many=True)
    hash = serializers.CharField()


class JournalSerializer(serializers.Serializer):
    entries = JournalEntrySerializer(many=True)
    whole = serializers.BooleanField()


class JournalView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("device", str), OpenApiParameter("run", str)], responses=JournalSerializer
    )
    def get(self, request: Request) -> Response:
        entries = JournalEntry.objects.order_by("-id")
        if request.query_params.get("run"):
            entries = entries.filter(run=request.query_params["run"])
        if ident := request.query_params.get("device"):
            record = Device.objects.filter(id=ident).first()
            entries = entries.filter(device__in=[ident, *(record.was if record else [])])
        told = [{"intent": "", **entry.as_dict()} for entry in entries[:MAX_JOURNAL]]
        names = names_of({entry["device"] for entry in told})
        for entry in told:
            entry["name"] = names.get(entry["device"], entry["device"])
            entry["changes"] = shown(entry["changes"])
        return Response({"entries": told, "whole": journal.broken_at() is None})


def _line(ident: int, kind: str, data: dict[str, Any]) -> bytes:
    return b"id: %d\nevent: %s\ndata: %s\n\n" % (ident, kind.encode(), orjson.dumps(data))


async def _stream(last: int) -> AsyncIterator[bytes]:
    hub = engine().events
    yield b"retry: 1000\n\n"
    while True:
        seen = hub.version
        batch = await sync_to_async(after)(last)
        for ident, kind, data in batch:
            last = ident
            yield _line(ident, kind, data)
        if not batch and not await hub.changed(seen, KEEP_ALIVE_S):
            yield b": still here\n\n"


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Server-Sent Events from Last-Event-ID on; without it, from now on."""
    user = await request.auser()
    if not user.is_authenticated:
        return JsonResponse(body("signed-out", "You are not signed in.", "Sign in."), status=401)
    given = request.headers.get("Last-Event-ID") or request.GET.get("last", "")
    last = int(given) if given.isdecimal() and len(given) < 16 else await sync_to_async(newest_id)()
    response = StreamingHttpResponse(_stream(last), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    return response
