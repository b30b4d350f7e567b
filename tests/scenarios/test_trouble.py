"""Trouble in the middle: a killed server, silent devices, wrong words; what people are told."""

from __future__ import annotations

import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.demo import ROOT, Demo

NETWORK = "127.23.10.0/24"


@pytest.fixture(scope="module", autouse=True)
def swept(demo: Demo) -> None:
    """One line is enough here, and quick."""
    demo.json("sweep", "Terminal network", expect=None)
    demo.run("take-in", "HV-51960", "--name", "Slipway box")
    demo.run("backup", "Ticket hall box", "Slipway box")


def running_step(demo: Demo, action: str) -> bool:
    with sqlite3.connect(demo.data / "netloom.sqlite3", timeout=60) as db:
        found = db.execute("select count(*) from runs_step where action=? and state='acting'", [action]).fetchone()
    return bool(found[0])


def test_a_killed_server_settles_its_run_by_reading(demo: Demo) -> None:
    """kill -9 while the box restarts for its new address; afterwards nothing is unknown."""
    demo.run("address", f"Slipway box={demo.address(14)}")
    demo.run("set", "Slipway box", "/relays/1/idle=closed", "/inputs/1/rest=closed")
    command = [sys.executable, "-m", "netloom_cli", "apply", "Slipway box", "--yes"]
    applying = subprocess.Popen(
        command, env=demo.environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=ROOT
    )
    deadline = time.monotonic() + 30
    while not running_step(demo, "readdress") and time.monotonic() < deadline:
        time.sleep(0.005)
    demo.kill_server()
    applying.wait(30)
    with sqlite3.connect(demo.data / "netloom.sqlite3", timeout=60) as db:
        assert db.execute("select state from runs_run where kind='apply'").fetchall() == [("running",)]

    demo.start_server()
    while time.monotonic() < deadline + 40:
        run = demo_run(demo, "apply")
        if run["state"] not in ("waiting", "running"):
            break
        time.sleep(0.3)
    assert run["state"] == "done"
    assert {step["state"] for step in run["steps"]} == {"done"}
    box = demo.device("Slipway box")
    assert box["addresses"][0]["address"] == demo.address(14)
    assert box["running"]["relays"]["1"]["idle"] == "closed"
    assert demo.json("journal")["whole"]


def demo_run(demo: Demo, kind: str) -> dict:
    import json
    import urllib.request

    found = json.loads((demo.data / "server.json").read_text())

    def get(path: str):  # type: ignore[no-untyped-def]
        request = urllib.request.Request(found["url"] + path, headers={"Authorization": f"Bearer {found['token']}"})
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.load(answer)

    newest = next(run for run in get("/api/runs") if run["kind"] == kind)
    return get(f"/api/runs/{newest['id']}")


def test_a_second_server_on_the_same_data_is_refused(demo: Demo) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "netloom_server.main", "--data", str(demo.data), "--port", "0"],
        env=demo.environment, capture_output=True, text=True, timeout=30, cwd=ROOT,
    )  # fmt: skip
    assert done.returncode == 5
    assert "another Netloom server" in done.stderr
    assert demo.run("lines"), "the first one goes on"


def test_silent_in_the_middle_of_a_write_then_told_and_repeatable(demo: Demo) -> None:
    """The cable is out for longer than patience; half of the values were taken."""
    demo.run("fault", "pull-cable", "Ticket hall box", "--seconds", "12")
    demo.run("set", "Ticket hall box", *(f"/inputs/{n}/settle_ms=40" for n in (1, 2, 3, 4)))
    applied = demo.json("apply", "Ticket hall box", "--yes", expect=4)["devices"][0]
    assert applied["result"] == "unknown"
    assert "nobody knows which of 4" in applied["message"]
    time.sleep(8)
    demo.run("read", "Ticket hall box")
    plan = demo.json("plan", "Ticket hall box")
    assert len(plan["steps"][0]["changes"]) == 2, "half was taken; only the rest is planned"
    assert demo.json("apply", "Ticket hall box", "--yes")["devices"][0]["result"] == "done"


def test_a_device_that_lies_is_caught(demo: Demo) -> None:
    demo.run("fault", "lie", "Ticket hall box", "/relays/7/idle")
    demo.run("set", "Ticket hall box", "/relays/7/idle=closed")
    failed = demo.json("apply", "Ticket hall box", "--yes", expect=4)["devices"][0]
    assert "Relay 7 idle state of" in failed["message"]
    assert failed["try"]
    demo.run("fault", "clear", "Ticket hall box")
    demo.json("apply", "Ticket hall box", "--yes")


def test_what_a_device_does_not_tell_is_neither_done_nor_another_value(demo: Demo) -> None:
    demo.run("fault", "mumble", "Ticket hall box", "/relays/6/idle")
    demo.run("set", "Ticket hall box", "/relays/6/idle=closed")
    told = demo.json("apply", "Ticket hall box", "--yes", expect=3)["devices"][0]
    assert told["result"] == "unproven"
    assert "Relay 6 idle state: it tells" in told["message"]
    entries = demo.json("journal", "--device", "Ticket hall box")["entries"]
    written = next(one for one in entries if one["kind"] == "outcome" and one["action"] == "write")
    assert written["outcome"] == "unproven"
    assert "is not one of open, closed" in written["changes"][0]["untold"]
    demo.run("fault", "clear", "Ticket hall box")
    assert demo.json("plan", "Ticket hall box")["steps"] == [], "it had it all the time"


def test_taking_a_run_back(demo: Demo) -> None:
    demo.run("set", "Ticket hall box", "/relays/8/idle=closed")
    run = demo.json("apply", "Ticket hall box", "--yes")["run"]
    demo.json("undo", run, "--yes")
    shown = demo.device("Ticket hall box")
    assert shown["running"]["relays"]["8"]["idle"] == "open"
    assert shown["counts"]["pending"] == 0, "what was taken back is not pending again"


def test_wrong_credentials(demo: Demo) -> None:
    demo.run("credentials", "Ticket hall box", "--user", "admin", "--password", "not-this")
    failed = demo.json("read", "Ticket hall box", expect=4)["devices"][0]
    assert "does not take the user name and password" in failed["message"]
    assert "not-this" not in str(failed)
    demo.run("credentials", "Ticket hall box", "--user", "admin", "--password", "hallvane")
    demo.json("read", "Ticket hall box")


def test_a_backup_of_another_model(demo: Demo) -> None:
    other = next(b for b in demo.json("backups")["backups"] if b["model"] == "DM24")
    told = demo.refused("restore", "Ticket hall box", "--backup", other["id"], "--yes", expect=5)
    assert told["code"] == "wrong-model"
    assert "Nothing was changed" in told["try"]


def test_refusals_by_kind(demo: Demo) -> None:
    taken = demo.refused("address", f"Slipway box={demo.address(11)}", expect=5)
    assert "belongs to Ticket hall box" in taken["message"]
    assert demo.refused("address", "Slipway box=127.99.0.1", expect=2)["code"] == "address-outside"
    assert demo.refused("set", "Slipway box", "/relays/1/pulse_ms=7", expect=2)["code"] == "out-of-range"
    assert demo.refused("line", "add", "--serial", "/dev/no-such-port", expect=4)["code"] == "port-missing"
    bus = next(line for line in demo.json("lines")["lines"] if line["kind"] == "serial")
    held = str(Path(bus["path"]).resolve())
    assert demo.refused("line", "add", "--serial", held, "--name", "Again", expect=5)["code"] == "conflict"
    assert demo.refused("line", "add", "--ip", "127.23.10.128/25", expect=5)["code"] == "conflict"


def test_a_missing_device_is_told_not_waited_for(demo: Demo) -> None:
    demo.run("fault", "silence", "Car deck box")
    proof = demo.verified("Car deck box")["Car deck box"]
    assert proof["result"] == "unreachable"
    assert proof["message"]
    demo.run("fault", "clear", "Car deck box")
    assert demo.verified("Car deck box")["Car deck box"]["result"] == "drift"


def test_without_a_server(tmp_path: Path, demo: Demo) -> None:
    nowhere = Demo(tmp_path, NETWORK)
    assert nowhere.refused("devices", expect=5)["code"] == "not-running"


def test_one_that_comes_up_where_a_server_puts_it_is_followed(demo: Demo) -> None:
    """It took the new address and restarts, and a DHCP server gives it another one: said, followed, not lost."""
    demo.run("fault", "lease", "Slipway box", demo.address(77))
    demo.run("address", f"Slipway box={demo.address(15)}")
    done = demo.json("apply", "Slipway box", "--yes", expect=4)
    [box] = done["devices"]
    assert box["result"] == "failed", box["message"]
    assert f"it came up at {demo.address(77)}, where it is followed" in box["message"]
    assert demo.device("Slipway box")["addresses"][0]["address"] == demo.address(77)
    assert demo.run("drive", "Slipway box", "relay-1", "on") is not None, "and it can be worked with there"
    demo.run("fault", "lease", "Slipway box")
    demo.run("fault", "clear", "Slipway box")
    demo.run("apply", "Slipway box", "--yes", expect=None)
    demo.json("sweep", "Terminal network", expect=None)
    assert demo.device("Slipway box")["addresses"][0]["address"] == demo.address(15)
    assert demo.json("journal")["whole"]
