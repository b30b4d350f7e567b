"""The command line, loaded once: each call is a child of this process, with its own arguments, environment and output.

What a call costs besides is the start of Python and its imports, half a second hundreds of times. The first round of
the command line's own test begins each call as a person would.
"""

from __future__ import annotations

import atexit
import importlib
import json
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Mapping
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
LOOK_S = 0.002  # between looks whether a child has ended


class Spare:
    """One such process, begun with the first call and ended with the tests."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._turn = threading.Lock()

    def run(self, words: tuple[str, ...], environment: Mapping[str, str], timeout: float) -> tuple[int, str, str]:
        """(exit status, standard output, standard error)"""
        with self._turn:
            if self._process is None or self._process.poll() is not None:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "tests.spare_cli"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
                    env={**environment, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}, cwd=ROOT,
                )  # fmt: skip
                atexit.register(self._process.kill)
            assert self._process.stdin is not None
            assert self._process.stdout is not None
            asked = {"words": words, "environment": dict(environment), "timeout": timeout}
            self._process.stdin.write(json.dumps(asked) + "\n")
            self._process.stdin.flush()
            told = json.loads(self._process.stdout.readline())
        if told["status"] is None:
            raise subprocess.TimeoutExpired(list(words), timeout, told["out"], told["err"])
        return told["status"], told["out"], told["err"]


SPARE = Spare()


def _one(words: list[str], environment: dict[str, str], timeout: float) -> dict[str, object]:
    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        child = os.fork()
        if child == 0:
            _as_called(words, environment, out.fileno(), err.fileno())
        deadline, status = time.monotonic() + timeout, None
        while status is None and time.monotonic() < deadline:
            ended, how = os.waitpid(child, os.WNOHANG)
            if ended:
                status = os.waitstatus_to_exitcode(how)
            else:
                time.sleep(LOOK_S)
        if status is None:
            os.kill(child, 9)
            os.waitpid(child, 0)
        texts = []
        for file in (out, err):
            file.seek(0)
            texts.append(file.read().decode("utf-8", "replace"))
    return {"status": status, "out": texts[0], "err": texts[1]}


def _as_called(words: list[str], environment: dict[str, str], out: int, err: int) -> None:
    """In the child; never returns."""
    from netloom_cli import main

    status = 1
    try:
        os.environ.clear()
        os.environ.update(environment)
        nothing = os.open(os.devnull, os.O_RDONLY)
        for here, there in ((nothing, 0), (out, 1), (err, 2)):
            os.dup2(here, there)
        sys.stdin = os.fdopen(0, closefd=False)
        sys.argv = ["netloom", *words]
        main.run()
    except SystemExit as end:
        status = end.code if isinstance(end.code, int) else 0
    finally:
        if (error := sys.exception()) is not None:  # as Python would: told, and an exit status of 1
            sys.excepthook(type(error), error, error.__traceback__)
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(status)


def serve() -> None:
    for name in ("http.client", "ssl", "rich.console", "rich.table", "netloom_cli.main"):
        importlib.import_module(name)
    for line in sys.stdin:
        asked = json.loads(line)
        print(json.dumps(_one(asked["words"], asked["environment"], asked["timeout"])), flush=True)


if __name__ == "__main__":
    serve()
