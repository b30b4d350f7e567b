"""Backups, and archives that come in."""

from __future__ import annotations

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.parsers import FileUploadParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.backup.archive import MAX_ARCHIVE, Archive, ArchivedBackup
from netloom_server.accounts.models import Role
from netloom_server.backups.models import Backup
from netloom_server.backups.services import backups as services
from netloom_server.base.apart import read_apart
from netloom_server.base.forms import Form, checked
from netloom_server.base.paging import page_of
from netloom_server.base.uploads import uploaded
from netloom_server.host.engine import engine
from netloom_server.runs.services import journal


class BackupSerializer(Form):
    id = serializers.CharField()
    device = serializers.CharField(allow_null=True)
    name = serializers.CharField()
    model = serializers.CharField()
    serial = serializers.CharField()
    firmware = serializers.CharField()
    address = serializers.CharField()
    line = serializers.CharField()
    taken = serializers.DateTimeField()
    by = serializers.CharField()
    baseline = serializers.BooleanField()
    digest = serializers.CharField()
    unkept = serializers.BooleanField()
    holes = serializers.ListField(child=serializers.CharField())
    word = serializers.CharField()

    def get_fields(self) -> dict[str, serializers.Field]:
        return {**super().get_fields(), "label": serializers.CharField()}


class BackupsSerializer(Form):
    backups = BackupSerializer(many=True)
    next = serializers.CharField(allow_null=True)


class PairSerializer(Form):
    path = serializers.CharField()
    first = serializers.JSONField(allow_null=True)
    second = serializers.JSONField(allow_null=True)


class ComparisonSerializer(Form):
    first = BackupSerializer()
    second = BackupSerializer()
    differences = PairSerializer(many=True)


class EditBackupSerializer(Form):
    def get_fields(self) -> dict[str, serializers.Field]:
        return {"label": serializers.CharField(max_length=120, allow_blank=True)}


class ArchiveSerializer(Form):
    whole = serializers.BooleanField()
    installation = serializers.CharField()
    backups = serializers.IntegerField()
    documents = serializers.IntegerField()
    journal = serializers.CharField()  # whether its head is in the journal here: fits, differs, ahead, none
    added = serializers.IntegerField(required=False)


class BackupsView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("run", str), OpenApiParameter("page", str)], responses=BackupsSerializer
    )
    def get(self, request: Request) -> Response:
        """Newest first; `next` is the path of the next page."""
        found = Backup.objects.all()
        if request.query_params.get("run"):
            found = found.filter(run=request.query_params["run"])
        page, following = page_of(found, request, "-number", "-id")
        return Response({"backups": [services.backup_as_dict(backup) for backup in page], "next": following})


class BackupView(APIView):
    @extend_schema(request=EditBackupSerializer, responses=BackupSerializer)
    def patch(self, request: Request, ident: str) -> Response:
        backup = services.find_backup(ident)
        backup.label = checked(EditBackupSerializer, request)["label"]
        backup.save(update_fields=["label"])
        return Response(services.backup_as_dict(backup))


class CompareView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("first", str, required=True), OpenApiParameter("second", str, required=True)],
        responses=ComparisonSerializer,
    )
    def get(self, request: Request) -> Response:
        first = services.find_backup(request.query_params.get("first", ""))
        second = services.find_backup(request.query_params.get("second", ""))
        return Response(
            {
                "first": services.backup_as_dict(first),
                "second": services.backup_as_dict(second),
                "differences": services.compare(first, second),
            }
        )


def _read(request: Request) -> Archive:
    with uploaded(request, MAX_ARCHIVE) as path:
        found = read_apart("archive", path)
    backups = [ArchivedBackup(**backup) for backup in found["backups"]]
    return Archive(found["installation"], backups, found["documents"], found["journal"])


class ImportView(APIView):
    parser_classes = [FileUploadParser]
    write_role = Role.LEAD

    @extend_schema(request={"application/zip": OpenApiTypes.BINARY}, responses=ArchiveSerializer)
    def post(self, request: Request, name: str = "") -> Response:
        archive = _read(request)
        added, _ = services.from_archive(archive)
        engine().events.put("backup", {})
        return Response(
            {
                "whole": True,
                "installation": archive.installation,
                "backups": len(archive.backups),
                "documents": len(archive.documents),
                "journal": journal.knows(archive.journal),
                "added": added,
            }
        )


class CheckView(APIView):
    parser_classes = [FileUploadParser]
    write_role = Role.VIEWER

    @extend_schema(request={"application/zip": OpenApiTypes.BINARY}, responses=ArchiveSerializer)
    def post(self, request: Request, name: str = "") -> Response:
        archive = _read(request)
        return Response(
            {
                "whole": True,
                "installation": archive.installation,
                "backups": len(archive.backups),
                "documents": len(archive.documents),
                "journal": journal.knows(archive.journal),
            }
        )
