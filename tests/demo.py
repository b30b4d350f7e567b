"""The demo as its own processes, in a network of its own, and the command line against it."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from tests.spare import SPARE_CALLS, SPARE_PROGRAMS, Begun

ROOT = Path(__file__).resolve().parents[1]
Program = subprocess.Popen[bytes] | Begun
FIRST_ROUND = "tests/sites/first_round.yaml"
READY_S = 120  # beside other work a start of four processes takes its time


class Demo:
    """Only the processes started here are ended, by their own ids.

    With `each_apart` every program is begun as a person begins it, else as a child of one that is loaded already.
    """

    each_apart = False

    def __init__(self, data: Path, network: str, site: str = FIRST_ROUND) -> None:
        self.data = data
        self.site = site
        self.network = network
        self.environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "NETLOOM_DATA": str(data),
            "PYTHONUNBUFFERED": "1",
        }
        self.environment.pop("DJANGO_SETTINGS_MODULE", None)
        self.standins: Program | None = None
        self.server: Program | None = None

    def address(self, host: int) -> str:
        return self.network.replace(".0/24", f".{host}")

    def start(self) -> None:
        site = ["--site", str(ROOT / self.site), "--profiles", str(ROOT / "profiles")]
        self.standins = self._spawn("netloom_standins", *site, "--data", str(self.data), "--network", self.network)
        self._wait("standins.json", self.standins)
        self.start_server()

    def start_server(self) -> None:
        (self.data / "server.json").unlink(missing_ok=True)
        words = ["--data", str(self.data), "--port", "0", "--demo", str(self.data / "standins/site.yaml")]
        self.server = self._spawn("netloom_server.main", *words)
        self._wait("server.json", self.server)

    def _spawn(self, module: str, *words: str) -> Program:
        path = self.data / f"{module}.log"
        if not self.each_apart:
            return SPARE_PROGRAMS.begin(module, words, self.environment, path)
        with path.open("ab") as log:
            return subprocess.Popen(
                [sys.executable, "-m", module, *words], env=self.environment, stdout=log, stderr=log, cwd=ROOT
            )

    def _wait(self, name: str, process: Program) -> None:
        deadline = time.monotonic() + READY_S
        while not (self.data / name).exists():
            if process.poll() is not None or time.monotonic() > deadline:
                logs = "\n".join(log.read_text() for log in self.data.glob("*.log"))
                raise AssertionError(f"{name} did not appear\n{logs}")
            time.sleep(0.05)

    def kill_server(self) -> None:
        """As a power failure of this computer would."""
        assert self.server is not None
        self.server.send_signal(signal.SIGKILL)
        self.server.wait(10)

    def stop(self) -> None:
        for process in (self.server, self.standins):
            if process is not None and process.poll() is None:
                process.terminate()
                try:
                    process.wait(15)
                except subprocess.TimeoutExpired:
                    process.kill()
                    process.wait(5)

    # The command line

    def run(self, *words: str, expect: int | None = 0, timeout: float = 120) -> str:
        status, out, err = self._called(words, timeout)
        if expect is not None:
            assert status == expect, f"{words}: exit {status}\n{out}\n{err}"
        return out

    def _called(self, words: tuple[str, ...], timeout: float) -> tuple[int, str, str]:
        if not self.each_apart:
            return SPARE_CALLS.run(words, self.environment, timeout)
        done = subprocess.run(
            [sys.executable, "-m", "netloom_cli", *words], env=self.environment, capture_output=True, text=True,
            timeout=timeout, cwd=ROOT, stdin=subprocess.DEVNULL,
        )  # fmt: skip
        return done.returncode, done.stdout, done.stderr

    def json(self, *words: str, expect: int | None = 0) -> Any:
        return json.loads(self.run("--json", *words, expect=expect))

    def refused(self, *words: str, expect: int) -> dict[str, str]:
        """The error of a call that must fail with this exit status."""
        error: dict[str, str] = self.json(*words, expect=expect)["error"]
        assert error["message"]
        return error

    def refused_by(self, *words: str) -> str:
        """What a call that fails on a device says, in words for people."""
        status, out, err = self._called(words, 120)
        assert status not in (0, 2), out + err
        return out + err

    def device(self, word: str) -> dict[str, Any]:
        shown: dict[str, Any] = self.json("show", word)
        return shown

    def verified(self, *words: str) -> dict[str, dict[str, Any]]:
        """Proofs by device name."""
        found = self.json("verify", *words, expect=None)["devices"]
        return {one["name"]: one for one in found}
