"""Every request has an id: in the log, in its answer, and in what is said of a mistake of ours."""

from __future__ import annotations

import logging
import secrets
import time

from django.http import HttpRequest, HttpResponse
from django.utils.functional import SimpleLazyObject, empty

from netloom_server.base.logs import GIVEN, REQUEST
from netloom_server.config.both import Both

HEADER = "X-Request-Id"
SLOW_S = 1.0
READING = ("GET", "HEAD", "OPTIONS")
log = logging.getLogger("netloom.request")


class Traced(Both):
    def begin(self, request: HttpRequest) -> float:
        return _begin(request)

    def end(self, request: HttpRequest, response: HttpResponse, begun: float) -> HttpResponse:
        return _ended(request, response, time.monotonic() - begun)


def _begin(request: HttpRequest) -> float:
    given = request.headers.get(HEADER, "")
    REQUEST.set(given if GIVEN.fullmatch(given) else secrets.token_hex(6))
    return time.monotonic()


def _who(request: HttpRequest) -> str:
    """Whoever was found to ask; nobody is looked up for it, since the records may be what failed."""
    user = getattr(request, "user", None)
    if user is None or (isinstance(user, SimpleLazyObject) and user._wrapped is empty):
        return ""
    return str(user.get_username())


def _ended(request: HttpRequest, response: HttpResponse, seconds: float) -> HttpResponse:
    response.headers[HEADER] = REQUEST.get()
    failed = response.status_code >= 500
    if failed or seconds > SLOW_S or request.method not in READING:
        level = logging.WARNING if failed else logging.INFO
        match = request.resolver_match
        told = {"method": request.method, "status": response.status_code, "ms": round(seconds * 1000)}
        told["by"] = _who(request)
        log.log(level, "%s %s", request.method, match.route if match else "nothing of ours", extra=told)
    return response
