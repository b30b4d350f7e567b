"""The command line's way in: a token from a file that only the owner of the data folder can read."""

from __future__ import annotations

import hmac

from django.conf import settings
from django.http import HttpRequest
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication
from rest_framework.request import Request

from netloom_server.accounts.models import Role, User

OWNER = "owner"


def owner() -> User:
    user, _ = User.objects.get_or_create(username=OWNER, defaults={"role": Role.LEAD})
    return user


def source_of(request: HttpRequest) -> str:
    """Where a request comes from. A proxy's word for it counts only where the server was told of that proxy,
    in which case the server has put it in place already (see main.py)."""
    return str(request.META.get("REMOTE_ADDR", ""))


class OwnerToken(BaseAuthentication):
    def authenticate(self, request: Request) -> tuple[User, None] | None:
        header = request.headers.get("Authorization", "")
        expected = getattr(settings, "OWNER_TOKEN", "")
        if not header.startswith("Bearer ") or not expected:
            return None
        return (owner(), None) if hmac.compare_digest(header[7:].encode(), expected.encode()) else None

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"


class OwnerTokenScheme(OpenApiAuthenticationExtension):
    target_class = "netloom_server.accounts.authentication.OwnerToken"
    name = "ownerToken"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}
