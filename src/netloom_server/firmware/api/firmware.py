"""The library of firmware files, what is wanted of models, and devices against both."""

from __future__ import annotations

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import FileUploadParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role
from netloom_server.base.forms import checked
from netloom_server.base.problems import NotFound
from netloom_server.base.unpacking import plain
from netloom_server.base.uploads import uploaded
from netloom_server.firmware.api import shapes
from netloom_server.firmware.models import FirmwareFile, ModelFirmware
from netloom_server.firmware.services import aside, files, standing
from netloom_server.host.engine import engine
from netloom_server.installation.services import records

MAX_UPLOAD = 256_000_000


class FirmwareView(APIView):
    @extend_schema(responses=shapes.FirmwareLibrarySerializer)
    def get(self, request: Request) -> Response:
        library = engine().library
        kept = [files.as_dict(file, library) for file in FirmwareFile.objects.all()]
        return Response({"files": kept, "models": standing.models(library)})


class FirmwareImportView(APIView):
    parser_classes = [FileUploadParser]

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("source", str)],
        responses={201: shapes.FirmwareTakenSerializer},
    )
    def post(self, request: Request, name: str) -> Response:
        """Import a file, or all that are in a zip or tar. Nothing of it is executed."""
        source = request.query_params.get("source", "")[:200]
        with uploaded(request, MAX_UPLOAD) as path:
            told = files.take_in(path, plain(name), request.user.get_username(), source, engine().library)
        return Response(told, 201)


class FirmwareFileView(APIView):
    @extend_schema(responses=shapes.FirmwareFileSerializer)
    def get(self, request: Request, ident: str) -> Response:
        return Response(files.as_dict(files.find(ident), engine().library))

    @extend_schema(request=shapes.MarkSerializer, responses=shapes.FirmwareFileSerializer)
    def patch(self, request: Request, ident: str) -> Response:
        """What people say of it: which version, for which model, that it is not to be used and why."""
        library = engine().library
        return Response(files.as_dict(files.mark(ident, checked(shapes.MarkSerializer, request), library), library))

    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        files.remove(ident)
        return Response(status=204)


class ModelFirmwareView(APIView):
    @extend_schema(request=shapes.WantSerializer, responses=shapes.ModelFirmwareSerializer)
    def put(self, request: Request, profile: str) -> Response:
        """Which version of a model is current, and which it has at least to have."""
        library, data = engine().library, checked(shapes.WantSerializer, request)
        known = library.get(profile)
        if known is None or known.firmware is None:
            raise NotFound(f"Nothing is known of the firmware of {profile[:60]!r}.")
        for version in (data["current"], data["least"]):
            if version and known.firmware.key(version) is None:
                raise RequestError(f"{version!r} is no version as a {known.model} counts them.", "Nothing was changed.")
        if data["least"] and not data["why"]:
            raise RequestError("Why does it need at least that version?", "Say it in a few words. Nothing was changed.")
        ModelFirmware.objects.update_or_create(profile=known.id, defaults={**data, "by": request.user.get_username()})
        return Response(next(one for one in standing.models(library) if one["profile"] == known.id))


class DevicesFirmwareView(APIView):
    @extend_schema(responses=shapes.DevicesFirmwareSerializer)
    def get(self, request: Request) -> Response:
        return Response({"devices": standing.of_all(engine().library)})


class DeviceFirmwareView(APIView):
    write_role = Role.VIEWER

    @extend_schema(responses=shapes.FirmwareOfDeviceSerializer)
    def get(self, request: Request, word: str) -> Response:
        device, library = records.resolve(word), engine().library
        return Response({**standing.on_its_bench(device, library), "aside": aside.aside_of(device, library)})


class AsideView(APIView):
    @extend_schema(request=shapes.TakeBackSerializer, responses={204: None})
    def post(self, request: Request, word: str, ident: str) -> Response:
        """Decide some of it anew for the model of now; nothing is written yet."""
        device, paths = records.resolve(word), checked(shapes.TakeBackSerializer, request)["paths"]
        aside.take_back(device, ident, paths, engine().library)
        return Response(status=204)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, word: str, ident: str) -> Response:
        """It is not needed any more."""
        aside.find(records.resolve(word), ident).delete()
        return Response(status=204)
