"""Netloom's programs, loaded once: each one that a test begins is a child of a process that has done the imports, with
its own arguments, environment and output.

What a program costs besides is the start of Python and its imports, one to three seconds of the processor hundreds of
times. The first round of the command line's own test begins each call as a person would, the care of a folder its
first server, and the launcher's tests all that they begin.
"""

from __future__ import annotations

import atexit
import contextlib
import gc
import importlib
import json
import os
import runpy
import select
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
# What is the same whatever folder a program works on: Django's settings are read from it.
CALLS = ("http.client", "ssl", "encodings.idna", "rich.console", "rich.table", "typer._adapters", "netloom_cli.main")
PROGRAMS = (
    "netloom_core.drivers.registry",
    "netloom_core.engine.engine",
    "netloom_core.library.cache",
    "netloom_core.sweep.methods.registry",
    "netloom_standins.control",
    "netloom_standins.described.loading",
    "django.core.handlers.asgi",
    "django.db.backends.sqlite3.base",
    "django.db.models",
    "cryptography.x509",
    "requests",  # of tests only; one of the packages takes it where it is there
    "uvicorn",
)


class Begun:
    """A program that goes on beside the test, used as `subprocess.Popen` is."""

    def __init__(self, pid: int, spare: Spare) -> None:
        self.pid = pid
        self.returncode: int | None = None
        self._spare = spare

    def poll(self) -> int | None:
        if self.returncode is None:
            self.returncode = self._spare.ask({"ended": self.pid})["status"]
        return self.returncode

    def wait(self, timeout: float = 60) -> int:
        deadline = time.monotonic() + timeout
        while self.poll() is None:
            if time.monotonic() > deadline:
                raise subprocess.TimeoutExpired([str(self.pid)], timeout)
            time.sleep(0.01)
        assert self.returncode is not None
        return self.returncode

    def send_signal(self, number: int) -> None:
        if self.poll() is None:
            os.kill(self.pid, number)

    def terminate(self) -> None:
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)


class Spare:
    """One such process, begun with the first call and ended with the tests."""

    def __init__(self, loaded: tuple[str, ...]) -> None:
        self._loaded = loaded
        self._process: subprocess.Popen[str] | None = None
        self._turn = threading.Lock()

    def run(
        self, words: tuple[str, ...], environment: Mapping[str, str], timeout: float, module: str = "netloom_cli"
    ) -> tuple[int, str, str]:
        """(exit status, standard output, standard error)"""
        told = self.ask({"run": module, "words": words, "environment": dict(environment), "timeout": timeout})
        if told["status"] is None:
            raise subprocess.TimeoutExpired(list(words), timeout, told["out"], told["err"])
        return told["status"], told["out"], told["err"]

    def begin(self, module: str, words: tuple[str, ...], environment: Mapping[str, str], log: Path) -> Begun:
        """One that goes on; what it says is added to the log."""
        asked = {"begin": module, "words": words, "environment": dict(environment), "log": str(log)}
        return Begun(self.ask(asked)["pid"], self)

    def ask(self, asked: dict[str, Any]) -> dict[str, Any]:
        with self._turn:
            if self._process is None:
                environment = {**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}
                environment.pop("DJANGO_SETTINGS_MODULE", None)  # what would read them here could not
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "tests.spare", *self._loaded], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                    text=True, env=environment, cwd=ROOT,
                )  # fmt: skip
                atexit.register(self._process.kill)
            assert self._process.stdin is not None
            assert self._process.stdout is not None
            self._process.stdin.write(json.dumps(asked) + "\n")
            self._process.stdin.flush()
            told: dict[str, Any] = json.loads(self._process.stdout.readline())
            return told


SPARE_CALLS = Spare(CALLS)
SPARE_PROGRAMS = Spare(PROGRAMS)


# In the process itself


def _one(asked: dict[str, Any]) -> dict[str, object]:
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        child = _child(asked["run"], asked, out.fileno(), err.fileno())
        ending = os.pidfd_open(child)
        select.select([ending], [], [], asked["timeout"])
        os.close(ending)
        status = _ended(child)
        if status is None:
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
        texts = []
        for file in (out, err):
            file.seek(0)
            texts.append(file.read().decode("utf-8", "replace"))
    return {"status": status, "out": texts[0], "err": texts[1]}


def _begun(asked: dict[str, Any]) -> dict[str, object]:
    with open(asked["log"], "ab") as log:
        return {"pid": _child(asked["begin"], asked, log.fileno(), log.fileno())}


def _ended(child: int) -> int | None:
    ended, how = os.waitpid(child, os.WNOHANG)
    return os.waitstatus_to_exitcode(how) if ended else None


def _child(module: str, asked: dict[str, Any], out: int, err: int) -> int:
    child = os.fork()
    if child == 0:
        _as_called(module, asked, out, err)
    return child


def _as_called(module: str, asked: dict[str, Any], out: int, err: int) -> None:
    """In the child; never returns."""
    status = 1
    try:
        os.environ.clear()
        os.environ.update(asked["environment"])
        nothing = os.open(os.devnull, os.O_RDONLY)
        for here, there in ((nothing, 0), (out, 1), (err, 2)):
            os.dup2(here, there)
        os.closerange(3, os.sysconf("SC_OPEN_MAX"))
        sys.stdin = os.fdopen(0, closefd=False)
        sys.argv = [module, *asked["words"]]
        runpy.run_module(module, run_name="__main__", alter_sys=True)
        status = 0
    except SystemExit as end:
        status = end.code if isinstance(end.code, int) else 0 if end.code is None else 1
    finally:
        if (error := sys.exception()) is not None:  # as Python would: told, and an exit status of 1
            sys.excepthook(type(error), error, error.__traceback__)
        with contextlib.suppress(OSError):  # whoever read it has gone
            sys.stdout.flush()
            sys.stderr.flush()
        os._exit(status)


def serve(loaded: list[str]) -> None:
    for name in loaded:
        importlib.import_module(name)
    assert threading.active_count() == 1, "a thread would not be there in a child"
    gc.freeze()  # else the first look for garbage in each child copies all of it
    for line in sys.stdin:
        asked = json.loads(line)
        if "run" in asked:
            told = _one(asked)
        elif "begin" in asked:
            told = _begun(asked)
        else:
            told = {"status": _ended(asked["ended"])}
        print(json.dumps(told), flush=True)


if __name__ == "__main__":
    serve(sys.argv[1:])
