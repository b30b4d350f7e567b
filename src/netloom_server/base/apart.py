"""Reading what strangers made, in a process of its own: bounded in memory, processor time and duration.

`python -m netloom_server.base.apart READER FILE NAME` reads a file and writes JSON; what it is started
by kills it when it takes too long, and when the client has gone. A reader is a function of the table
below and knows no records.
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import orjson
from django.conf import settings

from netloom_core.errors import ArchiveDamaged, NetloomError, ProfileError, RequestError
from netloom_server.base.gone import nobody_waits

MEMORY = 1_000_000_000  # bytes of address space, of which libraries take most
LIST_S, ARCHIVE_S, PROFILE_S, FIRMWARE_S = 2.5, 60.0, 10.0, 20.0  # of the processor's time
BUSY = 8  # times as long by the clock: a busy computer gives a process less than it asks for
LOOK_S = 0.1
MAX_ANSWER = 400_000_000
PYTHON_PATH = str(Path(__file__).resolve().parents[2])


def read_list(path: Path, name: str) -> Any:
    from netloom_server.base.tables import table_of

    return table_of(path.read_bytes(), name)


def read_wide(path: Path, name: str) -> Any:
    from netloom_server.base.tables import WIDE, table_of

    return table_of(path.read_bytes(), name, WIDE)


def read_backups(path: Path, name: str) -> Any:
    from netloom_core.backup.archive import read_archive

    archive = read_archive(path.read_bytes())
    backups = [vars(backup) for backup in archive.backups]
    whole = {"installation": archive.installation, "backups": backups, "journal": archive.journal}
    return {**whole, "documents": archive.documents}


def read_profile(path: Path, name: str) -> Any:
    """Whether it is a profile at all; what it is made of is read again by whoever takes it."""
    from netloom_core.library.read import own_profile, parts_in

    folder = Path(os.environ["NETLOOM_PROFILES"])
    return {"id": own_profile(path.read_bytes(), name, parts_in(folder)).id}


def read_firmware(path: Path, name: str) -> Any:
    from netloom_server.base.unpacking import unpacked

    return unpacked(path, name)


READERS: dict[str, tuple[Callable[[Path, str], Any], float, type[NetloomError]]] = {
    "list": (read_list, LIST_S, RequestError),
    "wide list": (read_wide, LIST_S, RequestError),
    "archive": (read_backups, ARCHIVE_S, ArchiveDamaged),
    "firmware": (read_firmware, FIRMWARE_S, RequestError),
    "profile": (read_profile, PROFILE_S, ProfileError),
}


def read_apart(reader: str, path: Path, name: str = "") -> Any:
    """What the reader gives for the file. Raises the reader's kind of error, that says what is wrong."""
    _, seconds, kind = READERS[reader]
    words = [sys.executable, "-m", "netloom_server.base.apart", reader, str(path), name[:100]]
    environment = {
        "NETLOOM_PROFILES": str(settings.PROFILES),
        "PYTHONPATH": PYTHON_PATH,
        "PATH": os.environ.get("PATH", ""),
        "OPENBLAS_NUM_THREADS": "1",
    }
    child = subprocess.Popen(  # noqa: S603 - our own module
        words, env=environment, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    output = _waited_for(child, time.monotonic() + seconds * BUSY)
    if output is None:
        raise kind(
            f"The file was not read within {seconds * BUSY:g} s; nothing was taken from it.",
            "This computer may be very busy, or the file be made to be slow. Try again, or save it smaller.",
        )
    if child.returncode == 0 and len(output) <= MAX_ANSWER:
        return orjson.loads(output)
    told = _told(output)
    if told is None:
        raise kind(
            "The file is too large or too entangled to be read; nothing was taken from it.",
            "Save it again, smaller, or in another form.",
        )
    raise kind(told["message"], told["try"])


def _waited_for(child: subprocess.Popen[bytes], until: float) -> bytes | None:
    """What it wrote; None, and it is ended, when it is too late or nobody waits for it any more."""
    try:
        while time.monotonic() < until and not nobody_waits():
            try:
                return child.communicate(timeout=LOOK_S)[0]
            except subprocess.TimeoutExpired:
                continue
        return None
    finally:
        if child.poll() is None:
            child.kill()
            child.communicate()


def _told(output: bytes) -> dict[str, str] | None:
    try:
        told = orjson.loads(output)["error"]
    except (ValueError, KeyError, TypeError):
        return None
    return {"message": str(told["message"]), "try": str(told["try"])}


def main(words: list[str]) -> int:
    reader, path, name = words
    read, seconds, _ = READERS[reader]
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (int(seconds) + 1, int(seconds) + 2))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        answer, status = orjson.dumps(read(Path(path), name)), 0
    except NetloomError as error:
        answer, status = orjson.dumps({"error": {"message": error.message, "try": error.hint}}), 3
    sys.stdout.buffer.write(answer)
    return status


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
