"""Response headers that keep foreign code out of the pages."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse

from netloom_server.config.both import Both

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'"
)


class ContentPolicy(Both):
    def end(self, request: HttpRequest, response: HttpResponse, begun: float) -> HttpResponse:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response
