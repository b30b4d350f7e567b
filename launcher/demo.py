"""Starting the server, and for the demo the stand-ins beside it; Ctrl-C ends all of it."""

from __future__ import annotations

import argparse
import contextlib
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

from launcher.setup import SetupTrouble, python_of, say

READY_S = 20.0
END_S = 8.0
MARK = "demo-data"


def serve(root: Path, arguments: argparse.Namespace, environment: dict[str, str]) -> int:
    if (arguments.data / MARK).exists():
        raise SetupTrouble(
            f"{arguments.data} holds demo data. Name another folder with --data for a real installation."
        )
    words = [str(python_of(root)), "-m", "netloom_server.main", "--data", str(arguments.data)]
    words += ["--host", arguments.host, "--port", str(arguments.port)]
    for option in ("certificate", "key"):
        if given := getattr(arguments, option):
            words += [f"--{option}", given]
    words += [part for name in arguments.name for part in ("--name", name)]
    words += [part for proxy in arguments.proxy for part in ("--proxy", proxy)]
    words += ["--no-tls"] if arguments.no_tls else []
    return _until_end({"server": subprocess.Popen(words, env=environment)})


def demo(root: Path, arguments: argparse.Namespace, environment: dict[str, str]) -> int:
    data: Path = arguments.data.resolve()
    _claim(data, fresh=arguments.fresh)
    python = str(python_of(root))
    found = data / "standins.json"
    found.unlink(missing_ok=True)
    standins = subprocess.Popen(
        [python, "-m", "netloom_standins", "--site", str(root / "demo" / "skerry_point.yaml"), "--profiles",
         str(root / "profiles"), "--data", str(data), "--network", arguments.network],
        env=environment, stdout=sys.stderr,
    )  # fmt: skip
    deadline = time.monotonic() + READY_S
    while not found.exists():
        if standins.poll() is not None or time.monotonic() > deadline:
            _end([standins])
            raise SetupTrouble("The stand-ins did not start; is another demo running? Its words are above.")
        time.sleep(0.05)
    server = subprocess.Popen(
        [python, "-m", "netloom_server.main", "--data", str(data), "--port", str(arguments.port), "--demo",
         str(data / "standins" / "site.yaml")],
        env=environment,
    )  # fmt: skip
    return _until_end({"server": server, "stand-ins": standins})


def _claim(data: Path, *, fresh: bool) -> None:
    """The folder is a demo's, or empty; a real installation's is never touched."""
    used = data.exists() and any(data.iterdir())
    if used and not (data / MARK).exists():
        raise SetupTrouble(f"{data} holds a real installation. Name another folder with --data for the demo.")
    if fresh and used:
        _not_running(data)
        for part in data.iterdir():
            if part.is_dir() and not part.is_symlink():
                shutil.rmtree(part)
            else:
                part.unlink()
    data.mkdir(parents=True, exist_ok=True, mode=0o700)
    (data / MARK).touch()


def _not_running(data: Path) -> None:
    import fcntl

    lock = data / "server.lock"
    if not lock.exists():
        return
    with lock.open() as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise SetupTrouble(f"A server is running on {data}. Stop it first.") from None


def _until_end(children: dict[str, subprocess.Popen[bytes]]) -> int:
    """Wait until one ends or somebody asks; end the others; the first one's status counts."""

    def asked(number: int, frame: FrameType | None) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, asked)
    status = 0
    try:
        while all(child.poll() is None for child in children.values()):
            time.sleep(0.1)
        name, status = next((name, one.returncode) for name, one in children.items() if one.poll() is not None)
        if status < 0:
            say(f"The {name} ended without warning (signal {-status}). What is on record is kept.")
            say("Start it again, a demo without --fresh: what was under way goes on.")
    except KeyboardInterrupt:
        say("Ending …")
    finally:
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        _end(list(children.values()))
    return status


def _end(children: list[subprocess.Popen[bytes]]) -> None:
    for child in children:
        if child.poll() is None:
            child.terminate()
    for child in children:
        with contextlib.suppress(subprocess.TimeoutExpired):
            child.wait(END_S)
        if child.poll() is None:
            child.kill()
            child.wait()
