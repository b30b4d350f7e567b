"""The library read once and kept: a file that only who has its key could have written, for these profiles and this
program.

It is a pickle, so it is opened only after its keyed digest was found right; anything else is read anew, and so is a
library of which a file, or a file of this program, is another one now.
"""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import logging
import os
import pickle
import sys
from pathlib import Path

import pydantic

from netloom_core.library.load import Library

MAX_BYTES = 200_000_000
PROGRAM = Path(__file__).resolve().parents[1]
log = logging.getLogger("netloom.library")


def read_kept(folder: Path, kept: Path, key: bytes) -> Library:
    """The library of that folder, from `kept` where that is right, else read and kept there. Raises ProfileError.

    A file that cannot be read or written costs time, nothing else.
    """
    mark = _mark(folder)
    with contextlib.suppress(OSError):
        if kept.stat().st_size <= MAX_BYTES:
            data = kept.read_bytes()
            if hmac.compare_digest(data[:32], _digest(key, mark, data[32:])):
                library: Library = pickle.loads(data[32:])  # noqa: S301 - whoever wrote it has our key
                return library
    library = Library.read(folder)
    payload = pickle.dumps(library, pickle.HIGHEST_PROTOCOL)
    part = kept.with_name(f".{kept.name}.{os.getpid()}.part")
    try:
        kept.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        part.touch(mode=0o600)
        part.write_bytes(_digest(key, mark, payload) + payload)
        part.replace(kept)
    except OSError as error:
        log.warning("the library could not be kept: %s", error.strerror)
    finally:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
    return library


def _digest(key: bytes, mark: bytes, payload: bytes) -> bytes:
    return hmac.new(key, mark + payload, hashlib.sha256).digest()


def _mark(folder: Path) -> bytes:
    """Of all that makes the library what it is: its files, this program's, and what runs it."""
    found = hashlib.sha256(f"{sys.version} {pydantic.VERSION}".encode())
    for base, kind in ((folder, "*.yaml"), (PROGRAM, "*.py")):
        for path in sorted(base.rglob(kind)):
            state = path.stat()
            found.update(f"{path}\0{state.st_size}\0{state.st_mtime_ns}\0{state.st_ino}\n".encode())
    return found.digest()
