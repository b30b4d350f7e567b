"""By what devices are got into: of one device by level, of all of a model, of the whole installation. Never read."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.installation.models import Credential, SharedLogin
from netloom_server.installation.services import access, logins, records


class CredentialSerializer(Form):
    """`level` is empty for the usual code."""

    level = serializers.CharField(max_length=30, required=False, allow_blank=True, default="")
    user = serializers.CharField(max_length=120, allow_blank=True)
    password = serializers.CharField(max_length=400, allow_blank=True, trim_whitespace=False)


class NewSharedLoginSerializer(CredentialSerializer):
    """`profile` is empty for all devices of the installation that have such a code."""

    profile = serializers.CharField(max_length=60, required=False, allow_blank=True, default="")


class SharedLoginSerializer(Form):
    id = serializers.IntegerField()
    profile = serializers.CharField()
    level = serializers.CharField()
    user = serializers.CharField()
    set_by = serializers.CharField()
    set_at = serializers.DateTimeField()


class SharedLoginsSerializer(Form):
    logins = SharedLoginSerializer(many=True)


class CredentialView(APIView):
    @extend_schema(request=CredentialSerializer, responses={204: None})
    def put(self, request: Request, word: str) -> Response:
        """Save how Netloom gets into the device. It can be replaced, never read."""
        device = records.resolve(word)
        data = checked(CredentialSerializer, request)
        level = logins.level_named(engine().library.get(device.profile), data["level"])
        logins.save(device, level, data["user"], data["password"], request.user.get_username())
        access.forget_refusals(device)
        return Response(status=204)

    @extend_schema(parameters=[OpenApiParameter("level", str)], responses={204: None})
    def delete(self, request: Request, word: str) -> Response:
        """Back to what its model, the installation or its factory has."""
        device = records.resolve(word)
        level = logins.level_named(engine().library.get(device.profile), request.query_params.get("level", "")[:30])
        Credential.objects.filter(device=device, level=level).delete()
        return Response(status=204)


class SharedLoginsView(APIView):
    @extend_schema(responses=SharedLoginsSerializer)
    def get(self, request: Request) -> Response:
        """Which logins there are for many devices, without their codes."""
        rows = SharedLogin.objects.order_by("profile", "level")
        return Response({"logins": SharedLoginSerializer(rows, many=True).data})

    @extend_schema(request=NewSharedLoginSerializer, responses=SharedLoginSerializer)
    def put(self, request: Request) -> Response:
        data = checked(NewSharedLoginSerializer, request)
        by = request.user.get_username()
        made = logins.save_shared(data["profile"], data["level"], data["user"], data["password"], by, engine().library)
        access.forget_all_refusals()
        return Response(SharedLoginSerializer(made).data)


class SharedLoginView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, ident: str) -> Response:
        logins.forget_shared(int(ident) if ident.isascii() and ident.isdecimal() and len(ident) < 12 else 0)
        return Response(status=204)
