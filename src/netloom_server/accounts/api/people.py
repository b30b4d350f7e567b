"""People, and the links by which they come in for the first time."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from netloom_core.model.work import JournalEntry
from netloom_server.accounts.models import Role, SignInLink, User
from netloom_server.accounts.services import people, second
from netloom_server.base.forms import Form, checked
from netloom_server.host.engine import engine
from netloom_server.runs.services import journal
from netloom_server.runs.services.journal import in_one_act


class PersonSerializer(Form):
    id = serializers.IntegerField(read_only=True)
    username = serializers.CharField(read_only=True)
    role = serializers.ChoiceField(Role.choices)
    active = serializers.BooleanField(source="is_active")
    second_factor = serializers.BooleanField(source="second_proven", read_only=True)


class EditPersonSerializer(Form):
    role = serializers.ChoiceField(Role.choices, required=False)
    active = serializers.BooleanField(required=False)
    password = serializers.CharField(max_length=200, required=False, trim_whitespace=False)
    second_factor = serializers.BooleanField(required=False)  # only to take it away


class NewPersonSerializer(Form):
    username = serializers.RegexField(r"^[\w.@+-]{1,64}$", max_length=64)
    role = serializers.ChoiceField(Role.choices)
    password = serializers.CharField(max_length=200, required=False, allow_blank=True, trim_whitespace=False)


class LinkSerializer(Form):
    path = serializers.CharField()


def noted(request: Request, message: str) -> None:
    """What somebody did with people stands in the journal."""
    by = request.user.get_username()
    journal.append(
        JournalEntry(
            kind="act", run="", device="", line="", address="", action="people", by=by, intent="", message=message
        )
    )
    engine().events.people_changed()


class PeopleView(APIView):
    read_role = Role.LEAD
    write_role = Role.LEAD

    @extend_schema(responses=PersonSerializer(many=True))
    def get(self, request: Request) -> Response:
        return Response(PersonSerializer(User.objects.order_by("username"), many=True).data)

    @extend_schema(request=NewPersonSerializer, responses={201: PersonSerializer})
    @in_one_act
    def post(self, request: Request) -> Response:
        data = checked(NewPersonSerializer, request)
        user = people.add(data["username"], data["role"], data.get("password", ""))
        noted(request, f"added {user.username} as {user.role}")
        return Response(PersonSerializer(user).data, 201)


class PersonView(APIView):
    write_role = Role.LEAD

    @extend_schema(request=EditPersonSerializer, responses=PersonSerializer)
    @in_one_act
    def patch(self, request: Request, pk: int) -> Response:
        data: dict[str, Any] = checked(EditPersonSerializer, request)
        user = people.change(people.find(pk), role=data.get("role"), active=data.get("active"))
        told = []
        if "role" in data:
            told.append(f"{user.username} is {user.role} now")
        if "active" in data:
            told.append(f"{user.username} {'may sign in' if user.is_active else 'may not sign in any more'}")
        if data.get("password"):
            user = people.set_password(user, data["password"])
            told.append(f"gave {user.username} a new password")
        if data.get("second_factor") is False:
            second.drop(user)
            user.refresh_from_db()
            told.append(f"took the second factor of {user.username} away")
        noted(request, "; ".join(told) or f"looked at {user.username}")
        return Response(PersonSerializer(user).data)


class SessionsView(APIView):
    write_role = Role.LEAD

    @extend_schema(request=None, responses={204: None})
    @in_one_act
    def delete(self, request: Request, pk: int) -> Response:
        """End all sessions of a person, with their tokens and links."""
        user = people.find(pk)
        people.end_sessions(user)
        noted(request, f"ended all sessions of {user.username}")
        return Response(status=204)


class LinkView(APIView):
    write_role = Role.LEAD

    @extend_schema(request=None, responses=LinkSerializer)
    @in_one_act
    def post(self, request: Request, username: str) -> Response:
        """A one-time sign-in link for a person, to hand over."""
        user = people.named(username)
        if not user.is_active:
            people.change(user)  # says what stands in the way, if anything
        path = f"/signin/{SignInLink.make(user)}"
        noted(request, f"made a one-time link for {user.username}")
        return Response({"path": path})
