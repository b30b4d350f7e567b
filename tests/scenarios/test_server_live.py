"""The running server: events that are missed by nobody, live points, plans that went stale, words for people."""

from __future__ import annotations

import contextlib
import http.client
import json
import time
import urllib.parse
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from netloom_core.backup.archive import Archive, write_archive
from netloom_core.documents.tree import digest
from tests.demo import Demo
from tests.patience import SOON_S

NETWORK = "127.29.10.0/24"


@pytest.fixture(scope="module", autouse=True)
def swept(demo: Demo) -> None:
    demo.json("sweep", "Terminal network", expect=None)


class Browser:
    """A signed-in session, as a browser has it."""

    def __init__(self, demo: Demo) -> None:
        url = urllib.parse.urlsplit(demo.run("people", "link").strip())
        self.host, self.port = url.hostname or "", url.port or 0
        self.origin = f"{url.scheme}://{url.netloc}"
        connection = self._connection()
        connection.request("GET", url.path)
        answer = connection.getresponse()
        self.cookie = "; ".join(
            value.split(";")[0] for name, value in answer.getheaders() if name.lower() == "set-cookie"
        )

    def _connection(self) -> http.client.HTTPConnection:
        return http.client.HTTPConnection(self.host, self.port, timeout=SOON_S)

    def events(self, last: int | None = None) -> Iterator[tuple[int, str, dict]]:
        headers = {"Cookie": self.cookie} | ({"Last-Event-ID": str(last)} if last is not None else {})
        connection = self._connection()
        connection.request("GET", "/api/events", headers=headers)
        answer = connection.getresponse()
        assert answer.getheader("Content-Type") == "text/event-stream"
        return self._follow(answer)

    def _follow(self, answer: http.client.HTTPResponse) -> Iterator[tuple[int, str, dict]]:
        """Events as they come; a sign of life is one without a kind, so that waiting can end."""
        found: dict[str, str] = {}
        while True:
            line = answer.readline().decode().rstrip("\n")
            if line.startswith(":"):
                yield 0, "", {}
            elif line:
                name, _, value = line.partition(": ")
                found[name] = value
            elif "event" in found:
                yield int(found["id"]), found["event"], json.loads(found["data"])
                found = {}
            else:
                found = {}


def until(events: Iterator[tuple[int, str, dict]], kind: str, **wanted: object) -> tuple[int, dict]:
    deadline = time.monotonic() + SOON_S
    for ident, name, data in events:
        if name == kind and all(data.get(key) == value for key, value in wanted.items()):
            return ident, data
        assert time.monotonic() < deadline, f"no {kind} event"
    raise AssertionError("the stream ended")


def test_a_browser_that_was_away_misses_nothing(demo: Demo) -> None:
    browser = Browser(demo)
    stream = browser.events()
    demo.run("read", "Ticket hall box")
    last, _ = until(stream, "run", state="done")
    stream.close()  # type: ignore[attr-defined]
    missed = demo.json("read", "Car deck box")["run"]
    again = browser.events(last)
    ident, _ = until(again, "run", run=missed, state="done")
    assert ident > last


def test_events_are_for_those_signed_in(demo: Demo) -> None:
    browser = Browser(demo)
    connection = browser._connection()
    connection.request("GET", "/api/events")
    assert connection.getresponse().status == 401


def test_events_end_with_the_session(demo: Demo) -> None:
    browser = Browser(demo)
    stream = browser.events()
    until(stream, "run", run=demo.json("read", "Ticket hall box")["run"], state="done")
    connection = browser._connection()
    page = {"Cookie": browser.cookie}
    connection.request("GET", "/api/session", headers=page)
    answer = connection.getresponse()
    answer.read()
    cookies = [value.split(";")[0] for name, value in answer.getheaders() if name.lower() == "set-cookie"]
    csrf = next(cookie.partition("=")[2] for cookie in cookies if cookie.startswith("netloom_csrf"))
    signed = {"Cookie": "; ".join([browser.cookie, *cookies]), "X-CSRFToken": csrf, "Origin": browser.origin}
    connection.request("DELETE", "/api/session", headers=signed)
    assert connection.getresponse().status == 204
    begun = time.monotonic()
    until(stream, "signed-out")
    assert time.monotonic() - begun < 12, "before it looks by itself"


def test_points_follow_the_device_while_it_is_looked_at(demo: Demo) -> None:
    browser = Browser(demo)
    stream = browser.events()
    device = demo.device("Ticket hall box")
    owner = json.loads((demo.data / "server.json").read_text())
    connection = browser._connection()
    headers = {"Authorization": f"Bearer {owner['token']}"}
    connection.request("POST", f"/api/devices/{device['id']}/watch", headers=headers)
    assert connection.getresponse().status == 200
    until(stream, "points", device=device["id"])
    demo.run("fault", "point", "Ticket hall box", "input-3", "active")
    _, data = until(stream, "points", device=device["id"], states={"input-3": "active"})
    assert data["states"]["input-3"] == "active"


def post(demo: Demo, path: str, body: dict) -> tuple[int, dict]:
    return call(demo, "POST", path, body)


def call(demo: Demo, method: str, path: str, body: dict | None = None) -> tuple[int, dict]:
    owner = json.loads((demo.data / "server.json").read_text())
    connection = http.client.HTTPConnection("127.0.0.1", urllib.parse.urlsplit(owner["url"]).port, timeout=30)
    headers = {"Authorization": f"Bearer {owner['token']}", "Content-Type": "application/json"}
    connection.request(method, path, json.dumps(body) if body is not None else None, headers)
    answer = connection.getresponse()
    return answer.status, json.loads(answer.read())


def made_plan(demo: Demo, asked: dict) -> dict:
    _, plan = post(demo, "/api/plans", asked)
    while plan["state"] == "making":
        time.sleep(0.1)
        _, plan = call(demo, "GET", f"/api/plans/{plan['id']}")
    return plan


def test_a_run_that_writes_needs_a_plan_and_a_plan_is_carried_out_once(demo: Demo) -> None:
    status, told = post(demo, "/api/runs", {"kind": "apply", "devices": ["Ticket hall box"]})
    assert (status, told["error"]["code"]) == (400, "request")
    demo.run("set", "Ticket hall box", "/relays/5/idle=closed")
    plan = made_plan(demo, {"kind": "apply", "devices": ["Ticket hall box"]})
    assert post(demo, "/api/runs", {"kind": "apply", "plan": plan["id"]})[0] == 201
    status, told = post(demo, "/api/runs", {"kind": "apply", "plan": plan["id"]})
    assert (status, told["error"]["code"]) == (409, "stale-plan")


def test_only_the_plan_that_was_shown_is_written(demo: Demo) -> None:
    demo.run("set", "Ticket hall box", "/relays/6/idle=closed")
    asked = {"kind": "apply", "devices": ["Ticket hall box"]}
    shown = made_plan(demo, asked)
    demo.run("set", "Ticket hall box", "/relays/7/idle=closed")
    status, told = post(demo, "/api/runs", {"kind": "apply", "plan": shown["id"]})
    assert (status, told["error"]["code"]) == (409, "stale-plan")
    assert demo.device("Ticket hall box")["running"]["relays"]["6"]["idle"] == "open", "nothing was written"


def test_a_device_that_needs_nothing_is_told_as_done(demo: Demo) -> None:
    applied = demo.json("apply", "Car deck box", "--yes")["devices"]
    again = demo.json("apply", "Car deck box", "--yes")["devices"]
    assert [(one["name"], one["result"]) for one in again] == [("Car deck box", "done")]
    assert applied[0]["device"] == again[0]["device"]


def test_tables_for_people(demo: Demo) -> None:
    assert "Ticket hall box" in demo.run("devices")
    shown = demo.run("show", "Ticket hall box")
    assert "Panic button" in shown, "points carry the names that people gave them"
    assert "/relays/3/pulse_ms" in shown
    assert "Gate bus" in demo.run("lines")
    assert "HV-40122" in demo.run("fault", "list")
    assert "Handover" in demo.run("backups")
    assert "owner" in demo.run("people", "list")
    assert "Ticket hall box: write" in demo.run("plan", "Ticket hall box")


def test_a_sweep_can_be_stopped_and_only_one_looks_at_a_line(demo: Demo) -> None:
    status, run = post(demo, "/api/runs", {"kind": "sweep", "lines": ["Gate bus"]})
    assert status == 201
    status, told = post(demo, "/api/runs", {"kind": "sweep"})
    assert (status, told["error"]["code"]) == (409, "conflict")
    time.sleep(2)
    assert post(demo, f"/api/runs/{run['id']}/cancel", {})[0] == 200
    deadline = time.monotonic() + SOON_S
    while time.monotonic() < deadline:
        newest = demo.json("devices")["devices"]
        if post(demo, f"/api/runs/{run['id']}/cancel", {})[0] == 409:
            break
        time.sleep(0.3)
    assert any(device["serial"] == "00B70E58" for device in newest), "what was seen by then is kept"


def readers(server: int) -> list[int]:
    """Processes of the server's that read somebody's file."""
    found = []
    for process in Path("/proc").glob("[0-9]*"):
        with contextlib.suppress(OSError):
            mine = int((process / "stat").read_text().rpartition(")")[2].split()[1]) == server
            if mine and b"netloom_server.base.apart" in (process / "cmdline").read_bytes():
                found.append(int(process.name))
    return found


def soon(test: Callable[[], bool], seconds: float = SOON_S) -> bool:
    until = time.monotonic() + seconds
    while not test():
        if time.monotonic() > until:
            return False
        time.sleep(0.02)
    return True


def test_reading_a_file_ends_when_its_client_goes(demo: Demo, tmp_path: Path) -> None:
    """Of so many documents that it takes seconds to check them: as long as the first time, where nobody goes."""
    documents = [{"n": n} for n in range(49_000)]
    write_archive(tmp_path / "a.zip", Archive("Large", [], {digest(one): one for one in documents}))
    server = json.loads((demo.data / "server.json").read_text())
    split = urllib.parse.urlsplit(server["url"])
    connection = http.client.HTTPConnection(split.hostname or "", split.port, timeout=120)
    headers = {"Authorization": f"Bearer {server['token']}", "Content-Disposition": "attachment; filename=a.zip"}

    def reading() -> float:
        """Since when."""
        connection.request("POST", "/api/backups/check/a.zip", (tmp_path / "a.zip").read_bytes(), headers)
        assert soon(lambda: len(readers(server["pid"])) == 1), "it is being read"
        return time.monotonic()

    begun = reading()
    connection.getresponse().read()
    whole = time.monotonic() - begun
    begun = reading()
    connection.close()
    assert soon(lambda: not readers(server["pid"])), "nobody waits for it"
    assert time.monotonic() - begun < whole / 2, "before it is done"
    assert soon(lambda: not list(demo.data.glob("incoming-*"))), "and what came in is gone"
