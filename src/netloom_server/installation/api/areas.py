"""Areas: places as people name them, one inside of another."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.base.forms import checked
from netloom_server.base.problems import NotFound
from netloom_server.host.engine import engine
from netloom_server.installation.api import shapes
from netloom_server.installation.api import survey_shapes as survey
from netloom_server.installation.models import Area
from netloom_server.installation.services import areas


def find(ident: int | None) -> Area | None:
    if ident is None:
        return None
    area = Area.objects.filter(id=ident).first()
    if area is None:
        raise NotFound("There is no such area.", "`netloom areas` lists them.")
    return area


def need(ident: int) -> Area:
    area = find(ident)
    assert area is not None  # only None finds none
    return area


def shown(area: Area) -> dict[str, object]:
    return {"id": area.id, "name": area.name, "parent": area.parent_id, "archived": area.archived is not None}


def _changed() -> None:
    engine().events.put("devices", {})


class AreasView(APIView):
    @extend_schema(responses=shapes.AreaSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response([shown(area) for area in Area.objects.order_by("id")])

    @extend_schema(request=survey.NewAreaSerializer, responses={201: shapes.AreaSerializer})
    def post(self, request: Request) -> Response:
        data = checked(survey.NewAreaSerializer, request)
        area = areas.create(data["name"], find(data.get("parent")))
        _changed()
        return Response(shown(area), 201)


class AreaView(APIView):
    @extend_schema(request=survey.EditAreaSerializer, responses=shapes.AreaSerializer)
    def patch(self, request: Request, pk: int) -> Response:
        """Another name, inside of another area, archived or brought back."""
        area, data = need(pk), checked(survey.EditAreaSerializer, request)
        if "parent" in data:
            data["parent"] = find(data["parent"])
        areas.edit(area, data)
        _changed()
        return Response(shown(area))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        """Its devices are in the area around it, or in none."""
        area = need(pk)
        areas.merge(area, area.parent)
        _changed()
        return Response(status=204)


class MergeAreaView(APIView):
    @extend_schema(request=survey.MergeAreaSerializer, responses=shapes.AreaSerializer)
    def post(self, request: Request, pk: int) -> Response:
        """Its devices, and what is inside of it, go to another area, and it is gone."""
        into = need(checked(survey.MergeAreaSerializer, request)["into"])
        areas.merge(need(pk), into)
        _changed()
        return Response(shown(into))
