"""Backup archives: BagIt (RFC 8493) bags in a zip file.

    data/manifest.json                      the backups, in order
    data/documents/<sha256>.json            documents in canonical form, once each

The zip's comment seals every byte before it with SHA-256, so a flip anywhere is found,
in the payload by the bag's manifests too. Archives are untrusted on the way in: sizes,
counts and names are checked before anything is unpacked.
"""

from __future__ import annotations

import io
import os
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated, Any, Literal

import orjson
from pydantic import Field, TypeAdapter, ValidationError

from netloom_core.backup.bag import HEX, HINT, Bag, sha256, write_bag
from netloom_core.documents.tree import MAX_DEPTH, Document, canonical, deeper_than, digest
from netloom_core.errors import ArchiveDamaged, RequestError

FORMAT = 1
SEAL = b"netloom-seal sha256 "
SEAL_BYTES = len(SEAL) + HEX
MAX_ARCHIVE = 200_000_000  # bytes, zipped and unzipped; a zip bomb ends here
MAX_FILES = 50_000
TAGS = 5  # files of an archive that are no documents
ROOM = 0.8  # of what may be unpacked, for documents; the lists of them need the rest
# Clocks are wrong at times, dead ones begin in 1970; backups made then are not lost for that. Nothing goes by it.
EARLIEST, AHEAD = datetime(1970, 1, 1, tzinfo=UTC), timedelta(days=30 * 366)
# What the libraries raise for bytes that are no archive, or an encrypted one.
DAMAGED = (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, zlib.error, RuntimeError)


Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


@dataclass(frozen=True)
class ArchivedBackup:
    """One backup of one device. `taken` is ISO 8601 with its zone; digests name documents of the archive."""

    id: Annotated[str, Field(pattern=r"^[0-9A-Za-z_-]{1,12}$")]
    device: Annotated[str, Field(max_length=12)]
    name: Annotated[str, Field(min_length=1, max_length=80)]
    maker: Annotated[str, Field(max_length=120)]
    model: Annotated[str, Field(max_length=120)]
    serial: Annotated[str, Field(max_length=120)]
    profile: Annotated[str, Field(max_length=60)]
    firmware: Annotated[str, Field(max_length=60)]
    line: Annotated[str, Field(max_length=80)]
    address: Annotated[str, Field(max_length=64)]
    taken: Annotated[str, Field(max_length=40)]
    by: Annotated[str, Field(max_length=150)]
    baseline: bool
    label: Annotated[str, Field(max_length=120)]
    running: Digest
    startup: Digest | Literal[""]


BACKUPS = TypeAdapter(list[ArchivedBackup])


@dataclass
class Archive:
    """`journal` is the head of the journal's chain when it was made: `{"entries", "head"}`."""

    installation: str
    backups: list[ArchivedBackup]
    documents: dict[str, Document]
    journal: dict[str, Any] = field(default_factory=dict)


def write_archive(path: Path, archive: Archive) -> None:
    """The file appears whole or not at all; what is on the disk is read back before it takes its name."""
    data = sealed(lambda out: write_bag(out, _files(archive), {"Source-Organization": archive.installation}))
    if len(data) > MAX_ARCHIVE:
        raise too_large()
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with part.open("wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        _check_seal(part.read_bytes())
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def too_large() -> RequestError:
    most = f"{MAX_ARCHIVE // 1_000_000} MB or {MAX_FILES - TAGS} documents"
    return RequestError(
        f"The backups are more than one archive may hold, {most}: it could not be read again. None was made.",
        "The safe copies of the database hold all backups: `netloom copies --make` makes one.",
    )


def _files(archive: Archive) -> Iterator[tuple[str, bytes]]:
    manifest = {
        "format": FORMAT,
        "installation": archive.installation,
        "journal": archive.journal,
        "backups": archive.backups,
    }
    yield "manifest.json", orjson.dumps(manifest, option=orjson.OPT_INDENT_2)
    size = 0
    if len(archive.documents) > MAX_FILES - TAGS:
        raise too_large()
    for name, document in archive.documents.items():
        body = canonical(document)
        size += len(body)
        if size > MAX_ARCHIVE * ROOM:
            raise too_large()
        if sha256(body) != name:
            raise ArchiveDamaged(f"Document {name[:12]} is not what its digest says; no archive was made.", HINT)
        yield f"documents/{name}.json", body


def sealed(write: Callable[[zipfile.ZipFile], None]) -> bytes:
    """A zip of what `write` puts into it, whose comment is the digest of all bytes before it."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as out:
        write(out)
        out.comment = SEAL + b"0" * HEX
    body = buffer.getvalue()[:-SEAL_BYTES]
    return body + SEAL + sha256(body).encode()


def _check_seal(data: bytes) -> None:
    seal, body = data[-SEAL_BYTES:], data[:-SEAL_BYTES]
    if not data.startswith(b"PK") or not seal.startswith(SEAL):
        raise ArchiveDamaged("The file is not a whole Netloom archive: its seal is missing.", HINT)
    if sha256(body).encode() != seal[len(SEAL) :]:
        raise ArchiveDamaged("The archive is damaged: its bytes do not match its seal.", HINT)


def read_archive(data: bytes) -> Archive:
    """Check and read. Raises ArchiveDamaged that says what does not hold."""
    if len(data) > MAX_ARCHIVE:
        raise ArchiveDamaged(f"The archive is larger than {MAX_ARCHIVE // 1_000_000} MB.", HINT)
    _check_seal(data)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as source:
            return _contents(Bag(source, MAX_ARCHIVE, MAX_FILES))
    except DAMAGED as error:
        raise ArchiveDamaged(f"The archive is damaged: {error}", HINT) from error
    except (ValueError, KeyError, TypeError) as error:
        raise ArchiveDamaged(f"The archive's manifest is not as it should be: {error}", HINT) from error


def _listed(data: Any) -> list[ArchivedBackup]:
    try:
        return BACKUPS.validate_json(orjson.dumps(data), strict=True)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"]))
        text = f"The archive's list of backups is not as it should be at {where}: {first['msg']}."
        raise ArchiveDamaged(text, HINT) from error


def _check_time(backup: ArchivedBackup) -> None:
    taken = datetime.fromisoformat(backup.taken)
    latest = datetime.now(UTC) + AHEAD
    if taken.tzinfo is None or not EARLIEST <= taken <= latest:
        raise ArchiveDamaged(f"The archive's backup of {backup.name} says it was taken at {backup.taken}.", HINT)


def _contents(bag: Bag) -> Archive:
    manifest: dict[str, Any] = orjson.loads(bag.file("manifest.json"))
    if manifest["format"] != FORMAT:
        raise ArchiveDamaged(f"The archive has format {manifest['format']}; this Netloom reads {FORMAT}.", HINT)
    backups = _listed(manifest["backups"])
    for backup in backups:
        _check_time(backup)
    if len({backup.id for backup in backups}) < len(backups):
        raise ArchiveDamaged("The archive has two backups of one id.", HINT)
    documents = dict(_documents(bag))
    for backup in backups:
        for wanted in (backup.running, backup.startup):
            if wanted and wanted not in documents:
                raise ArchiveDamaged(f"Document {wanted[:12]} of {backup.name} is missing.", HINT)
    head = manifest.get("journal")
    return Archive(str(manifest["installation"])[:120], backups, documents, head if isinstance(head, dict) else {})


def _documents(bag: Bag) -> Iterator[tuple[str, Document]]:
    for name, content in bag.payload():
        stem = name.removeprefix("documents/").removesuffix(".json")
        if name != f"documents/{stem}.json":
            continue
        document = orjson.loads(content)
        if not isinstance(document, dict) or deeper_than(document, MAX_DEPTH):
            raise ArchiveDamaged(f"Document {stem[:12]} is no tree of values.", HINT)
        if digest(document) != stem:
            raise ArchiveDamaged(f"Document {stem[:12]} is not what its digest says.", HINT)
        yield stem, document
