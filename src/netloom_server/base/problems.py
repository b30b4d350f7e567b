"""One form for every error of the API: {"error": {code, message, try}}."""

from __future__ import annotations

import errno
import sys
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db import connection
from django.db.utils import DatabaseError
from django.http import Http404, HttpRequest, JsonResponse
from rest_framework import exceptions, status
from rest_framework.response import Response

from netloom_core.errors import (
    AddressTaken,
    ArchiveDamaged,
    DeviceError,
    LinkError,
    NetloomError,
    NoAnswer,
    StalePlan,
    StoreTrouble,
)
from netloom_server.base.forms import TooLarge
from netloom_server.base.logs import REQUEST


class NotFound(NetloomError):
    code = "not-found"


class Conflict(NetloomError):
    code = "conflict"


class NoRight(NetloomError):
    code = "no-right"


class StillGoing(NetloomError):
    """Nobody waits for it any more, and it goes on to its end."""

    code = "still-going"
    outcome = "unknown"


STATUS: list[tuple[type[NetloomError], int]] = [
    (NotFound, status.HTTP_404_NOT_FOUND),
    (NoRight, status.HTTP_403_FORBIDDEN),
    (Conflict, status.HTTP_409_CONFLICT),
    (AddressTaken, status.HTTP_409_CONFLICT),
    (StalePlan, status.HTTP_409_CONFLICT),
    (ArchiveDamaged, status.HTTP_422_UNPROCESSABLE_ENTITY),
    (TooLarge, status.HTTP_413_REQUEST_ENTITY_TOO_LARGE),
    (StillGoing, status.HTTP_504_GATEWAY_TIMEOUT),
    (StoreTrouble, status.HTTP_503_SERVICE_UNAVAILABLE),
    (NoAnswer, status.HTTP_502_BAD_GATEWAY),
    (DeviceError, status.HTTP_502_BAD_GATEWAY),
    (LinkError, status.HTTP_502_BAD_GATEWAY),
]


def answer(code: str, message: str, hint: str, status_code: int) -> JsonResponse:
    return JsonResponse(body(code, message, hint), status=status_code)


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
    if isinstance(error, DatabaseError) or is_of_the_disk(error):
        return Response(body(*disk_trouble(error)), 503)
    if isinstance(error, exceptions.APIException):
        return Response(body("request", _validation(error.detail), "Look at the request."), error.status_code)
    return None


def is_of_the_disk(error: BaseException) -> bool:
    """Whether a file of ours could not be used: full, read-only, broken, not ours."""
    return isinstance(error, OSError) and error.errno in ERRNO


def disk_trouble(error: BaseException) -> tuple[str, str, str]:
    """Code, message and hint of what the database says; that nothing was changed only where nothing was committed."""
    known = not getattr(connection, "changed", True)
    code, message, hint = _told_of(error)
    changed = " Nothing was changed." if known else " What of it was done is not known: look first."
    return code, message + changed, hint


def _told_of(error: BaseException) -> tuple[str, str, str]:
    text = ERRNO.get(error.errno or 0, "") if isinstance(error, OSError) else str(error).lower()
    for part, told in DISK.items():
        if part in text:
            return told
    return (
        "records",
        "The records could not be used.",
        "Run `netloom doctor`, which looks at them.",
    )


ERRNO = {
    errno.ENOSPC: "disk is full",
    errno.EDQUOT: "disk is full",
    errno.EROFS: "readonly",
    errno.EACCES: "readonly",
    errno.EPERM: "readonly",
    errno.EIO: "disk i/o",
}
DISK = {
    "locked": (
        "busy",
        "Another program holds the records just now.",
        "Try again. If it stays, close the program that has the data folder's database open.",
    ),
    "disk is full": (
        "disk-full",
        "The disk of the data folder is full.",
        "Make room on it. Work goes on by itself then; nothing that was said to be kept is lost.",
    ),
    "readonly": (
        "read-only",
        "The data folder cannot be written.",
        "Make it writable for the user that the server runs as. `netloom doctor` says which files.",
    ),
    "disk i/o": (
        "disk",
        "The disk of the data folder does not work as it should.",
        "Look at the disk, and copy the data folder's `copies` to another one.",
    ),
    "malformed": (
        "damaged",
        "The database is damaged.",
        "Stop the server and put a safe copy back: `netloom copies`, then `netloom put-back COPY`.",
    ),
    "not a database": (
        "damaged",
        "The database is damaged.",
        "Stop the server and put a safe copy back: `netloom copies`, then `netloom put-back COPY`.",
    ),
}


# What Django answers outside of the API's views, in the API's form


def not_found(request: HttpRequest, rest: str = "", exception: Exception | None = None) -> JsonResponse:
    return answer("not-found", "There is no such thing here.", "Look at the address.", 404)


def bad_request(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
    return answer("request", "The request is none that can be read.", "Look at its address, headers and host.", 400)


def forbidden(request: HttpRequest, reason: str = "", exception: Exception | None = None) -> JsonResponse:
    return answer("no-right", "The page that asked is not one of this server's, or is too old.", "Load it again.", 403)


def failed(request: HttpRequest) -> JsonResponse:
    error = sys.exc_info()[1]
    if isinstance(error, DatabaseError) or (error is not None and is_of_the_disk(error)):
        return answer(*disk_trouble(error), 503)
    hint = f"Nothing that was saved is lost. The server's log has it as request {REQUEST.get()}. Try again."
    return answer("own-fault", "Netloom made a mistake of its own.", hint, 500)


def locked_out(request: HttpRequest, credentials: Any = None, *args: Any, **kwargs: Any) -> JsonResponse:
    """Signing in was wrong too often, for this name or from this place."""
    hint = "Wait a quarter of an hour, or ask a lead for a one-time link."
    return answer("locked-out", "Too many wrong attempts to sign in.", hint, 429)
