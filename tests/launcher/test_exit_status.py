"""Exit statuses of the command line against a server that says what it is told to."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import pytest

from netloom_cli.client import send
from tests.conftest import ROOT
from tests.patience import SOON_S

RUN = {"id": "r1", "kind": "sweep", "by": "t", "params": {}, "steps": [], "message": "", "result": {}}


class Says(BaseHTTPRequestHandler):
    """Every call is answered with the run as it is set on the server."""

    def do_GET(self) -> None:
        if self.server.run is None or (self.command == "GET" and "gone" in self.server.run):  # type: ignore[attr-defined]
            return  # it ended in the middle
        data = json.dumps(self.server.run).encode()  # type: ignore[attr-defined]
        self.send_response(200)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    do_POST = do_GET

    def do_PUT(self) -> None:
        self.send_error(413)  # and takes nothing of what else comes
        self.close_connection = True

    def log_message(self, *_: Any) -> None:
        return


@pytest.fixture
def server(tmp_path: Path) -> Iterator[ThreadingHTTPServer]:
    made = ThreadingHTTPServer(("127.0.0.1", 0), Says)
    threading.Thread(target=made.serve_forever, daemon=True).start()
    found = {"url": f"http://127.0.0.1:{made.server_port}", "token": "t", "pid": os.getpid()}
    (tmp_path / "server.json").write_text(json.dumps(found))
    yield made
    made.shutdown()
    made.server_close()


@pytest.mark.parametrize(
    ("run", "status"),
    [
        ({"state": "failed", "message": "It broke."}, 4),
        ({"state": "done", "result": {"found": [], "missing": []}}, 0),
        ({"state": "done", "result": {"found": [], "missing": [], "troubles": [
            {"line": "L", "message": "No.", "try": "Yes."}]}}, 3),
    ],
    ids=["its run failed", "all is well", "a line has trouble"],
)  # fmt: skip
def test_a_sweep_says_what_came_of_it(
    server: ThreadingHTTPServer, tmp_path: Path, run: dict[str, Any], status: int
) -> None:
    server.run = {**RUN, **run}  # type: ignore[attr-defined]
    assert ("error" in said(tmp_path, "sweep", status)) == (status == 4)


@pytest.mark.parametrize("looks", [False, True])
def test_what_nobody_answered_may_have_been_done(server: ThreadingHTTPServer, tmp_path: Path, looks: bool) -> None:
    server.run = None  # type: ignore[attr-defined]
    error = said(tmp_path, "devices" if looks else "sweep", 4)["error"]
    assert error["code"] == "no-answer"
    assert ("whether it was done is not known" in error["message"]) != looks


def test_a_run_whose_server_is_gone_was_begun(server: ThreadingHTTPServer, tmp_path: Path) -> None:
    server.run = {**RUN, "state": "running", "gone": True}  # type: ignore[attr-defined]
    assert "Run r1 was begun" in said(tmp_path, "sweep", 4)["error"]["message"]


def test_what_is_refused_before_it_is_over_is_refused(server: ThreadingHTTPServer) -> None:
    assert send("PUT", f"http://127.0.0.1:{server.server_port}/", "t", content=bytes(30_000_000))[0] == 413


def said(data: Path, command: str, status: int) -> dict[str, Any]:
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "NETLOOM_DATA": str(data)}
    words = [sys.executable, "-m", "netloom_cli", "--json", command]
    done = subprocess.run(words, env=environment, capture_output=True, text=True, timeout=SOON_S)
    assert done.returncode == status, done.stderr
    return dict(json.loads(done.stdout))
