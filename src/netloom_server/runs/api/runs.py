"""Plans and runs."""

from __future__ import annotations

import logging
from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role
from netloom_server.base.asked import number
from netloom_server.base.forms import checked
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.host.engine import engine
from netloom_server.installation.services.labels import Labels
from netloom_server.installation.services.records import names_of
from netloom_server.runs.api.shapes import (
    AnswerSerializer,
    PlanSerializer,
    RehearsalSerializer,
    RunSerializer,
    RunStepsSerializer,
    WorkSerializer,
)
from netloom_server.runs.kinds.base import Asked
from netloom_server.runs.kinds.registry import KINDS, PLANNED
from netloom_server.runs.models import LIVE, Plan, Run
from netloom_server.runs.services.rehearsing import rehearse
from netloom_server.runs.services.runs import (
    counts_of,
    create_run,
    plan_as_dict,
    run_as_dict,
    run_in_short,
    steps_as_dicts,
)

MAX_RUNS = 50
log = logging.getLogger("netloom.runs")
PAGE = 500


def _asked(request: Request) -> Asked:
    return Asked(checked(WorkSerializer, request), request.user.get_username(), request, engine().library)


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
        devices = {step["device"] for step in plan.steps} if plan else set()
        return Response(plan_as_dict(run, plan, names_of(devices), Labels(devices, engine().library)))


class RehearsalView(APIView):
    write_role = Role.VIEWER  # it writes nothing

    @extend_schema(request=None, responses=RehearsalSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """Play a stored plan on devices in memory, made of what the real ones were last read to have."""
        return Response(rehearse(ident, engine().library, engine().abilities))


class RunsView(APIView):
    @extend_schema(responses=RunSerializer(many=True))
    def get(self, request: Request) -> Response:
        runs = list(Run.objects.exclude(kind="plan").order_by("-number")[:MAX_RUNS])
        counts = counts_of(runs)
        return Response([run_in_short(run, counts) for run in runs])

    @extend_schema(request=WorkSerializer, responses={201: RunSerializer})
    def post(self, request: Request) -> Response:
        asked = _asked(request)
        run = KINDS[asked.data["kind"]].begin(asked)
        engine().submit(run.id)
        log.info("run %s, a %s, was asked for", run.id, run.kind)
        return Response(whole_run(run), 201)


def find_run(ident: str) -> Run:
    run = Run.objects.filter(id=ident).first()
    if run is None:
        raise NotFound(f"There is no run {ident!r}.")
    return run


def whole_run(run: Run) -> dict[str, Any]:
    return {**run_as_dict(run), "steps": steps_as_dicts(run)}


class RunView(APIView):
    @extend_schema(parameters=[OpenApiParameter("steps", bool)], responses=RunSerializer)
    def get(self, request: Request, ident: str) -> Response:
        """With `steps` false without its steps: those are had page by page."""
        run = find_run(ident)
        return Response(run_as_dict(run) if request.query_params.get("steps") == "false" else whole_run(run))


class StepsView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("after", int), OpenApiParameter("limit", int)], responses=RunStepsSerializer
    )
    def get(self, request: Request, ident: str) -> Response:
        """Steps in order, a page at a time: `next` is what to ask for `after`, none after the last page."""
        after, limit = number(request, "after", -1), min(max(number(request, "limit", PAGE), 1), PAGE)
        steps = steps_as_dicts(find_run(ident), after=after, limit=limit + 1)
        more = len(steps) > limit
        return Response({"steps": steps[:limit], "next": steps[limit - 1]["ordinal"] if more else None})


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


class AnswerView(APIView):
    @extend_schema(request=AnswerSerializer, responses=RunSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """What a person saw or did, to a step that waits for it. Refused where none does."""
        run, data = find_run(ident), checked(AnswerSerializer, request)
        told = {"do": "answer", "run": run.id, "by": request.user.get_username(), **data}
        engine().do(told)
        return Response(run_as_dict(run))
