"""One form for every error of the API: {"error": {code, message, try}}."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.db.utils import OperationalError
from django.http import Http404
from rest_framework import exceptions, status
from rest_framework.response import Response

from netloom_core.errors import AddressTaken, ArchiveDamaged, DeviceError, LinkError, NetloomError, NoAnswer, StalePlan


class NotFound(NetloomError):
    code = "not-found"


class Conflict(NetloomError):
    code = "conflict"


class NoRight(NetloomError):
    code = "no-right"


STATUS: list[tuple[type[NetloomError], int]] = [
    (NotFound, status.HTTP_404_NOT_FOUND),
    (NoRight, status.HTTP_403_FORBIDDEN),
    (Conflict, status.HTTP_409_CONFLICT),
    (AddressTaken, status.HTTP_409_CONFLICT),
    (StalePlan, status.HTTP_409_CONFLICT),
    (ArchiveDamaged, status.HTTP_422_UNPROCESSABLE_ENTITY),
    (NoAnswer, status.HTTP_502_BAD_GATEWAY),
    (DeviceError, status.HTTP_502_BAD_GATEWAY),
    (LinkError, status.HTTP_502_BAD_GATEWAY),
]


def body(code: str, message: str, hint: str) -> dict[str, Any]:
    return {"error": {"code": code, "message": message, "try": hint}}


def _validation(detail: Any, path: str = "") -> str:
    """The first complaint of a serializer with where it is, in plain words."""
    if isinstance(detail, dict):
        for name, inner in detail.items():
            return _validation(inner, f"{path}.{name}" if path else str(name))
    if isinstance(detail, list) and detail:
        return _validation(detail[0], path)
    return f"{path}: {detail}" if path and path != "non_field_errors" else str(detail)


def as_response(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler. What is not known here is a fault of ours and is logged by Django."""
    if isinstance(error, NetloomError):
        code = next((number for kind, number in STATUS if isinstance(error, kind)), status.HTTP_400_BAD_REQUEST)
        return Response(body(error.code, error.message, error.hint), code)
    if isinstance(error, exceptions.ValidationError):
        return Response(body("request", _validation(error.detail), "Mend that part of the request."), 400)
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return Response(body("signed-out", "You are not signed in.", "Sign in, then try again."), 401)
    if isinstance(error, exceptions.PermissionDenied | PermissionDenied):
        text = str(getattr(error, "detail", "")) or "Your role does not allow this."
        return Response(body("no-right", text, "Ask a lead to do it or to change your role."), 403)
    if isinstance(error, Http404 | exceptions.NotFound):
        return Response(body("not-found", "There is no such thing here.", "It may have been removed meanwhile."), 404)
    if isinstance(error, OperationalError) and "locked" in str(error):
        return Response(body("busy", "The records are busy just now; nothing was changed.", "Try again."), 503)
    if isinstance(error, exceptions.APIException):
        return Response(body("request", str(error.detail), "Look at the request."), error.status_code)
    return None
