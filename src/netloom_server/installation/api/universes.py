"""DMX universes of a network: who listens where, which port sends what, and the patch sheet both ways."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpResponse
from drf_spectacular.utils import OpenApiParameter, OpenApiTypes, extend_schema
from rest_framework.parsers import FileUploadParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.addressing.universes import Fixture
from netloom_core.library.load import Library
from netloom_core.model.universe import shown
from netloom_server.base.apart import read_apart
from netloom_server.base.forms import checked
from netloom_server.base.tables import MAX_BYTES
from netloom_server.base.uploads import uploaded
from netloom_server.host.engine import engine
from netloom_server.installation.api import universe_shapes as shapes
from netloom_server.installation.api.lines import find_line, line_in_use
from netloom_server.installation.api.place_shapes import DecidedSerializer
from netloom_server.installation.models import Device
from netloom_server.installation.services import patching, universes
from netloom_server.installation.services.places import Site
from netloom_server.installation.services.records import resolve, resolve_all


def _fixture(one: Fixture, device: Device, library: Library) -> dict[str, Any]:
    profile = library.get(device.profile)
    model = patching.model_of(profile) if profile is not None else None
    called = model.named if model is not None else {}
    sizes = model.sizes if model is not None else {}
    data = asdict(one)
    data["personalities"] = [
        {"value": value, "called": label, "slots": sizes.get(value, 0)} for value, label in called.items()
    ]
    return {**data, "last": one.last, "version": device.version}


class UniversesView(APIView):
    @extend_schema(responses=shapes.UniversesSerializer)
    def get(self, request: Request, ident: str) -> Response:
        line, library = find_line(ident), engine().library
        there = Site(library, [line.id]).universes(line.id) if line.archived is None else None
        if there is None:
            return Response({"universes": [], "fixtures": [], "outputs": []})
        devices = Device.objects.in_bulk({*(one.device for one in there.fixtures), *(o.device for o in there.outputs)})
        named = [
            {
                "number": number,
                "shown": shown(number),
                "name": there.rules_of(number).name,
                "twice": there.rules_of(number).twice,
                "free": there.free(number),
            }
            for number in there.numbers
        ]
        fixtures = [_fixture(one, devices[one.device], library) for one in there.fixtures]
        outputs = [
            {**asdict(one), "called": one.label, "used": there.used(one), "version": devices[one.device].version}
            for one in there.outputs
        ]
        return Response({"universes": named, "fixtures": fixtures, "outputs": outputs})


class ProposeView(APIView):
    @extend_schema(request=shapes.ToPatchSerializer, responses=shapes.PatchesSerializer)
    def post(self, request: Request) -> Response:
        """Where fixtures would listen by the rules of their universes, and why. Decides nothing."""
        data = checked(shapes.ToPatchSerializer, request)
        idents = list(dict.fromkeys(device.id for device in resolve_all(data["devices"]).values()))
        versions = dict(Device.objects.filter(id__in=idents).values_list("id", "version"))
        site = Site(engine().library, Device.objects.filter(id__in=idents).values_list("line_id", flat=True))
        made = [one for ident in site.lines for one in site.universes(ident).propose(idents, data["universe"])]
        return Response(
            {"proposals": [{**asdict(one), "stays": one.stays, "version": versions[one.device]} for one in made]}
        )


class DecideView(APIView):
    @extend_schema(request=shapes.DecidePatchSerializer, responses=DecidedSerializer)
    def post(self, request: Request) -> Response:
        """Decide universe, start address, personality, and with whom slots are shared: all, or none."""
        given = checked(shapes.DecidePatchSerializer, request)["assignments"]
        versions = {one["device"]: one["version"] for one in given if "version" in one}
        wanted = [(one["device"], {k: v for k, v in one.items() if k not in ("device", "version")}) for one in given]
        devices = universes.decide(wanted, versions, engine().library)
        return Response({"devices": [device.id for device in devices]})


class PortView(APIView):
    @extend_schema(request=shapes.PortSendsSerializer, responses=DecidedSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """Decide which universe a port of a node sends. It is written by a plan, as all decisions are."""
        data = checked(shapes.PortSendsSerializer, request)
        line_in_use(ident)
        device = resolve(data["device"])
        versions = {device.id: data["version"]} if "version" in data else {}
        devices = universes.port_sends(device, data["path"], data["universe"], versions, engine().library)
        return Response({"devices": [one.id for one in devices]})


class SheetView(APIView):
    parser_classes = [FileUploadParser]

    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request, ident: str, name: str) -> HttpResponse:
        """The patch sheet of a network as CSV."""
        body = patching.sheet_of(find_line(ident), engine().library)
        headers = {"Content-Disposition": 'attachment; filename="patch.csv"'}
        return HttpResponse(body, "text/csv; charset=utf-8", headers=headers)

    @extend_schema(
        parameters=[OpenApiParameter("decide", bool)],
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses=shapes.SheetSerializer,
    )
    def post(self, request: Request, ident: str, name: str) -> Response:
        """What a changed sheet, CSV or XLSX, would change; with `?decide=1` its good rows are decided."""
        line, library = line_in_use(ident), engine().library
        with uploaded(request, MAX_BYTES) as path:
            rows = patching.look_at(line, read_apart("list", path, name), library)
        decided = patching.take_over(line, rows, library) if request.query_params.get("decide") else []
        return Response({"rows": [asdict(row) for row in rows], "decided": len(decided)})
