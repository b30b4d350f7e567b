"""Requests in one thread each: middleware and views without a change of thread between every two of them.

Django's own way under ASGI hops between the loop and a thread for each middleware, and makes a thread and a
connection to the database for each request; that costs three times what most answers take. What streams for
long (`STREAMS`) is answered in the loop, as Django does it.
"""

from __future__ import annotations

import asyncio
import contextvars
import logging
import re
import threading
from collections.abc import AsyncIterator, Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any

from django.core.handlers.asgi import ASGIHandler
from django.core.handlers.base import BaseHandler
from django.db import close_old_connections, connection
from django.http import HttpRequest
from django.http.response import HttpResponseBase, StreamingHttpResponse

from netloom_server.base.gone import GONE
from netloom_server.base.problems import answer

STREAMS = re.compile(r"^/api/(events|consoles/[^/]+/stream)$")
THREADS = 8
LONGEST_S = 150.0  # nothing that is right takes so long
log = logging.getLogger("netloom.request")
END = b""


class Handler(ASGIHandler):
    def __init__(self) -> None:
        super().__init__()
        self._inline = BaseHandler()
        self._inline.load_middleware(is_async=False)
        self._threads = ThreadPoolExecutor(THREADS, "request")
        self.stuck = 0  # threads that were given up

    async def get_response_async(self, request: Any) -> Any:
        if STREAMS.match(request.path_info):
            return await super().get_response_async(request)
        gone = threading.Event()
        GONE.set(gone)
        try:
            async with asyncio.timeout(LONGEST_S):
                given = await self._in_thread(self._answer, request)
        except TimeoutError:
            gone.set()
            return self._stuck(request)
        except asyncio.CancelledError:
            gone.set()  # whoever asked went; the thread cannot be cancelled, but it looks
            raise
        if isinstance(given, StreamingHttpResponse) and not given.is_async:
            given.streaming_content = self._piece_by_piece(iter(given))
        return given

    def _stuck(self, request: HttpRequest) -> HttpResponseBase:
        """A thread hangs. The others of its pool may follow it, so there is a new pool."""
        log.error("a request of %s is stuck: %s %s", request.META.get("REMOTE_ADDR"), request.method, request.path_info)
        self.stuck += 1
        old, self._threads = self._threads, ThreadPoolExecutor(THREADS, "request")
        old.shutdown(wait=False)
        hint = "Load the page and look what came of it. If it happens again, `netloom doctor` looks at the disk."
        return answer("stuck", "The server did not get done with this in time; it may still do it.", hint, 503)

    def _answer(self, request: HttpRequest) -> HttpResponseBase:
        close_old_connections()  # one that broke meanwhile
        connection.begin_anew()  # type: ignore[attr-defined]
        return self._inline.get_response(request)

    async def _in_thread(self, work: Any, *given: Any) -> Any:
        context = contextvars.copy_context()
        return await asyncio.get_running_loop().run_in_executor(self._threads, partial(context.run, work, *given))

    async def _piece_by_piece(self, pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
        """The same, read as the browser takes it, so that a large file is never whole in memory."""
        while piece := await self._in_thread(next, pieces, END):
            yield piece
