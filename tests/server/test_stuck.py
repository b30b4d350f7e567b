"""What happens when something of the computer does not go on: a thread, a disk, the records."""

from __future__ import annotations

import asyncio
import errno
import json
import tempfile
import threading
import time
from typing import Any

import pytest
from django.db import connection
from django.http import HttpResponse
from django.test import AsyncRequestFactory
from rest_framework.test import APIClient

from netloom_server.config import handler as handlers
from netloom_server.config.handler import THREADS, Handler
from tests.patience import SOON_S


async def test_threads_that_hang_are_given_up_and_others_are_served(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(handlers, "LONGEST_S", 0.3)
    free, handler, factory = threading.Event(), Handler(), AsyncRequestFactory()

    def answered(request: Any) -> HttpResponse:
        if request.path == "/hang":
            free.wait(2 * SOON_S)
        return HttpResponse(b"here")

    monkeypatch.setattr(handler._inline, "get_response", answered)
    hung = [asyncio.ensure_future(handler.get_response_async(factory.get("/hang"))) for _ in range(THREADS)]
    try:
        await asyncio.sleep(0.05)
        begun = time.monotonic()
        told = [json.loads((await one).content)["error"] for one in hung]
        assert {one["code"] for one in told} == {"stuck"}
        assert "may still do it" in told[0]["message"]
        assert (await handler.get_response_async(factory.get("/"))).content == b"here"
        assert time.monotonic() - begun < SOON_S
        assert handler.stuck == THREADS
    finally:
        free.set()


@pytest.mark.parametrize(
    ("number", "code"),
    [(errno.ENOSPC, "disk-full"), (errno.EROFS, "read-only"), (errno.EACCES, "read-only"), (errno.EIO, "disk")],
)
def test_a_disk_that_takes_no_file_is_told_in_words(
    technician: APIClient, monkeypatch: pytest.MonkeyPatch, number: int, code: str
) -> None:
    def refused(*args: Any, **more: Any) -> None:
        raise OSError(number, "no")

    monkeypatch.setattr(tempfile, "mkdtemp", refused)
    connection.begin_anew()  # type: ignore[attr-defined]
    answer = technician.generic(
        "POST", "/api/expected/list.csv", b"name,model\nBox,RX8\n", content_type="application/octet-stream",
        headers={"Content-Disposition": "attachment; filename=list.csv"},
    )  # fmt: skip
    assert answer.status_code == 503
    error = answer.json()["error"]
    assert error["code"] == code
    assert "Nothing was changed" in error["message"]
    assert error["try"]
