"""Starting the peers. Only the processes started here are ended, by their own ids."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.patience import SOON_S

Start = Callable[..., subprocess.Popen[bytes]]


def program(name: str) -> str:
    unpacked = os.environ.get("NETLOOM_PEERS", "")
    found = shutil.which(name, path=f"{unpacked}:{os.environ['PATH']}:/usr/sbin:/sbin".lstrip(":"))
    assert found, f"{name} is not here; `./netloom test` unpacks it from Debian's package"
    return found


def peer_environment() -> dict[str, str]:
    """The unpacked programs find the libraries that were unpacked with them."""
    libraries = os.environ.get("NETLOOM_PEER_LIBRARIES", "")
    return {**os.environ, "LD_LIBRARY_PATH": libraries} if libraries else dict(os.environ)


def wait_for(address: str, port: int) -> None:
    deadline = time.monotonic() + SOON_S
    while time.monotonic() < deadline:
        with socket.socket() as sock:
            if sock.connect_ex((address, port)) == 0:
                return
        time.sleep(0.05)
    raise AssertionError(f"nothing listens on {address} port {port}")


@pytest.fixture
def start(tmp_path: Path) -> Iterator[Start]:
    started: list[subprocess.Popen[bytes]] = []

    def begin(name: str, *words: str) -> subprocess.Popen[bytes]:
        log = (tmp_path / f"{name}.log").open("wb")
        process = subprocess.Popen(
            [program(name), *words], stdout=log, stderr=log, stdin=subprocess.DEVNULL, env=peer_environment()
        )
        started.append(process)
        return process

    yield begin
    for process in started:
        process.terminate()
        try:
            process.wait(5)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait(5)
