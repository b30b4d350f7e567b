"""What the stand-ins' own small web applications have in common: JSON in, JSON out, events."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Any

import orjson

from netloom_core.documents.tree import Document

MAX_BODY = 256_000

Send = Callable[[dict[str, Any]], Awaitable[None]]
Receive = Callable[[], Awaitable[dict[str, Any]]]


async def read_json(receive: Receive) -> Document:
    body = b""
    while True:
        message = await receive()
        body += message.get("body", b"")
        if len(body) > MAX_BODY or not message.get("more_body"):
            break
    try:
        parsed = orjson.loads(body or b"{}")
    except orjson.JSONDecodeError:
        return {}
    return parsed if isinstance(parsed, dict) else {}


async def reply(send: Send, status: int, body: Any) -> None:
    data = orjson.dumps(body)
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(data)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": data})


def event(states: dict[str, Any]) -> dict[str, Any]:
    return {"type": "http.response.body", "body": b"data: " + orjson.dumps(states) + b"\n\n", "more_body": True}
