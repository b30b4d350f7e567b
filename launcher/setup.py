"""Brings the checkout to where it can run: Python packages, the built interface, a browser for tests.

Each part leaves a stamp of what it was made from, so a second start only compares stamps.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from pathlib import Path

UV = "uv==0.13.9"
NODE_MAJOR = 20


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
    """Install from Debian where that may be. Only for what is no service: the browser, Python's venv."""
    apt = shutil.which("apt-get")
    if apt is None or os.geteuid() != 0:
        raise SetupTrouble(f"{why} missing. As root: apt-get install {' '.join(packages)}")
    say(f"Installing {' '.join(packages)} from Debian …")
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    subprocess.run([apt, "update", "-qq"], stdout=sys.stderr, env=environment, check=False)
    done = subprocess.run([apt, "install", "-y", "-qq", *packages], stdout=sys.stderr, env=environment, check=False)
    if done.returncode:
        raise SetupTrouble(f"{why} could not be installed. As root: apt-get install {' '.join(packages)}")


def ensure_browser() -> None:
    if not (shutil.which("chromium") and shutil.which("chromedriver")):
        apt_install("chromium", "chromium-driver", why="The browser for the interface's tests is")
