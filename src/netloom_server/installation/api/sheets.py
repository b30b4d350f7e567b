"""Settings of many devices as a table, both ways."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.parsers import FileUploadParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.documents import tables
from netloom_server.accounts.models import Role
from netloom_server.base.apart import read_apart
from netloom_server.base.forms import Form, checked
from netloom_server.base.tables import MAX_BYTES
from netloom_server.base.uploads import uploaded
from netloom_server.host.engine import engine
from netloom_server.installation.api.place_shapes import TableSerializer
from netloom_server.installation.services import sheets
from netloom_server.installation.services.records import chosen

MOST = 2000  # devices in one table
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


class SheetWantedSerializer(Form):
    """`devices` are all without any, `paths` all settings."""

    devices = serializers.ListField(child=serializers.CharField(max_length=120), max_length=MOST, required=False)
    paths = serializers.ListField(child=serializers.CharField(max_length=200), max_length=MOST, required=False)
    form = serializers.ChoiceField(choices=["csv", "xlsx"], default="csv")


class SheetView(APIView):
    write_role = Role.VIEWER

    @extend_schema(request=SheetWantedSerializer, responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def post(self, request: Request) -> HttpResponse:
        """What is decided, else what runs: a row for each device, a column for each setting. Secrets are in none."""
        data = checked(SheetWantedSerializer, request)
        rows = sheets.sheet_of(chosen(data.get("devices")), data.get("paths") or (), engine().library)
        wide = data["form"] == "xlsx"
        body = tables.as_xlsx("Settings", rows) if wide else tables.as_csv(rows)
        name = f"settings.{data['form']}"
        headers = {"Content-Disposition": f'attachment; filename="{name}"'}
        return HttpResponse(body, XLSX if wide else "text/csv; charset=utf-8", headers=headers)


class SettingsTableView(APIView):
    parser_classes = [FileUploadParser]

    @extend_schema(
        operation_id="settings_table_read",
        parameters=[OpenApiParameter("decide", bool)],
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses=TableSerializer,
    )
    def post(self, request: Request, name: str) -> Response:
        """What a changed table of settings, CSV or XLSX, would change; with `?decide=1` its good rows are decided."""
        library = engine().library
        with uploaded(request, MAX_BYTES) as path:
            rows = sheets.look_at(read_apart("wide list", path, name), library)
        decided: list[Any] = []
        if request.query_params.get("decide"):
            decided = sheets.take_over(rows, library, request.user.get_username())
        told = [{name: value for name, value in asdict(row).items() if name != "values"} for row in rows]
        return Response({"rows": told, "decided": len(decided)})
