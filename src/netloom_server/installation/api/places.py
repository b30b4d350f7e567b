"""Places on lines: the rules of a line, proposals by them, what is wrong, and the schedule as a table both ways."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import asdict
from typing import Any

from django.http import HttpResponse
from drf_spectacular.utils import OpenApiParameter, OpenApiTypes, extend_schema
from rest_framework.parsers import FileUploadParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.addressing.schedule import Place, as_csv, as_xlsx
from netloom_core.errors import NetloomError
from netloom_server.base.apart import read_apart
from netloom_server.base.forms import checked
from netloom_server.base.problems import NotFound
from netloom_server.base.tables import MAX_BYTES
from netloom_server.base.uploads import uploaded
from netloom_server.host.engine import engine
from netloom_server.installation.api import place_shapes as shapes
from netloom_server.installation.api.lines import find_line, line_in_use
from netloom_server.installation.models import Device
from netloom_server.installation.services import leasing, lines, places, queueing, schedule
from netloom_server.installation.services.records import resolve_all

TABLES: dict[str, tuple[Callable[[Iterable[Place]], str | bytes], str]] = {
    "csv": (as_csv, "text/csv; charset=utf-8"),
    "xlsx": (as_xlsx, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
}
GIVE_S = 15.0
LOOK_S = 40.0


def _do(command: dict[str, Any]) -> dict[str, Any]:
    return engine().do(command, GIVE_S)


class RulesView(APIView):
    @extend_schema(responses=shapes.RulesOfLineSerializer)
    def get(self, request: Request, ident: str) -> Response:
        line = find_line(ident)
        site = places.Site(engine().library, [line.id])
        factory = sorted(site.factory(line.id)) if line.id in site.lines else []
        return Response({"rules": line.rules, "factory": factory})

    @extend_schema(request=shapes.KeepRulesSerializer, responses=shapes.RulesOfLineSerializer)
    def put(self, request: Request, ident: str) -> Response:
        """Which places of the line are whose. No device is told anything, and no decision changes."""
        data = checked(shapes.KeepRulesSerializer, request)
        line = places.keep_rules(find_line(ident).id, data["rules"], data["seen"])
        engine().events.put("lines", {"line": line.id})
        return self.get(request, line.id)


class ProposeView(APIView):
    @extend_schema(request=shapes.DevicesToPlaceSerializer, responses=shapes.ProposalsSerializer)
    def post(self, request: Request) -> Response:
        """What the rules of their lines would give these devices, and why. Decides nothing."""
        words = checked(shapes.DevicesToPlaceSerializer, request)["devices"]
        idents = list(dict.fromkeys(device.id for device in resolve_all(words).values()))
        site = places.Site(engine().library)
        versions = dict(Device.objects.filter(id__in=idents).values_list("id", "version"))
        made = [{**asdict(one), "line": line, "version": versions[one.device]} for line, one in site.propose(idents)]
        return Response({"proposals": made})


class DecideView(APIView):
    @extend_schema(request=shapes.DecideSerializer, responses=shapes.DecidedSerializer)
    def post(self, request: Request) -> Response:
        """Decide what devices are to have, by role: all, or none. It is written by a plan, as all decisions are."""
        given = checked(shapes.DecideSerializer, request)["assignments"]
        versions = {one["device"]: one["version"] for one in given if "version" in one}
        devices = places.decide([(one["device"], one["values"]) for one in given], versions, engine().library)
        return Response({"devices": [device.id for device in devices]})


class TroublesView(APIView):
    @extend_schema(responses=shapes.TroublesSerializer)
    def get(self, request: Request) -> Response:
        """What is wrong with places before anything is written, worst first."""
        return Response({"troubles": [one.as_dict() for one in places.Site(engine().library).troubles()]})


class GivingView(APIView):
    """Answering who asks for an address by BOOTP or DHCP: off until somebody asks for it, on one line, for a while."""

    @extend_schema(responses=shapes.MaybeGivingSerializer)
    def get(self, request: Request, ident: str) -> Response:
        return Response(_do({"do": "giving", "line": find_line(ident).id}))

    @extend_schema(request=shapes.GiveSerializer, responses={201: shapes.MaybeGivingSerializer})
    def post(self, request: Request, ident: str) -> Response:
        minutes = checked(shapes.GiveSerializer, request)["minutes"]
        line = line_in_use(ident)
        by = request.user.get_username()
        return Response(_do({"do": "give", "line": line.id, "minutes": minutes, "by": by}), 201)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        _do({"do": "end giving", "line": find_line(ident).id})
        return Response(status=204)


class AcceptView(APIView):
    @extend_schema(request=shapes.AcceptSerializer, responses=shapes.MaybeGivingSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """Name one that asks and is in no plan: it is given that address from then on, while it lasts."""
        data, line = checked(shapes.AcceptSerializer, request), line_in_use(ident)
        mac = data["mac"].lower().replace("-", ":")
        leasing.may_be_given(line, mac, data["address"], engine().library)
        return Response(_do({"do": "accept", "line": line.id, "mac": mac, "address": data["address"]}))


class QueueView(APIView):
    @extend_schema(request=None, responses=shapes.QueueSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """Look where new units come up on the line, now: who is there, and whom of the planned ones it could be."""
        line, library = line_in_use(ident), engine().library
        waiting = queueing.waiting_on(line, library)
        looked = queueing.places_of_new(line, waiting, library)
        results = [engine().call(engine().core.look_again(line.id, place), LOOK_S) for place in looked]
        came = queueing.came(results, waiting, library)
        return Response({"waiting": queueing.shown_waiting(waiting, library), "looked": looked, "came": came})


class SecondAddressView(APIView):
    """A second address of this computer, to talk to a unit in another subnet on the same cable; for a while."""

    @extend_schema(responses=shapes.BorrowedNowSerializer)
    def get(self, request: Request, ident: str) -> Response:
        return Response(_do({"do": "borrowed", "line": find_line(ident).id}))

    @extend_schema(request=shapes.BorrowSerializer, responses={201: shapes.BorrowedMadeSerializer})
    def post(self, request: Request, ident: str) -> Response:
        data, line = checked(shapes.BorrowSerializer, request), line_in_use(ident)
        command = {"do": "borrow", "line": line.id, **data, "by": request.user.get_username()}
        made = _do(command)["borrowed"]
        try:
            reaches = lines.network_of(made["network"], made["interface"])
        except NetloomError:
            _do({"do": "give back", "line": line.id, "network": made["network"]})
            raise
        engine().events.put("lines", {"line": reaches.id})
        return Response({"borrowed": made, "reaches": reaches.id}, 201)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        _do({"do": "give back", "line": find_line(ident).id})
        return Response(status=204)


class TableView(APIView):
    parser_classes = [FileUploadParser]

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, name: str) -> HttpResponse:
        """The schedule as `addresses.csv` or `addresses.xlsx`."""
        ending = name.rpartition(".")[2].lower()
        if ending not in TABLES:
            raise NotFound(f"There is no table {name[:80]!r}.", "There are addresses.csv and addresses.xlsx.")
        form, kind = TABLES[ending]
        body = form(schedule.places_by_device(engine().library).values())
        return HttpResponse(body, kind, headers={"Content-Disposition": f'attachment; filename="addresses.{ending}"'})

    @extend_schema(
        operation_id="places_table_read",
        parameters=[OpenApiParameter("decide", bool)],
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses=shapes.TableSerializer,
    )
    def post(self, request: Request, name: str) -> Response:
        """What a changed schedule, CSV or XLSX, would change; with `?decide=1` its good rows are decided."""
        library = engine().library
        with uploaded(request, MAX_BYTES) as path:
            rows = schedule.look_at(read_apart("list", path, name), library)
        decided: list[Any] = schedule.take_over(rows, library) if request.query_params.get("decide") else []
        return Response({"rows": [asdict(row) for row in rows], "decided": len(decided)})
