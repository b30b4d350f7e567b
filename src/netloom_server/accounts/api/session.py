"""One's own session: signing in and out, password, second factor, tokens for scripts."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.signals import user_login_failed
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
from netloom_server.accounts.api.people import PersonSerializer, noted
from netloom_server.accounts.models import AccessToken, Role, SignInLink, User
from netloom_server.accounts.services import people, second, tokens
from netloom_server.base.forms import Form, checked
from netloom_server.base.problems import NoRight, NotFound, body
from netloom_server.host.engine import engine

BACKEND = "django.contrib.auth.backends.ModelBackend"


class SignInSerializer(Form):
    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200, trim_whitespace=False)
    code = serializers.CharField(max_length=12, required=False, allow_blank=True)


class NewPasswordSerializer(Form):
    old = serializers.CharField(max_length=200, allow_blank=True, trim_whitespace=False)
    new = serializers.CharField(max_length=200, trim_whitespace=False)


class ProofSerializer(Form):
    code = serializers.CharField(max_length=12)
    active = serializers.BooleanField(default=True)


class SecondFactorSerializer(Form):
    address = serializers.CharField()
    key = serializers.CharField()


class NewTokenSerializer(Form):
    name = serializers.CharField(max_length=60)
    role = serializers.ChoiceField(Role.choices)
    days = serializers.IntegerField(min_value=1, max_value=tokens.MOST_DAYS, default=90)


class TokenSerializer(Form):
    id = serializers.IntegerField()
    name = serializers.CharField()
    role = serializers.CharField()
    made = serializers.DateTimeField()
    expires = serializers.DateTimeField()
    used = serializers.DateTimeField(allow_null=True)
    token = serializers.CharField(required=False)  # once, when it is made


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
        data = checked(SignInSerializer, request)
        user = authenticate(request._request, username=data["username"], password=data["password"])
        if not isinstance(user, User):
            hint = "Try again, or ask a lead for a one-time link."
            return Response(body("wrong-sign-in", "User name and password do not fit.", hint), 403)
        if user.second_proven:
            if not data.get("code"):
                return Response(
                    body("second-factor", "A code of your app is needed, too.", "Type its six digits."), 403
                )
            if not second.fits(user, data["code"]):
                failed = {"username": user.username}  # counts like a wrong password
                user_login_failed.send(__name__, credentials=failed, request=request._request)
                hint = "Each code can be used once. Type the next one that your app shows."
                return Response(body("wrong-code", "That code is not the one of now.", hint), 403)
        login(request._request, user, backend=BACKEND)
        return Response(PersonSerializer(user).data)

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        engine().events.people_changed()
        return Response(status=204)


def me(request: Request) -> User:
    """Whoever asks, as a person. Raises NoRight for a token: it could make itself more than it is."""
    if isinstance(request.auth, AccessToken):
        raise NoRight("A token cannot change how its person gets in.", "Sign in, and do it there.")
    user = User.objects.filter(username=request.user.get_username()).first()
    if user is None:
        raise NotFound("There is no such person.")
    return user


class PasswordView(APIView):
    write_role = Role.VIEWER

    @extend_schema(request=NewPasswordSerializer, responses={204: None})
    def post(self, request: Request) -> Response:
        """Change one's own password. All other sessions of the same person end."""
        data, user = checked(NewPasswordSerializer, request), me(request)
        if user.has_usable_password() and not user.check_password(data["old"]):
            raise RequestError("The old password is not right. Nothing was changed.", "Type it again.")
        user = people.set_password(user, data["new"])
        if hasattr(request._request, "session"):
            update_session_auth_hash(request._request, user)
        noted(request, "changed the own password")
        return Response(status=204)


class SecondFactorView(APIView):
    write_role = Role.VIEWER

    @extend_schema(request=None, responses=SecondFactorSerializer)
    def post(self, request: Request) -> Response:
        """A new key for one's app. It counts once a code of it was given by PUT."""
        address, key = second.begin(me(request))
        return Response({"address": address, "key": key})

    @extend_schema(request=ProofSerializer, responses={204: None})
    def put(self, request: Request) -> Response:
        """Prove it by a code: from then on one is asked for, or with `active` false no more."""
        data, user = checked(ProofSerializer, request), me(request)
        if data["active"]:
            second.prove(user, data["code"])
            noted(request, "set up a second factor")
            return Response(status=204)
        if user.second_proven and not second.fits(user, data["code"]):
            raise RequestError("That code is not the one of now.", "Type the next one that your app shows.")
        second.drop(user)
        noted(request, "took the own second factor away")
        return Response(status=204)


class TokensView(APIView):
    write_role = Role.VIEWER

    @extend_schema(responses=TokenSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(TokenSerializer(AccessToken.objects.filter(user=me(request)).order_by("name"), many=True).data)

    @extend_schema(request=NewTokenSerializer, responses={201: TokenSerializer})
    def post(self, request: Request) -> Response:
        data, user = checked(NewTokenSerializer, request), me(request)
        made, token = tokens.make(user, data["name"], data["role"], data["days"])
        noted(request, f"made the token {made.name} as {made.role}")
        return Response({**TokenSerializer(made).data, "token": token}, 201)


class TokenView(APIView):
    write_role = Role.VIEWER

    @extend_schema(responses={204: None})
    def delete(self, request: Request, pk: int) -> Response:
        gone, _ = AccessToken.objects.filter(pk=pk, user=me(request)).delete()
        if not gone:
            raise NotFound("There is no such token.")
        noted(request, "took a token back")
        return Response(status=204)


@require_GET
def sign_in_link(request: HttpRequest, token: str) -> HttpResponse:
    """Opens the door once; an old link leads to the sign-in page, which says so."""
    user = SignInLink.use(token[:200])
    if user is None or not user.is_active:
        return HttpResponseRedirect("/?link=used")
    login(request, user, backend=BACKEND)
    return HttpResponseRedirect("/")
