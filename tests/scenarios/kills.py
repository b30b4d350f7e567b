"""The server, or the server and the devices, lose power at a random moment of a write, while others look.

What holds afterwards, without anybody's help: every run and step is settled, every intent has its outcome, the
journal is whole, a browser hears of changes, and what was called done shows in a fresh reading.
"""

from __future__ import annotations

import contextlib
import http.client
import json
import random
import sqlite3
import threading
import time
import urllib.error
import urllib.request
from typing import Any

from tests.demo import Demo

BOXES = ("Ticket hall box", "Car deck box")
CHOICES: dict[str, list[Any]] = {
    **{f"/relays/{n}/idle": ["open", "closed"] for n in range(1, 9)},
    **{f"/inputs/{n}/settle_ms": [20, 30, 40, 50] for n in range(1, 9)},
}
LOOKERS = 3
SETTLED_S = 60.0
PATIENCE_S = 60.0  # a computer that stands still for a moment is not a server that does
LIVE = ("waiting", "running")


def call(demo: Demo, method: str, path: str, body: Any = None) -> Any:
    found = json.loads((demo.data / "server.json").read_text())
    headers = {"Authorization": f"Bearer {found['token']}", "Content-Type": "application/json"}
    data = json.dumps(body).encode() if body is not None else None
    request = urllib.request.Request(found["url"] + path, data, headers, method=method)
    with urllib.request.urlopen(request, timeout=PATIENCE_S) as answer:
        text = answer.read()
    return json.loads(text) if text else None


class Lookers:
    """Some that look all the time, and do not mind that the server goes."""

    def __init__(self, demo: Demo) -> None:
        self._demo = demo
        self._ended = threading.Event()
        self._threads = [threading.Thread(target=self._look, daemon=True) for _ in range(LOOKERS)]

    def __enter__(self) -> None:
        for thread in self._threads:
            thread.start()

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        for thread in self._threads:
            thread.join(30)

    def _look(self) -> None:
        while not self._ended.is_set():
            for path in ("/api/devices", "/api/overview", "/api/runs"):
                with contextlib.suppress(OSError, ValueError, http.client.HTTPException):
                    call(self._demo, "GET", path)
            time.sleep(0.05)


def planned(demo: Demo, chance: random.Random) -> Any:
    """Decide something, and have it planned."""
    changes = [
        {"device": box, "path": path, "value": chance.choice(CHOICES[path])}
        for box in BOXES
        for path in chance.sample(sorted(CHOICES), 3)
    ]
    call(demo, "POST", "/api/intended", {"changes": changes})
    plan = call(demo, "POST", "/api/plans", {"kind": "apply", "devices": list(BOXES)})
    while plan["state"] == "making":
        time.sleep(0.02)
        plan = call(demo, "GET", f"/api/plans/{plan['id']}")
    return plan


def kill_in_the_middle(demo: Demo, chance: random.Random, *, devices_too: bool) -> None:
    """Decide, plan, write, and pull the plug somewhere in between."""
    plan = planned(demo, chance)
    with Lookers(demo):
        if plan["steps"]:
            call(demo, "POST", "/api/runs", {"kind": "apply", "plan": plan["id"]})
        time.sleep(chance.uniform(0.0, 0.8))
        demo.kill_server()
        if devices_too:
            for box in BOXES:
                power_cut(demo, box)
        demo.start_server()


def power_cut(demo: Demo, name: str) -> None:
    control = json.loads((demo.data / "standins.json").read_text())
    headers = {"Authorization": f"Bearer {control['token']}", "Content-Type": "application/json"}
    units = urllib.request.Request(control["url"] + "/units", headers=headers)
    with urllib.request.urlopen(units, timeout=PATIENCE_S) as answer:
        serial = next(u["serial"] for u in json.load(answer)["units"] if u["name"] == name)
    cut = urllib.request.Request(
        f"{control['url']}/units/{serial}/fault", b'{"kind": "power-cut"}', headers, method="POST"
    )
    with urllib.request.urlopen(cut, timeout=PATIENCE_S):
        pass


def settled(demo: Demo) -> list[dict[str, Any]]:
    """All runs, once none is under way."""
    until = time.monotonic() + SETTLED_S
    while True:
        runs: list[dict[str, Any]] = call(demo, "GET", "/api/runs")
        if not any(run["state"] in LIVE for run in runs):
            return runs
        assert time.monotonic() < until, [run for run in runs if run["state"] in LIVE]
        time.sleep(0.1)


def promises(demo: Demo, *, devices_too: bool) -> str:
    """Raises AssertionError where one is not kept; gives how the newest write ended."""
    runs = settled(demo)
    with sqlite3.connect(demo.data / "netloom.sqlite3", timeout=20) as db:
        loose = db.execute(
            "select run_id, action, state from runs_step where state in ('pending', 'acting')"
        ).fetchall()
        held = db.execute("select count(*) from runs_lease").fetchone()[0]
        kinds = db.execute("select kind, intent from runs_journalentry").fetchall()
    assert not loose, loose
    assert not held, "a settled run holds no device"
    opened = {intent for kind, intent in kinds if kind == "intent"}
    closed = [intent for kind, intent in kinds if kind == "outcome"]
    assert opened <= set(closed), "every intent has its outcome"
    assert len(closed) == len(set(closed)), "and only one"
    assert call(demo, "GET", "/api/journal")["whole"]
    read = call(demo, "POST", "/api/runs", {"kind": "read", "devices": list(BOXES)})
    settled(demo)
    assert call(demo, "GET", f"/api/runs/{read['id']}")["state"] == "done"
    last = next((run for run in runs if run["kind"] == "apply"), None)
    if last is not None and last["state"] == "done" and not devices_too:
        for box in BOXES:
            shown = call(demo, "GET", f"/api/devices/{box.replace(' ', '%20')}")
            assert shown["counts"]["pending"] == 0, f"{box} was called done"
    return last["state"] if last is not None else ""


def somebody_hears(demo: Demo) -> None:
    """A browser that comes now is told of what changes now."""
    found = json.loads((demo.data / "server.json").read_text())
    link = call(demo, "POST", "/api/people/owner/link")["path"]
    host = found["url"].removeprefix("http://")
    connection = http.client.HTTPConnection(host, timeout=PATIENCE_S)
    connection.request("GET", link)
    answer = connection.getresponse()
    answer.read()
    cookies = [value.split(";")[0] for name, value in answer.getheaders() if name.lower() == "set-cookie"]
    connection.request("GET", "/api/events", headers={"Cookie": "; ".join(cookies)})
    stream = connection.getresponse()
    assert stream.status == 200
    call(demo, "POST", "/api/runs", {"kind": "read", "devices": [BOXES[0]]})
    until = time.monotonic() + PATIENCE_S
    while b"event: run" not in stream.readline():
        assert time.monotonic() < until, "nothing is heard"
    connection.close()
