"""Signing in and out, and people."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError as PasswordTrouble
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from django.views.decorators.http import require_GET
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.errors import RequestError
from netloom_server.accounts.models import Role, SignInLink, User
from netloom_server.base.forms import Form
from netloom_server.base.problems import Conflict, NotFound, body


class PersonSerializer(serializers.ModelSerializer):
    class Meta:
        model = User
        fields = ["id", "username", "role"]
        read_only_fields = ["id", "username"]


class SignInSerializer(Form):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200)


class NewPersonSerializer(Form):
    username = serializers.RegexField(r"^[\w.@+-]{1,64}$", max_length=64)
    role = serializers.ChoiceField(Role.choices)
    password = serializers.CharField(max_length=200)


class LinkSerializer(Form):
    path = serializers.CharField()


@method_decorator(ensure_csrf_cookie, name="get")
class SessionView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(responses=PersonSerializer)
    def get(self, request: Request) -> Response:
        if not request.user.is_authenticated:
            return Response(body("signed-out", "You are not signed in.", "Sign in."), 401)
        return Response(PersonSerializer(request.user).data)

    @extend_schema(request=SignInSerializer, responses=PersonSerializer)
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        form = SignInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        user = authenticate(request._request, **form.validated_data)
        if user is None:
            locked = bool(getattr(request._request, "axes_locked_out", False))
            message = "Too many wrong attempts." if locked else "User name and password do not fit."
            hint = "Wait a quarter of an hour." if locked else "Try again, or ask a lead for a new password."
            return Response(body("wrong-sign-in", message, hint), 403)
        login(request._request, user)
        return Response(PersonSerializer(user).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


class PeopleView(APIView):
    read_role = Role.LEAD
    write_role = Role.LEAD

    @extend_schema(responses=PersonSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(PersonSerializer(User.objects.order_by("username"), many=True).data)

    @extend_schema(request=NewPersonSerializer, responses=PersonSerializer)
    def post(self, request: Request) -> Response:
        form = NewPersonSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        data: dict[str, Any] = form.validated_data
        if User.objects.filter(username=data["username"]).exists():
            raise Conflict(f"There is a person named {data['username']} already.", "Choose another name.")
        try:
            validate_password(data["password"])
        except PasswordTrouble as error:
            raise RequestError(" ".join(error.messages), "Choose another password.") from error
        user = User.objects.create_user(data["username"], password=data["password"], role=data["role"])
        return Response(PersonSerializer(user).data, 201)


class PersonView(APIView):
    write_role = Role.LEAD

    @extend_schema(request=PersonSerializer, responses=PersonSerializer)
    def patch(self, request: Request, pk: int) -> Response:
        user = User.objects.filter(pk=pk).first()
        if user is None:
            raise NotFound("There is no such person.")
        form = PersonSerializer(user, data=request.data, partial=True)
        form.is_valid(raise_exception=True)
        form.save()
        return Response(form.data)


class LinkView(APIView):
    write_role = Role.LEAD

    @extend_schema(request=None, responses=LinkSerializer)
    def post(self, request: Request, username: str) -> Response:
        """A one-time sign-in link for a person, to hand over."""
        user = User.objects.filter(username=username, is_active=True).first()
        if user is None:
            raise NotFound(f"There is no person named {username}.")
        return Response({"path": f"/signin/{SignInLink.make(user)}"})


@require_GET
def sign_in_link(request: HttpRequest, token: str) -> HttpResponse:
    """Opens the door once; an old link leads to the sign-in page, which says so."""
    user = SignInLink.use(token[:200])
    if user is None:
        return HttpResponseRedirect("/?link=used")
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    return HttpResponseRedirect("/")
