"""Lines, devices, and what people decide about them."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

import orjson
from django.conf import settings
from django.db import transaction
from django.db.models import Count
from django.http import HttpResponse, HttpResponseBase
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_core.run.drive import short_name
from netloom_server.accounts.models import Role
from netloom_server.accounts.permissions import has_role
from netloom_server.base.forms import checked
from netloom_server.base.problems import Conflict, NoRight, NotFound, StillGoing
from netloom_server.base.shared import Shared
from netloom_server.host.engine import engine
from netloom_server.host.events import newest_id
from netloom_server.installation.api import areas, shapes
from netloom_server.installation.models import Area, Device, Installation, Line
from netloom_server.installation.services import decisions, fitting, lines, present, records
from netloom_server.installation.services.fitting import unit_of
from netloom_server.runs.models import LIVE, Lease

READ_S = 20.0  # of those that were taken in: on a bus where many are silent it takes longer


def devices_answer(request: Request) -> HttpResponseBase:
    roster = engine().roster
    packed = "gzip" in request.headers.get("Accept-Encoding", "")
    if (asked := request.headers.get("If-None-Match", "")) and asked == roster.tag():
        answer = HttpResponse(status=304)
        answer["ETag"] = asked
    else:
        tag, body = roster.whole(packed=packed)
        answer = HttpResponse(body, content_type="application/json")
        answer["ETag"] = tag
        if packed:
            answer["Content-Encoding"] = "gzip"
    answer["Vary"] = "Accept-Encoding, Cookie, Authorization"
    answer["Cache-Control"] = "private, no-cache"
    return answer


def overview() -> bytes:
    site = Installation.objects.first()
    holders = engine().owners
    last = newest_id()  # first, so that whoever follows from there misses nothing
    told = {
        "installation": site.name if site else "New installation",
        "demo": settings.LOOPBACK_ONLY,
        "areas": [areas.shown(area) for area in Area.objects.order_by("id")],
        "lines": [
            present.line_as_dict(line, holders.holder(line.id), engine().library)
            for line in present.in_order(Line.objects.filter(archived=None).select_related("parent", "access"))
        ],
        "archived": [
            {
                "id": line.id,
                "name": line.name,
                "kind": line.kind,
                "where": line.network or line.path,
                "devices": line.devices__count,
                "since": line.archived,
            }
            for line in Line.objects.exclude(archived=None).annotate(Count("devices")).order_by("name")
        ],
        "last_event": last,
    }
    return orjson.dumps(told)


OVERVIEW = Shared(overview)


class OverviewView(APIView):
    @extend_schema(responses=shapes.OverviewSerializer)
    def get(self, request: Request) -> HttpResponseBase:
        return HttpResponse(OVERVIEW.get(), content_type="application/json")


class DevicesView(APIView):
    @extend_schema(responses={200: shapes.DevicesSerializer, 304: None})
    def get(self, request: Request) -> HttpResponseBase:
        """Rendered once for each change and shared; who sends the tag that it has is told when nothing changed."""
        return devices_answer(request)

    @extend_schema(request=shapes.NewDeviceSerializer, responses={201: shapes.DeviceSerializer})
    def post(self, request: Request) -> Response:
        """Plan a device before it is there."""
        data = checked(shapes.NewDeviceSerializer, request)
        library = engine().library
        profile = library.need(data["profile"])
        line = Line.objects.filter(id=data["line"]).first() or Line.objects.filter(name__iexact=data["line"]).first()
        if line is None:
            raise NotFound(f"There is no line {data['line']!r}.")
        lines.in_use(line)
        device = Device.objects.create(
            name=decisions.unique_name(data["name"]),
            profile=profile.id,
            line=line,
            area=areas.find(data.get("area")),
            taken_in=True,
            status="planned",
        )
        if data.get("address"):
            try:
                decisions.set_addresses([(device.id, data["address"], "")], library)
            except RequestError:
                fitting.remove(device)
                raise
            device.refresh_from_db()
            device.address, device.speed = data["address"], line.speed if line.kind == "serial" else 0
            device.save(update_fields=["address", "speed"])
        return Response(present.device_as_dict(device, library), 201)


class DeviceView(APIView):
    @extend_schema(parameters=[OpenApiParameter("live", bool)], responses=shapes.WholeDeviceSerializer)
    def get(self, request: Request, word: str) -> Response:
        device = records.resolve(word)
        states: dict[str, str] = {}
        if request.query_params.get("live") and device.identity_key and device.line_id:
            states = engine().do({"do": "states", "device": device.id})["states"]
        return Response(present.whole_device(device, engine().library, states))

    @extend_schema(request=shapes.EditDeviceSerializer, responses=shapes.DeviceSerializer)
    def patch(self, request: Request, word: str) -> Response:
        device = records.resolve(word)
        data = checked(shapes.EditDeviceSerializer, request)
        device = _edited(device.id, data)
        return Response(present.device_as_dict(device, engine().library))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, word: str) -> Response:
        """Take a record out of the picture. Its backups and its journal stay."""
        device = records.resolve(word)
        if Lease.objects.filter(device=device.id, run__state__in=LIVE).exists():
            raise Conflict(f"A run is working on {device.name}.", "Wait until it has ended.")
        ident = device.id
        fitting.remove(device)
        engine().forget(ident)
        return Response(status=204)


@transaction.atomic
def _edited(ident: str, data: dict[str, Any]) -> Device:
    """Change what was named, on the version that was seen; whatever else changed meanwhile stays."""
    device = Device.objects.get(id=ident)
    if data.get("version") is not None and data["version"] != device.version:
        raise Conflict(f"Somebody else changed {device.name} while you did.", "Look at it again, then repeat.")
    fields = ["version"]
    if "name" in data:
        device.name = decisions.unique_name(data["name"], device.id)
        fields.append("name")
    if "area" in data:
        device.area = areas.find(data["area"])
        fields.append("area")
    if "profile" in data:
        fields += decisions.say(device, data["profile"], engine().library)
    device.version += 1
    device.save(update_fields=fields)
    return device


class TakeInView(APIView):
    @extend_schema(request=shapes.TakeInSerializer, responses=shapes.DevicesSerializer)
    def post(self, request: Request) -> Response:
        data = checked(shapes.TakeInSerializer, request)
        area, library = areas.find(data.get("area")), engine().library
        found = records.chosen(data["devices"])
        taken = []
        with transaction.atomic():  # all of them, or none
            for number, device in enumerate(found, 1):
                name = decisions.own_name(device)
                if data.get("name"):
                    name = decisions.named(data["name"], number, device, area, library, many=len(found) > 1)
                taken.append(decisions.take_in(device, name, area, data.get("stands_for") or "", library))
        with suppress(StillGoing):  # they are taken in; what the others have comes as it is read
            engine().do({"do": "read", "devices": [d.id for d in taken if records.can_be_read(d, library)]}, READ_S)
        result = []
        for device in taken:
            device.refresh_from_db()
            result.append(present.device_as_dict(device, library))
        return Response({"devices": result})


class IntendedView(APIView):
    @extend_schema(request=shapes.IntendedSerializer, responses=shapes.DevicesSerializer)
    def post(self, request: Request) -> Response:
        data = checked(shapes.IntendedSerializer, request)
        changes = [
            (c["device"], c["path"], decisions.FORGET if c["forget"] else c.get("value")) for c in data["changes"]
        ]
        devices = decisions.set_intended(changes, engine().library, data.get("versions"), request.user.get_username(),
                                         fill=data.get("fill", False))  # fmt: skip
        return Response({"devices": [present.device_as_dict(device, engine().library) for device in devices]})


class AddressesView(APIView):
    @extend_schema(request=shapes.AddressesSerializer, responses=shapes.DevicesSerializer)
    def post(self, request: Request) -> Response:
        data = checked(shapes.AddressesSerializer, request)
        devices = decisions.set_addresses(
            [(a["device"], a["address"], a.get("line", "")) for a in data["assignments"]], engine().library
        )
        return Response({"devices": [present.device_as_dict(device, engine().library) for device in devices]})


class CertificateView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, word: str) -> Response:
        """Forget which certificate it is known by: the next one that it shows is taken."""
        unit = unit_of(records.resolve(word))
        unit.pins = {name: pin for name, pin in unit.pins.items() if name != "tls"}
        unit.save(update_fields=["pins"])
        return Response(status=204)


class DriveView(APIView):
    @extend_schema(request=shapes.DriveSerializer, responses=shapes.DrivenSerializer)
    def post(self, request: Request, word: str) -> Response:
        device = records.resolve(word)
        data = checked(shapes.DriveSerializer, request)
        by = request.user.get_username()
        profile = engine().library.get(device.profile)
        point = short_name(profile, data["point"]) if profile else data["point"]
        command = {"do": "drive", "device": device.id, "point": point, "state": data["state"], "by": by}
        if data.get("over"):
            if not has_role(request.user, Role.LEAD):
                raise NoRight("Only a lead takes a point over from whoever holds it.", "Ask them to let it go.")
            command["over"] = True
        if "seconds" in data:
            command.pop("over", None)
            command |= {"do": "hold", "seconds": data["seconds"]}
        done = engine().do(command)
        return Response({**done, "state": done.get("states", {}).get(point, "")})


class LetGoView(APIView):
    @extend_schema(request=shapes.LetGoSerializer, responses={204: None})
    def post(self, request: Request, word: str) -> Response:
        """Let go of a point that is held; one that is not is let be."""
        device = records.resolve(word)
        point = checked(shapes.LetGoSerializer, request)["point"]
        engine().do({"do": "let go", "device": device.id, "point": point})
        return Response(status=204)


class WatchManyView(APIView):
    write_role = Role.VIEWER

    @extend_schema(request=shapes.WatchManySerializer, responses=shapes.StatesOfManySerializer)
    def post(self, request: Request) -> Response:
        """Keep live states of many devices coming as `points` events for 45 s; gives what is known."""
        data = checked(shapes.WatchManySerializer, request)
        return Response(engine().do({"do": "look", "devices": data["devices"]}))


class WatchView(APIView):
    write_role = Role.VIEWER

    @extend_schema(request=None, responses=shapes.StatesSerializer)
    def post(self, request: Request, word: str) -> Response:
        """Keep live states coming as `points` events for 45 s."""
        device = records.resolve(word)
        return Response(engine().do({"do": "watch", "device": device.id}))
