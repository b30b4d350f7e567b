"""A network of its own for each process that runs tests, so that none hears another's multicast.

`python -m launcher.networks PROGRAM WORDS…` inside a fresh network namespace brings its loopback up
and becomes the program. `workers` gives pytest's words for running tests that way, or for running
those that listen one after another where the system forbids such namespaces.
"""

from __future__ import annotations

import fcntl
import os
import shlex
import shutil
import socket
import struct
import subprocess
import sys
from pathlib import Path

SIOCGIFFLAGS, SIOCSIFFLAGS, IFF_UP = 0x8913, 0x8914, 0x1
SIDE_BY_SIDE = 8  # part of the time tests wait for lines, browsers and starts
LISTENING = ("standins", "made_up", "peers", "laboratory", "scenarios", "browser")  # folders of tests that open ports


def unshare_words() -> list[str]:
    """How a namespace is entered here; empty where the system forbids it."""
    unshare = shutil.which("unshare")
    if unshare is None:
        return []
    if os.geteuid() == 0:
        ways = [[unshare, "--net", "--mount"]]
    else:  # as oneself, with the rights of the namespace's owner in it
        ways = [[unshare, "--user", "--map-current-user", "--keep-caps", "--net", "--mount"]]
    for way in ways:
        done = subprocess.run([*way, sys.executable, __file__, "true"], capture_output=True, check=False)
        if done.returncode == 0:
            return way
    return []


def workers(root: Path, python: str) -> list[list[str]]:
    """pytest's words, for each time that it has to be run. A file's tests stay in one process."""
    words = unshare_words()
    if not words:
        print("This system allows no network namespaces: tests that listen run one after another.", file=sys.stderr)
        alone = sorted(str(path.relative_to(root)) for path in (root / "tests").iterdir() if path.name in LISTENING)
        beside = [f"--ignore={path}" for path in alone]
        return [["-n", str(SIDE_BY_SIDE), "--dist", "loadfile", *beside], alone]
    wrapper = root / ".tools" / "worker"
    wrapper.parent.mkdir(exist_ok=True)
    command = shlex.join([*words, python, str(Path(__file__).resolve()), python])
    wrapper.write_text(f'#!/bin/sh\nexec {command} "$@"\n')
    wrapper.chmod(0o755)
    return [["--tx", f"{SIDE_BY_SIDE}*popen//python={wrapper}", "--dist", "loadfile", "--no-loadscope-reorder"]]


def loopback_up() -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        name = struct.pack("16sh14x", b"lo", 0)
        flags = struct.unpack_from("h", fcntl.ioctl(sock, SIOCGIFFLAGS, name), 16)[0]
        fcntl.ioctl(sock, SIOCSIFFLAGS, struct.pack("16sh14x", b"lo", flags | IFF_UP))


def card() -> None:
    """A network card that leads nowhere, as every computer has one: some servers refuse to listen without."""
    path = f"{os.environ.get('NETLOOM_PEERS', '')}:{os.environ.get('PATH', '')}:/usr/sbin:/sbin"
    ip = shutil.which("ip", path=path)
    if ip is None:
        return
    libraries = os.environ.get("NETLOOM_PEER_LIBRARIES", "")
    environment = {**os.environ, "LD_LIBRARY_PATH": libraries} if libraries else dict(os.environ)
    for words in (
        ["link", "add", "card", "type", "veth", "peer", "name", "wall"],
        ["address", "add", "10.76.0.1/30", "dev", "card"],
        ["link", "set", "card", "up"],
        ["link", "set", "wall", "up"],
    ):
        subprocess.run([ip, *words], env=environment, capture_output=True, check=False)


def own_run_folder() -> None:
    """`ip netns` keeps its names in /run, which an ordinary user cannot write: there this namespace gets its own."""
    if os.geteuid() != 0:
        subprocess.run(["mount", "-t", "tmpfs", "tmpfs", "/run"], capture_output=True, check=False)


if __name__ == "__main__":
    loopback_up()
    own_run_folder()
    card()
    os.execvp(sys.argv[1], sys.argv[1:])  # noqa: S606 - the words are pytest's own
