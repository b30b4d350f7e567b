"""The data folder as the server needs it: private, writable, of this version, whole. No Django here."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import stat
from dataclasses import dataclass
from pathlib import Path

DATABASE = "netloom.sqlite3"
PRIVATE_DIR, PRIVATE_FILE = 0o700, 0o600
ROOM = 50_000_000  # bytes that should be free on the disk


@dataclass(frozen=True)
class Trouble:
    """Something that is wrong with the folder, and what to do. `fatal` where a server cannot work on it."""

    message: str
    hint: str
    fatal: bool = True


def database_of(data: Path) -> Path:
    return data / DATABASE


def make_private(data: Path) -> list[Trouble]:
    """Nobody else may look into it; whatever is open to others is closed, or told where that is not ours to do."""
    troubles = []
    for path in [data, *data.glob(f"{DATABASE}*"), data / "keys", *(data / "keys").glob("*"), data / "server.json"]:
        try:
            mode = path.stat().st_mode
            wanted = PRIVATE_DIR if stat.S_ISDIR(mode) else PRIVATE_FILE
            if stat.S_IMODE(mode) & 0o077:
                path.chmod(wanted)
        except FileNotFoundError:
            continue
        except OSError as error:
            hint = f"Make {path} belong to the user that the server runs as, with no rights for others."
            troubles.append(Trouble(f"{path} is open to others, and that cannot be changed: {error.strerror}.", hint))
    return troubles


def can_be_written(data: Path) -> list[Trouble]:
    me = os.geteuid()
    probe = data / f".write-{os.getpid()}"
    try:
        probe.write_bytes(b"x" * 4096)
    except OSError as error:
        hint = "Make room on that disk." if error.errno == 28 else "Make it writable for the user that runs the server."
        return [Trouble(f"The data folder {data} cannot be written: {error.strerror}.", hint)]
    finally:
        with contextlib.suppress(OSError):
            probe.unlink(missing_ok=True)
    troubles = []
    for path in [*data.glob(f"{DATABASE}*"), *(data / "keys").glob("*")]:
        if not os.access(path, os.R_OK | os.W_OK):
            hint = f"Give it to user number {me}, as which the server runs."
            troubles.append(Trouble(f"{path} cannot be read and written by this user.", hint))
    free = shutil.disk_usage(data).free
    if free < ROOM:
        text = f"The disk of the data folder has {free // 1_000_000} MB left."
        troubles.append(Trouble(text, "Make room; runs cannot be written down when it is full.", fatal=False))
    return troubles


def is_whole(database: Path) -> list[Trouble]:
    """Whether SQLite finds the database as it should be."""
    if not database.exists():
        return []
    hint = "Stop the server and put a safe copy back: `netloom copies`, then `netloom put-back COPY`."
    try:
        with contextlib.closing(sqlite3.connect(f"file:{database}?mode=rw", uri=True, timeout=5)) as db:
            said = [str(row[0]) for row in db.execute("PRAGMA quick_check(3)")]
    except sqlite3.OperationalError as error:
        if "locked" in str(error):
            return [Trouble("Another program holds the database.", "Close it: nobody else may have it open.", False)]
        return [Trouble(f"The database cannot be opened: {error}.", hint)]
    except sqlite3.DatabaseError as error:
        return [Trouble(f"The database is damaged: {error}.", hint)]
    return [] if said == ["ok"] else [Trouble(f"The database is damaged: {said[0][:200]}", hint)]


def put_in_order(database: Path) -> None:
    """At the end everything is in the database's one file: what somebody copies then is whole."""
    with contextlib.suppress(sqlite3.Error), contextlib.closing(sqlite3.connect(database, timeout=5)) as db:
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")


def migrations_in(database: Path) -> set[tuple[str, str]]:
    """(app, name) of what was done to this database; empty where there is none."""
    if not database.exists():
        return set()
    try:
        with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True, timeout=5)) as db:
            return {(str(app), str(name)) for app, name in db.execute("SELECT app, name FROM django_migrations")}
    except sqlite3.DatabaseError:
        return set()
