"""The live event stream."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Any

import orjson
from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from netloom_server.base.problems import body
from netloom_server.host.engine import engine
from netloom_server.host.events import after, newest_id

KEEP_ALIVE_S = 15.0


def _line(ident: int, kind: str, data: dict[str, Any]) -> bytes:
    return b"id: %d\nevent: %s\ndata: %s\n\n" % (ident, kind.encode(), orjson.dumps(data))


async def _stream(last: int) -> AsyncIterator[bytes]:
    hub = engine().events
    yield b"retry: 1000\n\n"
    while True:
        seen = hub.version
        batch = await sync_to_async(after)(last)
        for ident, kind, data in batch:
            last = ident
            yield _line(ident, kind, data)
        if not batch and not await hub.changed(seen, KEEP_ALIVE_S):
            yield b": still here\n\n"


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Server-Sent Events from Last-Event-ID on; without it, from now on."""
    user = await request.auser()
    if not user.is_authenticated:
        return JsonResponse(body("signed-out", "You are not signed in.", "Sign in."), status=401)
    given = request.headers.get("Last-Event-ID") or request.GET.get("last", "")
    last = int(given) if given.isdecimal() and len(given) < 16 else await sync_to_async(newest_id)()
    response = StreamingHttpResponse(_stream(last), content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    return response
