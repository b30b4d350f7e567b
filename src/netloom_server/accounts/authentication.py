"""Ways in by a header: the owner's token, from a file that only the owner of the data folder can read, and tokens
that people made for their scripts."""

from __future__ import annotations

import hmac

from django.conf import settings
from django.http import HttpRequest
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication
from rest_framework.request import Request

from netloom_server.accounts.models import AccessToken, User
from netloom_server.accounts.services import people, tokens

OWNER = "owner"


def owner() -> User:
    return people.the_owner(OWNER)


def source_of(request: HttpRequest) -> str:
    """Where a request comes from. A proxy's word for it counts only where the server was told of that proxy,
    in which case the server has put it in place already (see main.py)."""
    return str(request.META.get("REMOTE_ADDR", ""))


class OwnerToken(BaseAuthentication):
    def authenticate(self, request: Request) -> tuple[User, AccessToken | None] | None:
        header = request.headers.get("Authorization", "")
        if not header.startswith("Bearer "):
            return None
        given = header[7:]
        if given.startswith(tokens.PREFIX):
            return tokens.user_of(given)
        expected = getattr(settings, "OWNER_TOKEN", "")
        good = bool(expected) and hmac.compare_digest(given.encode(), expected.encode())
        return (owner(), None) if good else None

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"


class OwnerTokenScheme(OpenApiAuthenticationExtension):
    target_class = "netloom_server.accounts.authentication.OwnerToken"
    name = "ownerToken"

    def get_security_definition(self, auto_schema: object) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}
