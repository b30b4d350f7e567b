"""The survey's API: why something is not there, who is who, lists, watch mode."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from drf_spectacular.utils import OpenApiParameter, OpenApiTypes, extend_schema
from rest_framework.parsers import FileUploadParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.absence.case import who
from netloom_core.absence.explain import explain
from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role
from netloom_server.base.apart import read_apart
from netloom_server.base.forms import checked
from netloom_server.base.problems import Conflict
from netloom_server.base.tables import MAX_BYTES
from netloom_server.base.uploads import kept_for_a_moment, uploaded
from netloom_server.host.engine import engine
from netloom_server.installation.api import survey_shapes as shapes
from netloom_server.installation.api.lines import line_in_use
from netloom_server.installation.api.shapes import DevicesSerializer
from netloom_server.installation.models import Change, Device, Installation
from netloom_server.installation.services import decisions, expected, present, records
from netloom_server.installation.services.lines import in_use
from netloom_server.installation.services.search import find_settings
from netloom_server.installation.services.why import Cases, look, remembered
from netloom_server.runs.models import LIVE, Lease

CHANGES_SHOWN = 200
WHY_S = 25.0


class WhyView(APIView):
    write_role = Role.VIEWER

    @extend_schema(request=shapes.WhySerializer, responses=shapes.ReasonsSerializer)
    def post(self, request: Request) -> Response:
        """Make the tests for one device, or for an address that nobody has, and rank what they tell."""
        data = checked(shapes.WhySerializer, request)
        if data.get("device"):
            device: Device | None = records.resolve(data["device"])
            if device is None or device.line is None:
                raise RequestError("That device is on no line.", "Say which line it is on.")
            line, address = device.line, device.address
            in_use(line)
        else:
            line, address = line_in_use(data.get("line", "")), data.get("address", "")
            if not line.as_core().holds(address):
                raise RequestError(f"{address or 'Nothing'} is no address on {line.name}.", "Look at the line's range.")
            device = Device.objects.filter(line=line, address=address).first()
        now = engine().call(engine().core.look_again(line.id, address), WHY_S)
        cases = Cases(engine().library, [*now.findings, *remembered(but=now.findings)], now.troubles)
        case = cases.of(device) if device else cases.at(line, address)
        absent = engine().call(explain(case), WHY_S)
        there = next((f for f in now.findings if f.address == address), None)
        return Response(
            {
                "name": case.name,
                "there": f"{who(there, {})} answers there now, by {', '.join(there.methods)}." if there else "",
                "reasons": [reason.as_dict() for reason in absent.reasons],
            }
        )


class LightsView(APIView):
    @extend_schema(request=shapes.LookedSerializer, responses={201: shapes.MeansSerializer})
    def post(self, request: Request, word: str) -> Response:
        """What somebody sees a light of the device do, as evidence; and what it means."""
        data = checked(shapes.LookedSerializer, request)
        device = records.resolve(word)
        by = request.user.get_username()
        told = look(device, data["printed"], data["pattern"], data["colour"], by, engine().library)
        return Response(told, status=201)


class FindView(APIView):
    @extend_schema(parameters=[OpenApiParameter("q", str)], responses=shapes.FoundSerializer)
    def get(self, request: Request) -> Response:
        """Settings of the whole installation, by label, place or value: `pulse time > 1`."""
        settings, count = find_settings(request.query_params.get("q", ""), engine().library)
        return Response({"settings": settings, "count": count})


class JoinView(APIView):
    @extend_schema(request=shapes.JoinSerializer, responses=DevicesSerializer)
    def post(self, request: Request, word: str) -> Response:
        """Say that two records are one device."""
        data = checked(shapes.JoinSerializer, request)
        device, other = records.resolve(word), records.resolve(data["other"])
        ids = [device.id, other.id]
        _not_working(device, other)
        joined = decisions.join(device, other)
        engine().forget(*ids)
        engine().events.put("devices", {})
        return Response({"devices": [present.device_as_dict(joined, engine().library)]})


class PartView(APIView):
    @extend_schema(request=shapes.PartSerializer, responses=DevicesSerializer)
    def post(self, request: Request, word: str) -> Response:
        """Say that some keys belong to another device; it shows itself at the next sweep."""
        device = records.resolve(word)
        parted = decisions.part(device, checked(shapes.PartSerializer, request)["keys"])
        return Response({"devices": [present.device_as_dict(parted, engine().library)]})


def _not_working(*devices: Device) -> None:
    ids = [device.id for device in devices]
    if Lease.objects.filter(device__in=ids, run__state__in=LIVE).exists():
        raise Conflict("A run is working on one of the two.", "Wait until it has ended.")


class ExpectedView(APIView):
    @extend_schema(request=shapes.ExpectedTextSerializer, responses=shapes.ExpectedSerializer)
    def post(self, request: Request) -> Response:
        """Look at a pasted list; with `plan` also make planned devices of its good rows."""
        data = checked(shapes.ExpectedTextSerializer, request)
        with kept_for_a_moment(data["text"].encode()) as path:
            return Response(_looked_at(path, "pasted.csv", plan=data["plan"]))


class ExpectedFileView(APIView):
    parser_classes = [FileUploadParser]

    @extend_schema(
        operation_id="expected_file_create",
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses=shapes.ExpectedSerializer,
    )
    def post(self, request: Request, name: str) -> Response:
        """The same for a CSV or XLSX file; add `?plan=1` to plan."""
        with uploaded(request, MAX_BYTES) as path:
            return Response(_looked_at(path, name, plan=bool(request.query_params.get("plan"))))


def _looked_at(path: Path, name: str, *, plan: bool) -> dict[str, Any]:
    library = engine().library
    rows = expected.rows_of(read_apart("list", path, name), library)
    made = expected.plan(rows, library) if plan else []
    if made:
        engine().events.put("devices", {})
    return {"rows": [row.as_dict() for row in rows], "planned": [device.id for device in made]}


class WatchModeView(APIView):
    @extend_schema(responses=shapes.WatchModeSerializer)
    def get(self, request: Request) -> Response:
        site = Installation.objects.first()
        return Response({"minutes": site.watch_minutes if site else 0})

    @extend_schema(request=shapes.WatchModeSerializer, responses=shapes.WatchModeSerializer)
    def put(self, request: Request) -> Response:
        """Sweep all lines by itself every so many minutes; 0 for never."""
        minutes = checked(shapes.WatchModeSerializer, request)["minutes"]
        site = Installation.objects.first() or Installation.objects.create(name="New installation")
        site.watch_minutes = minutes
        site.save(update_fields=["watch_minutes"])
        engine().events.put("watch", {"minutes": minutes})
        return Response({"minutes": minutes})


class ChangesView(APIView):
    @extend_schema(responses=shapes.ComingSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Comings and goings, newest first."""
        return Response(
            [
                {"time": c.time.isoformat(), "device": c.device_id or "", "name": c.name, "line": c.line,
                 "address": c.address, "what": c.what}
                for c in Change.objects.order_by("-id")[:CHANGES_SHOWN]
            ]
        )  # fmt: skip
