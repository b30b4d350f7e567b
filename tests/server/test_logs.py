"""The log: who asked for what under which id, no secret in it, files of a bounded size, and a full disk."""

from __future__ import annotations

import errno
import io
import json
import logging
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from django.test import Client
from rest_framework.test import APIClient

from netloom_core.trace import RUN
from netloom_server.accounts.models import SignInLink, User
from netloom_server.base import logs


class Full(io.StringIO):
    def write(self, text: str) -> int:
        raise OSError(errno.ENOSPC, "No space left on device")


@pytest.fixture
def file(tmp_path: Path) -> Iterator[Path]:
    handler = logs.keep_log(tmp_path)
    yield tmp_path / logs.FOLDER / logs.NAME
    logging.getLogger().removeHandler(handler)
    handler.close()


def lines(file: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in file.read_text().splitlines()]


def test_a_write_is_told_with_its_id_and_who(technician: APIClient, file: Path) -> None:
    answer = technician.patch("/api/devices/HV-40117", {"name": "Hall"}, format="json")
    (told,) = [one for one in lines(file) if one["part"] == "netloom.request"]
    assert told["request"] == answer.headers["X-Request-Id"]
    assert (told["method"], told["status"], told["by"]) == ("PATCH", 200, "the-technician")
    assert told["message"] == "PATCH api/devices/<str:word>"


def test_a_proxys_id_is_taken_over_and_nonsense_is_not(client: Client, db: None) -> None:
    assert client.get("/api/health", headers={"X-Request-Id": "abc-123"}).headers["X-Request-Id"] == "abc-123"
    for bad in ("a\tb", "x" * 200, "<script>", ""):
        assert client.get("/api/health", headers={"X-Request-Id": bad}).headers["X-Request-Id"] != bad


def test_a_mistake_of_ours_names_its_request(
    technician: APIClient, file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("netloom_server.installation.services.decisions.unique_name", lambda *_: 1 / 0)
    technician.raise_request_exception = False
    answer = technician.patch("/api/devices/HV-40117", {"name": "Hall"}, format="json")
    assert answer.status_code == 500
    ident = answer.headers["X-Request-Id"]
    assert ident in json.loads(answer.content)["error"]["try"]
    assert any("ZeroDivisionError" in one.get("exc_info", "") for one in lines(file) if one["request"] == ident)


def test_no_secret_gets_into_it(lead: APIClient, client: Client, file: Path) -> None:
    secrets = ["pontoon-lantern-77", "harbour-light-99"]
    lead.post("/api/people", {"username": "nova", "role": "viewer", "password": secrets[0]}, format="json")
    lead.put("/api/devices/HV-40117/credentials", {"user": "a", "password": secrets[1]}, format="json")
    link = SignInLink.make(User.objects.get(username="nova"))
    client.get(f"/signin/{link}")
    client.post("/api/session", {"username": "nova", "password": secrets[0]}, "application/json")
    text = file.read_text()
    assert "PUT api/devices/<str:word>/credentials" in text
    assert not any(secret in text for secret in (*secrets, link))


def test_what_a_run_says_has_its_id(file: Path) -> None:
    token = RUN.set("run-7")
    logging.getLogger("netloom.run").error("something about %s", "it")
    RUN.reset(token)
    assert lines(file)[-1]["run"] == "run-7"


def test_it_stays_bounded(file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (handler,) = [one for one in logging.getLogger().handlers if isinstance(one, logs.LogFile)]
    handler.maxBytes = 2000
    for number in range(200):
        logging.getLogger("netloom.run").error("entry %d", number)
    kept = sorted(file.parent.iterdir())
    assert len(kept) == logs.FILES
    assert all(one.stat().st_size <= 2000 for one in kept)
    assert "entry 199" in file.read_text()


def test_a_full_disk_is_told_once_and_nothing_stops(file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (handler,) = [one for one in logging.getLogger().handlers if isinstance(one, logs.LogFile)]
    handler.stream = Full()
    for _ in range(3):
        logging.getLogger("netloom.run").error("lost")
    assert capsys.readouterr().err.count("cannot be written") == 1
