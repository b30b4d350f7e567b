"""Response headers that keep foreign code out of the pages."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpRequest, HttpResponse

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'"
)


class ContentPolicy:
    async_capable = True
    sync_capable = True

    def __init__(self, get_response: Callable[[HttpRequest], Any]) -> None:
        self.get_response = get_response
        self._async = iscoroutinefunction(get_response)
        if self._async:
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> Any:
        return self._later(request) if self._async else _with_headers(self.get_response(request))

    async def _later(self, request: HttpRequest) -> HttpResponse:
        return _with_headers(await self.get_response(request))


def _with_headers(response: HttpResponse) -> HttpResponse:
    response.headers.setdefault("Content-Security-Policy", POLICY)
    return response
