"""Presets, locks and EDIDs."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role
from netloom_server.base.forms import checked
from netloom_server.host.engine import engine
from netloom_server.installation.models import Device
from netloom_server.installation.services import records
from netloom_server.routing.api import shapes
from netloom_server.routing.api.routing import asks, noted, signed_by, states_of, take
from netloom_server.routing.services import edids, locks, presets, site


class PresetsView(APIView):
    @extend_schema(responses=shapes.PresetsSerializer, parameters=[OpenApiParameter("ask", bool)])
    def get(self, request: Request) -> Response:
        """Ours, and the devices' own as far as they tell them now."""
        devices = presets.with_own(site.devices_with_jacks(engine().library), engine().library)
        states, _ = states_of(devices, ask=asks(request))
        return Response({"presets": presets.listed(), "own": presets.own(devices, states, engine().library)})

    @extend_schema(request=shapes.NewPresetSerializer, responses=shapes.MadeSerializer)
    def post(self, request: Request) -> Response:
        """Keep cells under a name: those given, or the crosspoints of devices as they are now."""
        data = checked(shapes.NewPresetSerializer, request)
        cells = [dict(cell) for cell in data.get("cells", [])]
        if data.get("devices"):
            cells += self._as_they_are([records.resolve(word) for word in data["devices"]])
        made = presets.keep(data["name"], cells, signed_by(request), engine().library, over=data["over"])
        noted("", made.by, "preset", f"Kept the preset {made.name}: {len(made.cells)} cells")
        return Response({"id": made.id})

    @staticmethod
    def _as_they_are(devices: list[Device]) -> list[dict[str, str]]:
        states, troubles = states_of(devices, ask=True)
        cells = []
        for one in devices:
            points = presets.crosspoints(one, engine().library)
            if not points:
                raise RequestError(f"{one.name} has no crosspoint.", "Choose a device that has. Nothing was kept.")
            told = states.get(one.id, {})
            if lost := [point for point in points if point not in told]:
                why = troubles.get(one.id) or f"it does not tell {lost[0]}."
                raise RequestError(f"What {one.name} has now is not known: {why}", "Try again. Nothing was kept.")
            cells += [{"device": one.id, "point": point, "state": told[point]} for point in points]
        return cells


class PresetView(APIView):
    @extend_schema(responses=shapes.ComparedPresetSerializer, parameters=[OpenApiParameter("ask", bool)])
    def get(self, request: Request, ident: str) -> Response:
        """Each cell beside what is there now."""
        found = presets.by_word(ident)
        devices = list(Device.objects.filter(id__in={cell["device"] for cell in found.cells}))
        states, _ = states_of(devices, ask=asks(request))
        cells = presets.compared(found, states, engine().library)
        return Response({"id": found.id, "name": found.name, "cells": cells})

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        found = presets.by_word(ident)
        noted("", signed_by(request), "preset", f"Dropped the preset {found.name}: {len(found.cells)} cells")
        found.delete()
        return Response(status=204)


class RecallView(APIView):
    @extend_schema(request=shapes.RecallSerializer, responses=shapes.TakesSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """All of it at once, or a part; every cell has its word."""
        data = checked(shapes.RecallSerializer, request)
        found = presets.by_word(ident)
        rows = list(zip(found.cells, presets.compared(found, {}, engine().library), strict=True))
        if "devices" in data:
            only = {records.resolve(word).id for word in data["devices"]}
            rows = [row for row in rows if row[0]["device"] in only]
        if "points" in data:
            wanted = {(device, point) for device, point in data["points"]}
            rows = [row for row in rows if (row[1]["device"], row[1]["point"]) in wanted]
        cells = [{"device": c["device"], "point": c["path"], "state": c["state"]} for c, _ in rows]
        if not cells:
            raise RequestError(f"Nothing of {found.name} is chosen.", "Choose some of its cells. Nothing was driven.")
        return Response(take(cells, signed_by(request)))


class LocksView(APIView):
    @extend_schema(responses=shapes.LocksSerializer)
    def get(self, request: Request) -> Response:
        return Response({"locks": locks.shown(engine().library)})

    @extend_schema(request=shapes.NewLockSerializer, responses=shapes.MadeSerializer)
    def post(self, request: Request) -> Response:
        data = checked(shapes.NewLockSerializer, request)
        device = records.resolve(data["device"])
        by = signed_by(request)
        made = locks.lock(device, data["point"], data["state"], data["why"], by, engine().library)
        noted(device.id, by, "lock", f"Locked {made.path}{f' against {made.state}' if made.state else ''}: {made.why}")
        return Response({"id": str(made.id)})


class LockView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        number = int(ident) if ident.isascii() and ident.isdecimal() and len(ident) < 12 else 0
        by, role = signed_by(request), getattr(request.user, "role", "")
        gone = locks.unlock(number, by, lead=role == Role.LEAD)
        noted(gone.device_id, by, "lock", f"Unlocked {gone.path}: {gone.why}")
        return Response(status=204)


class EdidsView(APIView):
    @extend_schema(responses=shapes.StoredEdidsSerializer)
    def get(self, request: Request) -> Response:
        kept = edids.StoredEdid.objects.all()
        return Response({"edids": [shapes.StoredEdidSerializer(one).data for one in kept]})

    @extend_schema(request=shapes.KeepEdidSerializer, responses=shapes.StoredEdidSerializer)
    def post(self, request: Request) -> Response:
        """Keep one by name; a damaged one is refused."""
        data = checked(shapes.KeepEdidSerializer, request)
        made = edids.keep(data["name"], data["text"], data["origin"], signed_by(request))
        return Response(shapes.StoredEdidSerializer(made).data)


class EdidView(APIView):
    @extend_schema(responses=shapes.EdidSerializer)
    def get(self, request: Request, ident: str) -> Response:
        kept = edids.by_word(ident)
        return Response(edids.shown(*edids.read(kept.octets)))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        edids.by_word(ident).delete()
        return Response(status=204)


class ReadEdidView(APIView):
    write_role = Role.VIEWER  # it changes nothing

    @extend_schema(request=shapes.EdidTextSerializer, responses=shapes.EdidSerializer)
    def post(self, request: Request) -> Response:
        """What it says and what is wrong with it; nothing is kept."""
        return Response(edids.shown(*edids.read(checked(shapes.EdidTextSerializer, request)["text"])))


class EdidsAtView(APIView):
    @extend_schema(responses=shapes.EdidsAtSerializer, parameters=[OpenApiParameter("ask", bool)])
    def get(self, request: Request, word: str) -> Response:
        """What each input of a device shows, beside the displays that are behind it now."""
        device = records.resolve(word)
        devices = site.devices_with_jacks(engine().library)
        states, _ = states_of(devices, ask=asks(request))
        whole = site.site(engine().library, states, devices)
        thing = whole.things.get(device.id)
        return Response({"inputs": edids.at_inputs(whole, thing) if thing is not None else []})
