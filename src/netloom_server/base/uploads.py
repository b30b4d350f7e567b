"""Files that come in: bounded as they arrive, and on the disk for as long as they are looked at."""

from __future__ import annotations

import contextlib
import tempfile
from collections.abc import Awaitable, Callable, Iterator, MutableMapping
from pathlib import Path
from typing import Any

import orjson
from django.conf import settings
from rest_framework.request import Request

from netloom_core.errors import RequestError
from netloom_server.base.forms import MAX_BYTES, TooLarge
from netloom_server.base.problems import body

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
PIECE = 1 << 20


class GivenUp(Exception):
    """The rest of a body that is too large is not waited for."""


class BodyLimit:
    """An ASGI application before the others: what is larger than its path allows is refused as it comes in."""

    def __init__(self, application: Any, limits: dict[str, int], usual: int = MAX_BYTES) -> None:
        """`limits` are in bytes, by how paths begin."""
        self._application = application
        self._limits = limits
        self._usual = usual

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        most = next((most for path, most in self._limits.items() if scope["path"].startswith(path)), self._usual)
        stated = dict(scope["headers"]).get(b"content-length", b"0")
        if stated.isdigit() and int(stated) > most:
            await _refuse(send, most)
            return
        had, begun = 0, False

        async def bounded() -> Message:
            nonlocal had
            message = await receive()
            had += len(message.get("body", b""))
            if had > most:
                raise GivenUp
            return message

        async def noted(message: Message) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            await self._application(scope, bounded, noted)
        except GivenUp:
            if not begun:
                await _refuse(send, most)


async def _refuse(send: Send, most: int) -> None:
    text = f"The request is larger than the {most // 1_000_000} MB that are taken here. Nothing was changed."
    told = orjson.dumps(body("too-large", text, "Split it, or make it smaller."))
    headers = [(b"content-type", b"application/json"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": 413, "headers": headers})
    await send({"type": "http.response.body", "body": told})


@contextlib.contextmanager
def kept_for_a_moment(data: bytes) -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="incoming-", dir=settings.DATA) as folder:
        path = Path(folder) / "file"
        path.write_bytes(data)
        yield path


@contextlib.contextmanager
def uploaded(request: Request, most: int) -> Iterator[Path]:
    """The file of a request that has nothing else in it. Raises RequestError where there is none."""
    parts = request.data
    upload = parts.get("file") if isinstance(parts, dict) else None
    if upload is None or not getattr(upload, "size", 0):
        raise RequestError("There is no file in the request.", "Choose one that is not empty.")
    if upload.size > most:
        raise TooLarge(f"The file is larger than {most // 1_000_000} MB.", "Split it.")
    with tempfile.TemporaryDirectory(prefix="incoming-", dir=settings.DATA) as folder:
        path = Path(folder) / "file"
        with path.open("wb") as out:
            for piece in upload.chunks(PIECE):
                out.write(piece)
        yield path
