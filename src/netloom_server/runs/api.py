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
from netloom_core.model.work import StepState
from netloom_server.accounts.models import Role
from netloom_server.accounts.permissions import has_role
from netloom_server.config.problems import Conflict, NoRight, NotFound, body
from netloom_server.engine.engine import engine
from netloom_server.engine.events import after, newest_id
from netloom_server.installation.models import Device, Line
from netloom_server.installation.records import can_be_read, chosen
from netloom_server.runs import planning
from netloom_server.runs.models import LIVE, JournalEntry, Run
from netloom_server.runs.services import create_run, journal_break, run_as_dict

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
    device = serializers.CharField()
    name = serializers.CharField()
    message = serializers.CharField()


class PlanSerializer(serializers.Serializer):
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


KINDS = ("sweep", "read", "apply", "restore", "undo", "backup", "verify")


class WorkSerializer(serializers.Serializer):
    """What a plan or run is asked for."""

    kind = serializers.ChoiceField(KINDS)
    devices = serializers.ListField(child=serializers.CharField(max_length=200), required=False, max_length=5000)
    lines = serializers.ListField(child=serializers.CharField(max_length=80), required=False, max_length=200)
    backup = serializers.CharField(required=False, allow_blank=True, max_length=12)
    run = serializers.CharField(required=False, max_length=12)
    baseline = serializers.BooleanField(required=False, default=False)
    keep = serializers.BooleanField(required=False, default=True)
    plan = serializers.CharField(required=False, allow_blank=True, max_length=64)


def names_of(ids: set[str]) -> dict[str, str]:
    return dict(Device.objects.filter(id__in=ids).values_list("id", "name"))


def line_ids(words: list[str]) -> list[str]:
    ids = []
    for word in words:
        line = Line.objects.filter(id=word).first() or Line.objects.filter(name__iexact=word).first()
        if line is None:
            raise NotFound(f"There is no line {word!r}.", "`netloom lines` lists them.")
        ids.append(line.id)
    return ids


def _planned(data: dict[str, Any]) -> tuple[planning.Plan, dict[str, Any]]:
    words = data.get("devices") or []
    if data["kind"] == "apply":
        plan = planning.plan_apply(words, engine(), keep=data["keep"])
        return plan, {"devices": words, "asked": plan.read if words else {}}
    if data["kind"] == "restore":
        if len(words) != 1:
            raise RequestError("A restore is for one device at a time.", "Name one device.")
        plan, backup = planning.plan_of_backup(words[0], data.get("backup") or "", engine())
        return plan, {"backup": backup, "devices": words}
    if data["kind"] == "undo":
        return planning.plan_undo(data.get("run") or "", engine()), {"run": data.get("run")}
    raise RequestError(f"A {data['kind']} writes nothing, so it has no plan.")


class PlansView(APIView):
    write_role = Role.VIEWER  # a plan writes nothing

    @extend_schema(request=WorkSerializer, responses=PlanSerializer)
    def post(self, request: Request) -> Response:
        form = WorkSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        plan, _ = _planned(form.validated_data)
        return Response(plan.as_dict(names_of({step.device for step in plan.steps})))


class RunsView(APIView):
    @extend_schema(responses=RunSerializer(many=True))
    def get(self, request: Request) -> Response:
        runs = Run.objects.order_by("-created")[:MAX_RUNS]
        return Response([run_as_dict(run, steps=False) for run in runs])

    @extend_schema(request=WorkSerializer, responses=RunSerializer)
    def post(self, request: Request) -> Response:
        form = WorkSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        run = self._begin(form.validated_data, request)
        engine().submit(run.id)
        return Response(run_as_dict(run, names=names_of({s.device for s in run.steps.all()})), 201)

    def _begin(self, data: dict[str, Any], request: Request) -> Run:
        by = request.user.get_username()
        kind = data["kind"]
        if kind == "sweep":
            lines = line_ids(data.get("lines") or [])
            if not Line.objects.exists():
                raise RequestError("There is no line to sweep yet.", "Add one first.")
            for other in Run.objects.filter(kind="sweep", state__in=LIVE):
                if not lines or not other.params.get("lines") or set(lines) & set(other.params["lines"]):
                    raise Conflict("A sweep of these lines is under way already.", "Wait for it, or stop it.")
            return create_run(kind, by, {"lines": lines}, [])
        if kind in ("read", "backup", "verify"):
            if data["baseline"] and not has_role(request.user, Role.LEAD):
                raise NoRight("Only a lead approves a baseline.", "Back up without --baseline, or ask a lead.")
            devices = [d for d in chosen(data.get("devices")) if can_be_read(d, engine().library)]
            if not data.get("devices") and kind == "backup":
                devices = [d for d in devices if d.identity_key]
            if not devices:
                raise RequestError("There is no device for that yet.", "Sweep, and take in what was found.")
            action = "backup" if kind == "backup" else "read"
            steps = [StepState(n, d.id, action, {"baseline": data["baseline"]}) for n, d in enumerate(devices)]
            return create_run(kind, by, {"baseline": data["baseline"]}, steps)
        plan, params = _planned(data)
        planning.same_as_shown(plan, data.get("plan") or "")
        busy = Run.objects.filter(state__in=LIVE, steps__device__in={s.device for s in plan.steps}).exclude(
            kind="sweep"
        )
        if busy.exists():
            raise Conflict("Another run is working on one of these devices.", "Wait until it has ended.")
        return create_run(kind, by, {**params, "remarks": plan.remarks}, plan.steps)


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
        engine().call(_stop(ident))
        run.refresh_from_db()
        return Response(run_as_dict(run))


async def _stop(ident: str) -> None:
    engine().jobs.stop(ident)


class JournalEntrySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    time = serializers.DateTimeField()
    by = serializers.CharField()
    device = serializers.CharField()
    name = serializers.CharField()
    run = serializers.CharField()
    action = serializers.CharField()
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
        for name in ("device", "run"):
            if request.query_params.get(name):
                entries = entries.filter(**{name: request.query_params[name]})
        shown = [entry.as_dict() for entry in entries[:MAX_JOURNAL]]
        names = names_of({entry["device"] for entry in shown})
        for entry in shown:
            entry["name"] = names.get(entry["device"], entry["device"])
        return Response({"entries": shown, "whole": journal_break() is None})


def _line(ident: int, kind: str, data: dict[str, Any]) -> bytes:
    return b"id: %d\nevent: %s\ndata: %s\n\n" % (ident, kind.encode(), orjson.dumps(data))


async def _stream(last: int) -> AsyncIterator[bytes]:
    hub = engine().events
    yield b"retry: 1000\n\n"
    while True:
        batch = await sync_to_async(after)(last)
        for ident, kind, data in batch:
            last = ident
            yield _line(ident, kind, data)
        if not batch and not await hub.changed(KEEP_ALIVE_S):
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
