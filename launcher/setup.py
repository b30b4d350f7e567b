"""Brings the checkout to where it can run: Python packages, the built interface, a browser for tests.

Each part leaves a stamp of what it was made from, so a second start only compares stamps.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

UV = "uv==0.13.9"
NODE_MAJOR = 20
POLICY = Path("/usr/sbin/policy-rc.d")
SYSTEM_PATH = f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin"
PEERS = {
    "snmpd": "snmpd",
    "sshd": "openssh-server",
    "ssh-keygen": "openssh-client",
    "ser2net": "ser2net",
    "ip": "iproute2",
}
UNITS = {"openssh-server": "ssh"}


class SetupTrouble(Exception):
    """What is missing and what to do, for the person."""


def say(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def stamp_of(*files: Path) -> str:
    digest = hashlib.sha256()
    for file in files:
        digest.update(file.name.encode() + b"\0" + file.read_bytes())
    return digest.hexdigest()


def python_of(root: Path) -> Path:
    return root / ".venv" / "bin" / "python"


def ensure_python(root: Path, *, dev: bool) -> None:
    """The virtual environment with pinned packages; those for tests too when `dev`."""
    run, tests = root / "requirements.txt", root / "requirements-dev.txt"
    marks = {name: root / ".venv" / f"netloom-{name}.stamp" for name in ("run", "dev")}
    wanted = {"run": stamp_of(run), "dev": stamp_of(run, tests)}
    fresh = {name: mark.exists() and mark.read_text() == wanted[name] for name, mark in marks.items()}
    if fresh["dev"] or (fresh["run"] and not dev):
        return
    say("Setting up Python packages (once) …")
    if not python_of(root).exists():
        made = subprocess.run([sys.executable, "-m", "venv", str(root / ".venv")], capture_output=True, text=True)
        if made.returncode:
            shutil.rmtree(root / ".venv", ignore_errors=True)
            apt_install("python3-venv", why="Python's venv module is")
            subprocess.run([sys.executable, "-m", "venv", str(root / ".venv")], check=True)
    python = str(python_of(root))
    lock = tests if dev else run
    quiet = {"stdout": sys.stderr, "check": True}
    subprocess.run([python, "-m", "pip", "install", "-q", "--disable-pip-version-check", UV], **quiet)
    subprocess.run(
        [python, "-m", "uv", "pip", "sync", "-q", "--require-hashes", "--python", python, str(lock)], **quiet
    )
    for mark in marks.values():
        mark.unlink(missing_ok=True)
    marks["dev" if dev else "run"].write_text(wanted["dev" if dev else "run"])


def ensure_web(root: Path) -> None:
    """The interface, built into web/dist."""
    web = root / "web"
    sources = sorted(file for file in (web / "src").rglob("*") if file.is_file())
    settings = [web / name for name in ("package.json", "package-lock.json", "index.html", "vite.config.ts")]
    wanted = stamp_of(*settings, *sources)
    mark = web / "dist" / "netloom.stamp"
    if mark.exists() and mark.read_text() == wanted:
        return
    npm = shutil.which("npm")
    if npm is None:
        raise SetupTrouble(
            f"The interface is built with Node.js {NODE_MAJOR} and npm, which are not here. Install them."
        )
    ensure_packages(web, npm)
    say("Building the interface …")
    subprocess.run([npm, "run", "--silent", "build"], cwd=web, stdout=sys.stderr, check=True)
    mark.write_text(wanted)


def ensure_packages(web: Path, npm: str) -> None:
    lock = stamp_of(web / "package-lock.json")
    mark = web / "node_modules" / ".netloom.stamp"
    if mark.exists() and mark.read_text() == lock:
        return
    say("Setting up npm packages (once) …")
    subprocess.run([npm, "ci", "--no-audit", "--no-fund", "--loglevel=error"], cwd=web, stdout=sys.stderr, check=True)
    mark.write_text(lock)


def apt_install(*packages: str, why: str) -> None:
    """Install from Debian where that may be. Services in the packages are not started."""
    apt = shutil.which("apt-get")
    if apt is None or os.geteuid() != 0:
        raise SetupTrouble(f"{why} missing. As root: apt-get install {' '.join(packages)}")
    say(f"Installing {' '.join(packages)} from Debian …")
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    subprocess.run([apt, "update", "-qq"], stdout=sys.stderr, env=environment, check=False)
    with _no_service_starts():
        done = subprocess.run([apt, "install", "-y", "-qq", *packages], stdout=sys.stderr, env=environment, check=False)
    if done.returncode:
        raise SetupTrouble(f"{why} could not be installed. As root: apt-get install {' '.join(packages)}")


@contextlib.contextmanager
def _no_service_starts() -> Iterator[None]:
    """Debian asks this file before it starts a service; 101 is no. The tests start what they need themselves."""
    if POLICY.exists():
        yield
        return
    POLICY.write_text("#!/bin/sh\nexit 101\n")
    POLICY.chmod(0o755)
    try:
        yield
    finally:
        POLICY.unlink(missing_ok=True)


def ensure_browser() -> None:
    if not (shutil.which("chromium") and shutil.which("chromedriver")):
        apt_install("chromium", "chromium-driver", why="The browser for the interface's tests is")


def ensure_peers() -> None:
    """The independent servers that tests talk to, and `ip` for namespaces."""
    missing = [package for program, package in PEERS.items() if not shutil.which(program, path=SYSTEM_PATH)]
    if missing:
        apt_install(*missing, why="Servers that the tests talk to are")
        for package in missing:
            if shutil.which("systemctl"):  # nor shall they start with the computer
                unit = UNITS.get(package, package)
                subprocess.run(["systemctl", "disable", "-q", unit], stderr=subprocess.DEVNULL, check=False)
