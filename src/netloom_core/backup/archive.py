"""Backup archives: BagIt (RFC 8493) bags in a zip file.

    data/manifest.json                      the backups, in order
    data/documents/<sha256>.json            documents in canonical form, once each

The zip's comment seals every byte before it with SHA-256, so a flip anywhere is found,
in the payload by the bag's manifests too. Archives are untrusted on the way in: sizes,
counts and names are checked before anything is unpacked.
"""

from __future__ import annotations

import hashlib
import io
import os
import tempfile
import zipfile
import zlib
from dataclasses import asdict, dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated, Any, Literal

import bagit
import orjson
from pydantic import Field, TypeAdapter, ValidationError

from netloom_core.documents.tree import MAX_DEPTH, Document, canonical, deeper_than, digest
from netloom_core.errors import ArchiveDamaged

FORMAT = 1
SEAL = b"netloom-seal sha256 "
SEAL_BYTES = len(SEAL) + 64
MAX_ARCHIVE = 200_000_000  # bytes, zipped and unzipped; a zip bomb ends here
MAX_FILES = 50_000
EARLIEST = datetime(1990, 1, 1, tzinfo=UTC)
EPOCH = (1980, 1, 1, 0, 0, 0)
# What the libraries raise for bytes that are no archive, or an encrypted one.
DAMAGED = (
    zipfile.BadZipFile, bagit.BagError, OSError, EOFError, NotImplementedError, zlib.error, RuntimeError,
)  # fmt: skip
HINT = "Nothing was taken from it. Use another copy of the archive."


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
    """The file appears whole or not at all; it is checked before it takes its name."""
    with tempfile.TemporaryDirectory(prefix="netloom-bag-") as folder:
        bag_folder = Path(folder) / "bag"
        documents = bag_folder / "documents"
        documents.mkdir(parents=True)
        manifest = {
            "format": FORMAT,
            "installation": archive.installation,
            "journal": archive.journal,
            "backups": [asdict(backup) for backup in archive.backups],
        }
        (bag_folder / "manifest.json").write_bytes(orjson.dumps(manifest, option=orjson.OPT_INDENT_2))
        for name, document in archive.documents.items():
            (documents / f"{name}.json").write_bytes(canonical(document))
        bagit.make_bag(str(bag_folder), {"Source-Organization": archive.installation}, checksums=["sha256"])
        data = _sealed(bag_folder)
    read_archive(data)
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with part.open("wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def _sealed(folder: Path) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as out:
        for file in sorted(folder.rglob("*")):
            if file.is_file():
                out.writestr(zipfile.ZipInfo(str(file.relative_to(folder)), EPOCH), file.read_bytes())
        out.comment = SEAL + b"0" * 64
    body = buffer.getvalue()[:-SEAL_BYTES]
    return body + SEAL + hashlib.sha256(body).hexdigest().encode()


def read_archive(data: bytes) -> Archive:
    """Check and read. Raises ArchiveDamaged that says what does not hold."""
    if len(data) > MAX_ARCHIVE:
        raise ArchiveDamaged(f"The archive is larger than {MAX_ARCHIVE // 1_000_000} MB.", HINT)
    seal, body = data[-SEAL_BYTES:], data[:-SEAL_BYTES]
    if not data.startswith(b"PK") or not seal.startswith(SEAL):
        raise ArchiveDamaged("The file is not a whole Netloom archive: its seal is missing.", HINT)
    if hashlib.sha256(body).hexdigest().encode() != seal[len(SEAL) :]:
        raise ArchiveDamaged("The archive is damaged: its bytes do not match its seal.", HINT)
    with tempfile.TemporaryDirectory(prefix="netloom-bag-") as folder:
        try:
            _unpack(data, Path(folder))
            bagit.Bag(folder).validate()
            return _contents(Path(folder) / "data")
        except DAMAGED as error:
            raise ArchiveDamaged(f"The archive is damaged: {error}", HINT) from error
        except (ValueError, KeyError, TypeError) as error:
            raise ArchiveDamaged(f"The archive's manifest is not as it should be: {error}", HINT) from error


def _unpack(data: bytes, folder: Path) -> None:
    with zipfile.ZipFile(io.BytesIO(data)) as source:
        members = source.infolist()
        if len(members) > MAX_FILES or sum(member.file_size for member in members) > MAX_ARCHIVE:
            raise ArchiveDamaged("The archive would unpack to more than it may.", HINT)
        root = folder.resolve()
        for member in members:
            target = (folder / member.filename).resolve()
            if not target.is_relative_to(root) or member.is_dir():
                raise ArchiveDamaged(f"The archive has a file outside of itself: {member.filename!r}.", HINT)
            target.parent.mkdir(parents=True, exist_ok=True)
            with source.open(member) as inner:
                target.write_bytes(inner.read(member.file_size + 1)[: member.file_size])


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
    latest = datetime.now(UTC) + timedelta(days=1)  # clocks differ; what sorts as newest must not lie ahead
    if taken.tzinfo is None or not EARLIEST <= taken <= latest:
        raise ArchiveDamaged(f"The archive's backup of {backup.name} says it was taken at {backup.taken}.", HINT)


def _contents(payload: Path) -> Archive:
    manifest: dict[str, Any] = orjson.loads((payload / "manifest.json").read_bytes())
    if manifest["format"] != FORMAT:
        raise ArchiveDamaged(f"The archive has format {manifest['format']}; this Netloom reads {FORMAT}.", HINT)
    backups = _listed(manifest["backups"])
    for backup in backups:
        _check_time(backup)
    if len({backup.id for backup in backups}) < len(backups):
        raise ArchiveDamaged("The archive has two backups of one id.", HINT)
    documents: dict[str, Document] = {}
    for file in (payload / "documents").glob("*.json"):
        document = orjson.loads(file.read_bytes())
        if not isinstance(document, dict) or deeper_than(document, MAX_DEPTH):
            raise ArchiveDamaged(f"Document {file.stem[:12]} is no tree of values.", HINT)
        if digest(document) != file.stem:
            raise ArchiveDamaged(f"Document {file.stem[:12]} is not what its digest says.", HINT)
        documents[file.stem] = document
    for backup in backups:
        for wanted in (backup.running, backup.startup):
            if wanted and wanted not in documents:
                raise ArchiveDamaged(f"Document {wanted[:12]} of {backup.name} is missing.", HINT)
    head = manifest.get("journal")
    return Archive(str(manifest["installation"])[:120], backups, documents, head if isinstance(head, dict) else {})
