"""What a view asks of the engine, and waits for in vain: it is given up, or it goes on and that is said."""

from __future__ import annotations

import asyncio

import pytest
from rest_framework.test import APIClient

from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_server.base.problems import StillGoing
from netloom_server.host.engine import Engine, engine
from tests.server.test_survey import at, swept


@pytest.mark.parametrize(("word", "error"), [("drive", StillGoing), ("states", RequestError)])
async def test_what_was_begun_goes_on_or_ends_as_it_is_said(
    monkeypatch: pytest.MonkeyPatch, word: str, error: type[Exception]
) -> None:
    host, ended = Engine(), asyncio.Event()
    monkeypatch.setattr(host, "_loop", asyncio.get_running_loop())

    async def work(command: dict[str, object]) -> dict[str, object]:
        await asyncio.sleep(0.4)
        ended.set()
        return {}

    monkeypatch.setattr(host.core, "do", work)
    with pytest.raises(error):
        await asyncio.to_thread(host.do, {"do": word}, 0.1)
    await asyncio.sleep(0.6)
    assert ended.is_set() is (error is StillGoing)


def test_who_takes_long_to_be_read_is_taken_in_all_the_same(
    technician: APIClient, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    def slow(command: dict[str, object], timeout: float) -> dict[str, object]:
        raise StillGoing("No answer came.")

    monkeypatch.setattr(engine(), "do", slow)
    [(device, _)] = swept(library, at(60, "onvif", maker="Nobody", title="Cam", serial="Z-1"))
    answer = technician.post("/api/take-in", {"devices": [device.id]}, format="json")
    assert [one["id"] for one in answer.json()["devices"]] == [device.id], answer.json()
