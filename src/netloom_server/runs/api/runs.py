"""Plans and runs."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.host.engine import engine
from netloom_server.installation.services.records import names_of
from netloom_server.runs.api.shapes import PlanSerializer, RunSerializer, WorkSerializer
from netloom_server.runs.kinds.base import Asked
from netloom_server.runs.kinds.registry import KINDS, PLANNED
from netloom_server.runs.models import LIVE, Plan, Run
from netloom_server.runs.services.runs import create_run, plan_as_dict, run_as_dict

MAX_RUNS = 50


def _asked(request: Request) -> Asked:
    form = WorkSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    return Asked(form.validated_data, request.user.get_username(), request, engine().library)


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
