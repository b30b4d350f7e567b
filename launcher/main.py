"""What the launcher's first word means."""

from __future__ import annotations

import argparse
import contextlib
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from launcher.demo import demo, serve
from launcher.networks import workers
from launcher.peers import ensure_peers, environment_for
from launcher.setup import SetupTrouble, ensure_browser, ensure_python, ensure_web, python_of

COLLECT = ("-m", "pytest", "--collect-only", "-qq", "-p", "no:xdist")
CARE = ("doctor", "copies", "put-back")


def default_data() -> Path:
    given = os.environ.get("NETLOOM_DATA")
    base = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    return Path(given) if given else base / "netloom"


def main(root: Path, words: list[str]) -> int:
    environment = {**os.environ, "PYTHONPATH": str(root / "src"), "PYTHONUNBUFFERED": "1"}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)  # dozens of processes begin: each would compile all of it anew
    first = words[0] if words else ""
    try:
        if first == "test":
            ensure_python(root, dev=True)
            with contextlib.nullcontext() if words[1:] else compiled_meanwhile(root, environment):
                ensure_web(root)
                ensure_browser()
                ensure_peers(root)
            environment = environment_for(root, environment)
            python = str(python_of(root))
            ends = [
                subprocess.run([python, "-m", "pytest", *chosen], cwd=root, env=environment).returncode
                for chosen in ([words[1:]] if words[1:] else workers(root, python))
            ]
            return max(ends)
        if first in ("demo", "serve"):
            arguments = _start_words(first, words[1:])
            ensure_python(root, dev=False)
            ensure_web(root)
            start = demo if first == "demo" else serve
            return start(root, arguments, environment)
        ensure_python(root, dev=False)
    except SetupTrouble as trouble:
        print(trouble, file=sys.stderr)
        return 1
    except subprocess.CalledProcessError as error:
        print(f"Setting up failed at: {' '.join(map(str, error.cmd[:4]))} … Its words are above.", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    python = str(python_of(root))
    # Care of a folder needs no running server; all else is asked of one.
    module = "netloom_server.care" if _command_of(words) in CARE else "netloom_cli"
    os.execve(python, [python, "-m", module, *words], environment)  # noqa: S606


@contextlib.contextmanager
def compiled_meanwhile(root: Path, environment: dict[str, str]) -> Iterator[None]:
    """All that tests import is compiled once, beside what is done inside: else each worker would do it for itself.

    What goes wrong with that is told by the tests.
    """
    words = [str(python_of(root)), *COLLECT]
    with subprocess.Popen(words, cwd=root, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) as it:
        try:
            yield
        except BaseException:
            it.terminate()
            raise


def _command_of(words: list[str]) -> str:
    """The command among the words; options of the program stand before it."""
    skip = False
    for word in words:
        if skip or word.startswith("-"):
            skip = word == "--data" and not skip
            continue
        return word
    return ""


def _start_words(first: str, words: list[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog=f"netloom {first}")
    parser.add_argument("--port", type=int, default=8440, help="port of the web interface (8440)")
    parser.add_argument("--data", type=Path, default=default_data(), help="data folder")
    if first == "demo":
        parser.add_argument("--fresh", action="store_true", help="begin anew: forget all of an earlier demo")
        parser.add_argument("--network", default="", help="network of the stand-ins (127.20.10.0/24)")
    else:
        parser.add_argument("--host", default="127.0.0.1", help="address to listen at; 127.0.0.1 unless told otherwise")
        parser.add_argument("--name", action="append", default=[], help="a name by which browsers reach it")
        parser.add_argument("--certificate", help="PEM file; without one and beyond this computer it makes its own")
        parser.add_argument("--key", help="PEM file with the certificate's key")
        parser.add_argument("--no-tls", action="store_true", help="plain HTTP though it is not only for this computer")
        parser.add_argument("--proxy", action="append", default=[], help="a reverse proxy's address that is believed")
    return parser.parse_args(words)
