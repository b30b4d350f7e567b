"""Paths, cables, and taking crosspoints."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.model.work import JournalEntry
from netloom_core.routing.site import Thing
from netloom_server.base.forms import checked
from netloom_server.host.engine import engine
from netloom_server.installation.models import Device
from netloom_server.installation.services import records
from netloom_server.routing.api import shapes
from netloom_server.routing.services import cables, proving, showing, site, taking
from netloom_server.runs.services import journal

MOST_WATCHED = 256


def noted(device: str, by: str, action: str, message: str) -> None:
    journal.append_all([JournalEntry("act", "", device, "", "", action, by, "", message=message)])
    engine().events.put("routing", {})


def states_of(devices: list[Device], *, ask: bool) -> tuple[dict[str, dict[str, str]], dict[str, str]]:
    """Live states by device, and why one told none."""
    if not devices:
        return {}, {}
    told = engine().do({"do": "look", "devices": [one.id for one in devices[:MOST_WATCHED]], "ask": ask})
    return told["states"], told["troubles"]


def asks(request: Request) -> bool:
    """Whether devices are asked now, rather than what is known."""
    return request.query_params.get("ask", "") in ("1", "true")


def signed_by(request: Request) -> str:
    return str(request.user.get_username())


class PathsView(APIView):
    @extend_schema(responses=shapes.PathsSerializer, parameters=[OpenApiParameter("ask", bool)])
    def get(self, request: Request) -> Response:
        """What reaches each display and where it stops, by what is known; with `ask` each device is asked first."""
        devices = site.devices_with_jacks(engine().library)
        states, troubles = states_of(devices, ask=asks(request))
        known = site.site(engine().library, states, devices)
        found, pairs = showing.all_paths(known, troubles), showing.all_kits(known)
        unheard = [one.id for one in devices if not states.get(one.id)]
        return Response({"paths": found, "kits": pairs, "troubles": troubles, "unheard": unheard})


class JacksView(APIView):
    @extend_schema(responses=shapes.JacksSerializer)
    def get(self, request: Request) -> Response:
        things = site.site(engine().library, {}).things.values()
        told = [{"device": one.id, "name": one.name, "jacks": site.jacks_of(one)} for one in things]
        return Response({"devices": told})


class CablesView(APIView):
    @extend_schema(responses=shapes.CablesSerializer)
    def get(self, request: Request) -> Response:
        return Response({"cables": cables.shown(engine().library)})

    @extend_schema(request=shapes.NewCableSerializer, responses=shapes.MadeSerializer)
    def post(self, request: Request) -> Response:
        """Write down what is plugged into what."""
        data = checked(shapes.NewCableSerializer, request)
        start, end = (
            (records.resolve(data[f"{way}_device"]) if data[f"{way}_device"] else None, data[f"{way}_jack"].strip())
            for way in ("from", "to")
        )
        made = cables.lay(start, end, signed_by(request), engine().library)
        device = made.target_device_id or made.source_device_id or ""
        noted(device, made.by, "cable", f"Recorded a cable: {cables.told(made, engine().library)}")
        return Response({"id": made.id})


class CableView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        gone = cables.take_off(ident)
        device = gone.target_device_id or gone.source_device_id or ""
        said = cables.told(gone, engine().library)
        noted(device, signed_by(request), "cable", f"Took off a cable: {said}")
        return Response(status=204)


def take(cells: list[dict[str, str]], by: str) -> dict[str, Any]:
    done = engine().do({"do": "take", "cells": cells, "by": by})
    return {"cells": taking.named(done["cells"], engine().library)}


class TakeView(APIView):
    @extend_schema(request=shapes.TakeSerializer, responses=shapes.TakesSerializer)
    def post(self, request: Request) -> Response:
        """Bring crosspoints, or other points, of several devices to states at once; each has its word."""
        data = checked(shapes.TakeSerializer, request)
        return Response(take(taking.asked(data["cells"]), signed_by(request)))


class GridsView(APIView):
    @extend_schema(responses=shapes.GridsSerializer)
    def get(self, request: Request, word: str) -> Response:
        device = records.resolve(word)
        profile = engine().library.get(device.profile)
        if profile is None:
            return Response({"grids": []})
        made = site.site(engine().library, {}, [device])
        thing: Thing = made.things[device.id]
        return Response({"grids": showing.grids(device, thing, engine().library)})


class ProveCableView(APIView):
    @extend_schema(request=None, responses=shapes.ProvenSerializer)
    def post(self, request: Request, ident: str) -> Response:
        """Switch its output off for a moment, and see the signal go and come back."""
        by = signed_by(request)
        cable = cables.by_id(ident)
        said = proving.prove(cable, by, engine().library, engine().do)
        noted(cable.target_device_id or "", by, "cable", f"Proven: {cables.told(cable, engine().library)}: {said}")
        return Response({"proof": said})


class BehindView(APIView):
    @extend_schema(request=shapes.BehindAskedSerializer, responses=shapes.BehindSerializer)
    def post(self, request: Request) -> Response:
        """What is plugged into an output: it is switched off for a moment, and who loses the signal is told."""
        data = checked(shapes.BehindAskedSerializer, request)
        device = records.resolve(data["device"])
        found = proving.found_behind(device, data["jack"], signed_by(request), engine().library, engine().do)
        ends = [{"device": one.id, "name": one.name, "jack": jack, "label": label} for one, jack, label in found]
        return Response({"ends": ends})
