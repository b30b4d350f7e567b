"""The live event stream."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Any

from django.contrib.auth import get_user
from django.http import HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse

from netloom_server.base.crossing import in_records
from netloom_server.base.problems import body
from netloom_server.host.engine import engine
from netloom_server.host.events import EventHub, Place, newest_id, oldest_id

KEEP_ALIVE_S = 15.0
ANEW = b"event: anew\ndata: {}\n\n"  # too much was missed: everything has to be loaded again
OUT = b"event: signed-out\ndata: {}\n\n"


async def _stream(request: HttpRequest, hub: EventHub, place: Place, *, anew: bool) -> AsyncIterator[bytes]:
    hub.streams += 1
    try:
        async for piece in _pieces(request, hub, place, anew=anew):
            yield piece
    finally:
        hub.streams -= 1


async def _pieces(request: HttpRequest, hub: EventHub, place: Place, *, anew: bool) -> AsyncIterator[bytes]:
    people = hub.people
    yield b"retry: 1000\n\n"
    if anew:
        yield b"id: %d\n%s" % (place.last, ANEW)
    while not hub.ending:
        seen = hub.version
        if hub.people != people:
            people = hub.people
            if not await _still_in(request):
                yield b"id: %d\n%s" % (place.last, OUT)
                return
        if told := await hub.after(place):
            yield b"".join(told)
        elif not await hub.changed(seen, KEEP_ALIVE_S):
            yield b": still here\n\n"


async def _still_in(request: HttpRequest) -> bool:
    """Whether the session is still there and belongs to somebody who may sign in; asked of the records anew."""
    fresh = HttpRequest()
    fresh.session = type(request.session)(request.session.session_key)
    user: Any = await in_records(get_user, fresh)
    return bool(user.is_authenticated and user.is_active)


async def events(request: HttpRequest) -> HttpResponse | StreamingHttpResponse:
    """Server-Sent Events from Last-Event-ID on; without it, from now on."""
    if not await in_records(lambda: request.user.is_authenticated):
        return JsonResponse(body("signed-out", "You are not signed in.", "Sign in."), status=401)
    given = request.headers.get("Last-Event-ID") or request.GET.get("last", "")
    newest = await in_records(newest_id)
    last = int(given) if given.isdecimal() and len(given) < 16 else newest
    anew = last > newest or last < await in_records(oldest_id) - 1
    hub = engine().events
    response = StreamingHttpResponse(
        _stream(request, hub, hub.begin(newest if anew else last), anew=anew), content_type="text/event-stream"
    )
    response["Cache-Control"] = "no-store"
    return response
