"""Middleware for both ways in which requests are answered here: in a thread, and in the loop for streams."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpRequest, HttpResponse


class Both:
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
        begun = self.begin(request)
        return self.end(request, self.get_response(request), begun)

    async def _later(self, request: HttpRequest) -> HttpResponse:
        begun = self.begin(request)
        return self.end(request, await self.get_response(request), begun)

    def begin(self, request: HttpRequest) -> float:
        """What `end` is given again."""
        return 0.0

    def end(self, request: HttpRequest, response: HttpResponse, begun: float) -> HttpResponse:
        raise NotImplementedError
