"""Every request has an id: in the log, in its answer, and in what is said of a mistake of ours."""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable
from typing import Any

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpRequest, HttpResponse
from django.utils.functional import SimpleLazyObject, empty

from netloom_server.base.logs import GIVEN, REQUEST

HEADER = "X-Request-Id"
SLOW_S = 1.0
READING = ("GET", "HEAD", "OPTIONS")
log = logging.getLogger("netloom.request")


class Traced:
    async_capable = True
    sync_capable = True

    def __init__(self, get_response: Callable[[HttpRequest], Any]) -> None:
        self.get_response = get_response
        self._async = iscoroutinefunction(get_response)
        if self._async:
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> Any:
        if self._async:
            return self._later(request)
        begun = _begin(request)
        return _ended(request, self.get_response(request), time.monotonic() - begun)

    async def _later(self, request: HttpRequest) -> HttpResponse:
        begun = _begin(request)
        return _ended(request, await self.get_response(request), time.monotonic() - begun)


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
