"""A server under a desk for years: how it starts, ends, refuses, is cared for, and is reached over a network."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import sqlite3
import ssl
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from netloom_server.care.tls import own_certificate
from tests.demo import Program
from tests.spare import ROOT, SPARE_CALLS, SPARE_PROGRAMS, Spare

SERVER = "netloom_server.main"
READY_S = 120  # beside other work a start takes its time


class Server:
    """Only the processes started here are ended, by their own ids. With `each_apart` one is begun as a person does."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.each_apart = False
        self.process: Program | None = None
        self.environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "NETLOOM_DATA": str(data)}
        self.environment.pop("DJANGO_SETTINGS_MODULE", None)

    def begin(self, *more: str) -> Program:
        words, path = ("--data", str(self.data), "--port", "0", *more), self.data.parent / "log"
        if not self.each_apart:
            return SPARE_PROGRAMS.begin(SERVER, words, self.environment, path)
        line = [sys.executable, "-m", SERVER, *words]
        with path.open("ab") as log:
            return subprocess.Popen(line, env=self.environment, stdout=log, stderr=log)

    def start(self, *more: str) -> None:
        """What an earlier one left is still there."""
        found = self.data / "server.json"
        before = found.read_bytes() if found.exists() else b""
        self.process = self.begin(*more)
        deadline = time.monotonic() + READY_S
        while not found.exists() or found.read_bytes() == before:
            assert self.process.poll() is None, self.log()
            assert time.monotonic() < deadline, self.log()
            time.sleep(0.05)

    def refused(self, *more: str) -> tuple[int, str]:
        words = ("--data", str(self.data), "--port", "0", *more)
        status, _, said = SPARE_PROGRAMS.run(words, self.environment, READY_S, SERVER)
        return status, said

    def log(self) -> str:
        return (self.data.parent / "log").read_text()

    def end(self, number: int = signal.SIGTERM) -> int:
        assert self.process is not None
        self.process.send_signal(number)
        status = self.process.wait(60)
        self.process = None
        return status

    def care(self, *words: str) -> tuple[int, Any]:
        return self._json(SPARE_PROGRAMS, "netloom_server.care", *words)

    def cli(self, *words: str) -> tuple[int, Any]:
        return self._json(SPARE_CALLS, "netloom_cli", *words)

    def _json(self, spare: Spare, module: str, *words: str) -> tuple[int, Any]:
        status, out, _ = spare.run(("--json", *words), self.environment, READY_S, module)
        return status, json.loads(out)

    def records(self, *statements: str) -> None:
        db = sqlite3.connect(self.data / "netloom.sqlite3")
        with db:
            for statement in statements:
                db.execute(statement)
        db.close()


def opened(link: str, url: str) -> Any:
    """An answer that goes on, to somebody who came in by the link."""
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    opener.open(link, timeout=READY_S).read()
    return opener.open(url, timeout=READY_S)


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Server]:
    made = Server(tmp_path / "data")
    made.data.mkdir(mode=0o755)
    yield made
    if made.process is not None and made.process.poll() is None:
        made.process.kill()
        made.process.wait(10)


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGINT])
def test_it_ends_in_order_when_it_is_told_to(server: Server, number: int) -> None:
    server.each_apart = True
    server.start()
    told = json.loads((server.data / "server.json").read_text())
    status, made = server.cli("people", "link")
    assert status == 0
    follower = opened(made["url"], told["url"] + "/api/events")
    assert follower.readline()
    assert server.end(number) == 0
    assert "shutdown exceeded" not in server.log(), "nobody is waited for until patience ends"
    assert follower.read().endswith(b"\n"), "who listened was let go"
    assert "never retrieved" not in server.log()
    assert not (server.data / "server.json").exists()
    assert not any(file.stat().st_size for file in server.data.glob("*-wal")), "all is in the database's one file"
    assert "Traceback" not in server.log()


def test_told_to_end_while_it_begins_it_ends_in_order(server: Server) -> None:
    """Right after it has its folder: it begins, and then ends."""
    server.each_apart = True
    server.process = server.begin()
    until = time.monotonic() + READY_S
    while not (server.data / "netloom.sqlite3").exists():
        assert time.monotonic() < until
        time.sleep(0.005)
    assert server.end() == 0
    assert not (server.data / "server.json").exists()


def test_a_start_after_a_death_says_so_and_an_orderly_one_does_not(server: Server) -> None:
    server.start()
    assert server.end(signal.SIGKILL) == -signal.SIGKILL
    server.records(
        "INSERT INTO runs_run (id, number, kind, by, params, state, result, message, cancel, progress, created) "
        "VALUES ('r1', 1, 'read', 't', '{}', 'running', '{}', '', 0, '{}', '2026-11-25 00:00:00')"
    )
    server.start()
    assert "ended without warning" in server.log()
    assert "Runs under way that go on now: 1." in server.log()
    assert server.end() == 0
    before = len(server.log())
    server.start()
    assert "without warning" not in server.log()[before:]


def test_nobody_else_may_look_into_the_folder(server: Server) -> None:
    server.start()
    server.end()
    (server.data / "netloom.sqlite3").chmod(0o644)
    server.data.chmod(0o755)
    status, told = server.care("doctor")
    assert status == 3
    assert [one["message"] for one in told["looked"] if one["what"] == "rights"] != ["nobody else may look into it"]
    server.start()
    assert server.data.stat().st_mode & 0o777 == 0o700
    for path in [*server.data.glob("netloom.sqlite3*"), *(server.data / "keys").iterdir()]:
        assert path.stat().st_mode & 0o077 == 0, path


def test_a_damaged_database_is_told_and_a_safe_copy_put_back(server: Server) -> None:
    server.start()
    assert server.cli("line", "add", "--ip", "127.33.9.0/29", "--name", "Kept network")[0] == 0
    assert server.care("copies", "--make")[0] == 0
    _, told = server.care("copies")
    name = told["copies"][0]["name"]
    assert server.care("put-back", name)[0] == 5, "not under a running server"
    server.cli("line", "add", "--ip", "127.33.9.8/29", "--name", "Lost network")
    server.end()
    path = server.data / "netloom.sqlite3"
    data = bytearray(path.read_bytes())
    data[100:5000] = b"\xff" * 4900
    path.write_bytes(data)
    status, words = server.refused()
    assert status == 1
    assert "damaged" in words
    assert "netloom put-back" in words
    assert "Traceback" not in words
    assert server.care("put-back", "../../etc/passwd")[0] == 2
    status, told = server.care("put-back", name)
    assert status == 0
    assert (server.data / told["kept"]).read_bytes() == bytes(data), "what was there is kept"
    server.start()
    names = [line["name"] for line in server.cli("lines")[1]["lines"]]
    assert names == ["Kept network"]


def test_a_newer_folder_is_refused_and_left_as_it_is(server: Server) -> None:
    server.start()
    server.end()
    server.records("INSERT INTO django_migrations (app, name, applied) VALUES ('runs', '0999_wonders', '2030-01-01')")
    status, words = server.refused()
    assert status == 5
    assert "newer Netloom" in words
    assert "0999_wonders" in words


def test_before_a_migration_a_copy_is_made(server: Server) -> None:
    server.start()
    server.end()
    server.records(
        "DELETE FROM django_migrations WHERE app = 'papers'",
        "DROP TABLE papers_paper",
    )
    server.start()
    assert [copy["why"] for copy in server.care("copies")[1]["copies"]] == ["before-migration"]
    assert server.cli("devices") == (0, {"devices": []})


def test_a_port_in_use_and_a_folder_that_is_none_are_told_in_words(server: Server, tmp_path: Path) -> None:
    server.start()
    url = json.loads((server.data / "server.json").read_text())["url"]
    other = Server(tmp_path / "other")
    other.data.write_text("a file")
    status, words = other.refused()
    assert (status, "Traceback" in words, "--data" in words) == (5, False, True)
    third = Server(tmp_path / "third")
    status, words = third.refused("--port", url.rsplit(":", 1)[1])
    assert (status, "--port" in words) == (5, True)


def test_it_tells_whether_it_is_alive_and_ready_and_its_measures(server: Server) -> None:
    server.start()
    told = json.loads((server.data / "server.json").read_text())
    assert get(told["url"] + "/api/health") == 200
    assert get(told["url"] + "/api/ready") == 200
    assert get(told["url"] + "/api/metrics") == 401
    request = urllib.request.Request(told["url"] + "/api/metrics", headers={"Authorization": f"Bearer {told['token']}"})
    with urllib.request.urlopen(request, timeout=READY_S) as answer:
        assert answer.headers["Content-Type"].startswith("application/openmetrics-text")
        text = answer.read().decode()
    families = {family.name: family for family in text_string_to_metric_families(text)}
    assert families["netloom_devices"].samples[0].value == 0
    assert families["netloom_up_seconds"].samples[0].value > 0
    assert told["token"] not in text
    db = sqlite3.connect(server.data / "netloom.sqlite3", isolation_level=None)
    db.execute("BEGIN IMMEDIATE")  # another program holds the records
    assert get(told["url"] + "/api/health") == 200
    assert get(told["url"] + "/api/ready") == 503
    db.execute("ROLLBACK")
    db.close()
    assert get(told["url"] + "/api/ready") == 200


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A disk of eight megabytes of its own."""
    folder = tmp_path / "small"
    folder.mkdir()
    made = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=8m", "tmpfs", str(folder)], capture_output=True)
    if made.returncode:
        pytest.skip("this system lets nobody mount a small disk here")
    yield folder
    subprocess.run(["umount", "-l", str(folder)], check=True)


def fill(path: Path) -> None:
    """Take all the room that is left."""
    out = os.open(path, os.O_WRONLY | os.O_CREAT)
    for size in (65536, 4096, 1):
        with contextlib.suppress(OSError):
            while os.write(out, b"x" * size):
                pass
    os.close(out)


def test_a_full_disk_is_told_and_work_goes_on_when_there_is_room_again(small_disk: Path, tmp_path: Path) -> None:
    server = Server(small_disk / "data")
    server.data.mkdir()
    server.start()
    try:
        assert server.cli("line", "add", "--ip", "127.33.9.0/29", "--name", "Before")[0] == 0
        filler = small_disk / "filler"
        fill(filler)
        for number in range(60):  # the database has some room of its own, which has to be full, too
            rules = tmp_path / "rules.json"
            names = [{"number": n, "name": f"{number} {'x' * 70}"} for n in range(500)]
            rules.write_text(json.dumps({"universes": names}))
            status, told = server.cli("places", "rules", "Before", "--set", str(rules))
            if status:
                break
        assert (status, told["error"]["code"]) == (5, "disk-full"), told
        assert "Make room" in told["error"]["try"]
        assert server.cli("lines")[1]["lines"], "it can still be looked at"
        url = json.loads((server.data / "server.json").read_text())["url"]
        assert get(url + "/api/health") == 200
        filler.unlink()
        assert server.cli("line", "add", "--ip", "127.33.9.8/29", "--name", "After")[0] == 0
        names = [line["name"] for line in server.cli("lines")[1]["lines"]]
        assert {"Before", "After"} <= set(names)
        assert get(url + "/api/ready") in (200, 503)
    finally:
        server.end()
    assert "Traceback" not in server.log().split("No space")[0]


def get(url: str, **headers: str) -> int:
    trust = ssl.create_default_context()
    trust.check_hostname, trust.verify_mode = False, ssl.CERT_NONE
    try:
        with urllib.request.urlopen(
            urllib.request.Request(url, headers=headers), timeout=READY_S, context=trust
        ) as answer:
            return int(answer.status)
    except urllib.error.HTTPError as error:
        return error.code


def test_beyond_this_computer_it_speaks_tls_and_answers_to_its_names_only(server: Server, tmp_path: Path) -> None:
    server.start("--host", "127.33.9.1", "--name", "netloom.skerry.example")
    told = json.loads((server.data / "server.json").read_text())
    assert told["url"].startswith("https://127.33.9.1:")
    assert "fingerprint" in server.log()
    assert server.cli("lines")[0] == 0, "the command line reaches it"
    assert get(told["url"] + "/api/session", Host="netloom.skerry.example") == 401
    assert get(told["url"] + "/api/session", Host="evil.example") == 400
    kept = Path(told["certificate"]).read_bytes()
    server.end()
    server.start("--host", "127.33.9.1")
    assert Path(told["certificate"]).read_bytes() == kept, "its fingerprint stays"
    fresh = json.loads((server.data / "server.json").read_text())
    another, _ = own_certificate(tmp_path / "other-keys", ["127.33.9.1"])
    (server.data / "server.json").write_text(json.dumps({**fresh, "certificate": str(another)}))
    status, error = server.cli("lines")
    assert (status, error["error"]["code"]) == (5, "not-running"), "it tells its token to no other server"
