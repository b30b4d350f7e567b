"""What is in an archive of firmware files: a zip or a tar, bounded, by the last part of each name. Nothing is executed.

Runs in a process of its own (base/apart.py), and writes beside the file that it reads.
"""

from __future__ import annotations

import stat
import tarfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any

from netloom_core.errors import RequestError

MOST_FILES = 200
MOST_ONE, MOST_ALL = 64_000_000, 256_000_000  # bytes, unpacked
MOST_NOTES = 20_000  # letters
NOTES = (".txt", ".md")
PIECE = 1 << 20


def unpacked(path: Path, name: str) -> dict[str, Any]:
    """`files` with `name` and `path`, or `why` one is left out; `notes` is the text of an only one beside them.

    What is no archive is a file itself. Raises RequestError for one that is damaged or has too much in it.
    """
    out = path.parent / "unpacked"
    out.mkdir()
    files: list[dict[str, str]] = []
    texts: list[str] = []
    had = 0
    try:
        for number, (inner, opened, why) in enumerate(_members(path, name)):
            if number >= MOST_FILES:
                raise RequestError(f"There are more than {MOST_FILES} files in {name}.", "Import them one by one.")
            short = plain(inner)
            if why or opened is None:
                files.append({"name": short, "why": why})
                continue
            if short.lower().endswith(NOTES):
                texts.append(opened.read(MOST_NOTES * 4).decode("utf-8", "replace")[:MOST_NOTES])
                continue
            target = out / str(number)
            size = _copied(opened, target, MOST_ALL - had)
            if size is None:
                files.append({"name": short, "why": f"it is larger than {MOST_ONE // 1_000_000} MB"})
                continue
            had += size
            files.append({"name": short, "path": str(target)} if size else {"name": short, "why": "it is empty"})
    except (zipfile.BadZipFile, tarfile.TarError, EOFError, OSError, NotImplementedError, RuntimeError) as error:
        raise RequestError(
            f"{name} is damaged, or of a kind that is not unpacked: {error}.", "Save it anew."
        ) from error
    if not files:
        raise RequestError(f"There is no firmware file in {name}.", "Look into it. Nothing was added.")
    return {"files": files, "notes": texts[0] if len(texts) == 1 else ""}


def plain(inner: str) -> str:
    """The last part of a name, in letters that can be shown; no path comes with it."""
    last = inner.replace("\\", "/").rstrip("/").rpartition("/")[2]
    kept = "".join(c for c in last if c.isprintable()).strip(". ")
    return kept[-120:] or "file"


def _members(path: Path, name: str) -> Iterator[tuple[str, IO[bytes] | None, str]]:
    if zipfile.is_zipfile(path):
        with zipfile.ZipFile(path) as archive:
            for info in archive.infolist():
                if info.is_dir():
                    continue
                if info.flag_bits & 0x1:
                    yield info.filename, None, "it is encrypted"
                    continue
                if stat.S_ISLNK(info.external_attr >> 16):
                    yield info.filename, None, "it is a link"
                    continue
                with archive.open(info) as opened:
                    yield info.filename, opened, ""
        return
    if _is_tar(path):
        with tarfile.open(path, "r:*") as tar:
            for member in tar:
                if member.isdir():
                    continue
                if not member.isfile():
                    yield member.name, None, "it is a link or a device"
                    continue
                yield member.name, tar.extractfile(member), ""
        return
    with path.open("rb") as opened:
        yield name, opened, ""


def _is_tar(path: Path) -> bool:
    """Not what only begins with zeros, as an image may: to the library that is a tar with nothing in it."""
    if not tarfile.is_tarfile(path):
        return False
    with tarfile.open(path, "r:*") as tar:
        return tar.next() is not None


def _copied(opened: IO[bytes], target: Path, most: int) -> int | None:
    """Bytes written; None where it has more than one may have. Raises RequestError where all have too many."""
    size = 0
    with target.open("wb") as out:
        while piece := opened.read(PIECE):
            size += len(piece)
            if size > MOST_ONE:
                break
            if size > most:
                raise RequestError(
                    f"Unpacked it is larger than {MOST_ALL // 1_000_000} MB.", "Import files one by one."
                )
            out.write(piece)
    if size > MOST_ONE:
        target.unlink()
        return None
    return size
