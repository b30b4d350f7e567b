"""Safe copies of the database: made while it is used, listed, put back. No Django here."""

from __future__ import annotations

import contextlib
import json
import os
import re
import shutil
import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from netloom_server.care.folder import PRIVATE_DIR, PRIVATE_FILE, database_of, is_whole

FOLDER = "copies"
KEEP = 12
PAGES = 512  # copied between two looks at whether somebody writes
NAME = re.compile(r"^(\d{8}T\d{6})-([a-z-]+)\.sqlite3$")
HEAD = "journal.head"
AHEAD = timedelta(minutes=5)  # as far as clocks are corrected


class NoCopy(Exception):
    """Why there is no such copy, or it cannot be put back."""


@dataclass(frozen=True)
class Copy:
    """`why`: daily, before-migration or before-put-back."""

    name: str
    taken: datetime
    why: str
    size: int


def listed(data: Path) -> list[Copy]:
    """Newest first."""
    found = []
    for path in (data / FOLDER).glob("*.sqlite3"):
        if match := NAME.match(path.name):
            taken = datetime.strptime(match[1], "%Y%m%dT%H%M%S").replace(tzinfo=UTC)
            found.append(Copy(path.name, taken, match[2], path.stat().st_size))
    return sorted(found, key=lambda copy: copy.name, reverse=True)


def past(data: Path) -> list[Copy]:
    """Those that do not lie ahead of this computer's clock, newest first."""
    return [copy for copy in listed(data) if copy.taken <= datetime.now(UTC) + AHEAD]


def make(data: Path, why: str) -> Path | None:
    """A whole copy of the database as it is at one moment; None where there is no database yet.

    Raises OSError or sqlite3.Error; then there is no half of one.
    """
    source = database_of(data)
    if not source.exists():
        return None
    folder = data / FOLDER
    folder.mkdir(exist_ok=True, mode=PRIVATE_DIR)
    target = folder / f"{datetime.now(UTC):%Y%m%dT%H%M%S}-{why}.sqlite3"
    part = target.with_suffix(".part")
    part.unlink(missing_ok=True)
    try:
        os.close(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, PRIVATE_FILE))
        with (
            contextlib.closing(sqlite3.connect(source, timeout=20)) as db,
            contextlib.closing(sqlite3.connect(part)) as copy,
        ):
            db.backup(copy, pages=PAGES)
            copy.execute("PRAGMA journal_mode=DELETE")
        with part.open("rb") as written:
            os.fsync(written.fileno())
        part.replace(target)
    finally:
        part.unlink(missing_ok=True)
    _forget_old(data)
    return target


def _forget_old(data: Path) -> None:
    """The newest stay, and the newest of each reason; what lies ahead of the clock sends nobody away."""
    seen: set[str] = set()
    for number, copy in enumerate(past(data)):
        if number >= KEEP and copy.why in seen:
            (data / FOLDER / copy.name).unlink(missing_ok=True)
        seen.add(copy.why)


def put_back(data: Path, name: str) -> Path | None:
    """Make a copy the database; gives the path of what was there, which is kept. No server may run on it.

    Raises NoCopy, OSError; then all is as it was.
    """
    path = data / FOLDER / Path(name).name
    if not NAME.match(path.name) or not path.exists():
        raise NoCopy(f"There is no copy {name!r}; `netloom copies` lists them.")
    if troubles := is_whole(path):
        raise NoCopy(f"That copy is no good: {troubles[0].message}")
    database, kept = database_of(data), None
    part = database.with_suffix(".put-back")
    shutil.copyfile(path, part)
    part.chmod(PRIVATE_FILE)
    with part.open("rb") as written:
        os.fsync(written.fileno())
    for old in (database, *data.glob(f"{database.name}-*")):
        if old.exists():
            aside = data / f"{old.name}.before-{datetime.now(UTC):%Y%m%dT%H%M%S}"
            old.replace(aside)
            kept = kept or aside
    part.replace(database)
    # The journal's head told of entries that the copy does not have; the old one is kept beside.
    head = data / HEAD
    if head.exists():
        head.replace(data / f"{HEAD}.before-{datetime.now(UTC):%Y%m%dT%H%M%S}")
        if (own := _head_of(database)) is not None:
            head.write_text(json.dumps(own))
            head.chmod(PRIVATE_FILE)
    return kept


def _head_of(database: Path) -> dict[str, object] | None:
    """The head of the journal in it; None where it has no entries."""
    with contextlib.closing(sqlite3.connect(database)) as db:
        row = db.execute("SELECT id, hash FROM runs_journalentry ORDER BY id DESC LIMIT 1").fetchone()
    return {"entries": row[0], "head": row[1]} if row else None


def is_lost(data: Path) -> str:
    """Why a folder without a database once had one, in words; empty where it has one, or never had."""
    if database_of(data).exists():
        return ""
    told = [f"the head of its journal ({HEAD})"] if (data / HEAD).exists() else []
    many = len(listed(data))
    told += ["1 safe copy" if many == 1 else f"{many} safe copies"] if many else []
    return " and ".join(told)
