"""Firmware files: taken in, kept by their digest, recognised, marked, given to the engine."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction

from netloom_core.errors import NetloomError, RequestError, StoreTrouble
from netloom_core.library.files import HEAD_BYTES, recognised
from netloom_core.library.load import Library
from netloom_core.model.image import Image
from netloom_server.base.apart import read_apart
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.firmware.models import FirmwareFile
from netloom_server.runs.models import LIVE, Run, Step

MOST_FILES = 5000
PIECE = 1 << 20


def folder() -> Path:
    return Path(settings.DATA) / "firmware"


def find(ident: str) -> FirmwareFile:
    found = FirmwareFile.objects.filter(id=ident[:8]).first() or FirmwareFile.objects.filter(name=ident[:120]).last()
    if found is None:
        raise NotFound(f"There is no firmware file {ident[:60]!r}.", "`netloom firmware` lists them.")
    return found


def take_in(path: Path, name: str, by: str, source: str, library: Library) -> dict[str, list[dict[str, Any]]]:
    """A file, or all of an archive: `added` and `left` with the reason. What is there already is not added twice.

    A file that some model knows is never unpacked, whatever it is inside.
    """
    with path.open("rb") as opened:
        head = opened.read(HEAD_BYTES)
    whole = recognised(name, head, library)
    if whole.profile:
        pieces: list[dict[str, Any]] = [{"name": name, "path": str(path)}]
        notes = ""
    else:
        told = read_apart("firmware", path, name)
        pieces, notes = told["files"], told["notes"]
    added, left = [], []
    for piece in pieces:
        if piece.get("why"):
            left.append({"name": piece["name"], "why": piece["why"]})
            continue
        made, fresh = _keep(Path(piece["path"]), piece["name"], notes, by, source, library)
        if fresh:
            added.append(made)
        else:
            left.append({"name": piece["name"], "why": f"it is kept already, as {made.name}"})
    return {"added": [as_dict(one, library) for one in added], "left": left}


def _keep(path: Path, name: str, notes: str, by: str, source: str, library: Library) -> tuple[FirmwareFile, bool]:
    digest = digest_of(path)
    there = FirmwareFile.objects.filter(digest=digest).first()
    if there is not None and stored(there).exists():
        return there, False
    if there is None and FirmwareFile.objects.count() >= MOST_FILES:
        raise RequestError(f"{MOST_FILES} files are kept already.", "Remove some that nobody needs. Nothing was added.")
    folder().mkdir(mode=0o700, exist_ok=True)
    coming = folder() / f"{digest}.coming"
    try:
        with path.open("rb") as source_file, coming.open("wb") as out:
            shutil.copyfileobj(source_file, out, PIECE)
            out.flush()
            os.fsync(out.fileno())
        coming.replace(folder() / digest)
    except OSError as error:
        coming.unlink(missing_ok=True)
        raise StoreTrouble(
            f"{name} could not be kept: {error.strerror}.", "Is the disk full? Nothing of it was added."
        ) from error
    if there is not None:
        return there, True  # its bytes were lost, and are back
    with path.open("rb") as opened:
        head = opened.read(HEAD_BYTES)
    known = recognised(name, head, library)
    made = FirmwareFile.objects.create(
        name=name[-120:], digest=digest, size=path.stat().st_size, profile=known.profile, code=known.code,
        hardware=list(known.hardware), version=known.version, notes=notes[:20_000], source=source[:200], by=by,
    )  # fmt: skip
    return made, True


def digest_of(path: Path) -> str:
    whole = hashlib.sha256()
    with path.open("rb") as opened:
        while piece := opened.read(PIECE):
            whole.update(piece)
    return whole.hexdigest()


def stored(file: FirmwareFile) -> Path:
    return folder() / file.digest


@transaction.atomic
def mark(ident: str, changes: dict[str, Any], library: Library) -> FirmwareFile:
    """What people say of it. Raises RequestError for a model or a version that cannot be."""
    file = find(ident)
    profile = library.get(changes.get("profile") or file.profile)
    if changes.get("profile") and (profile is None or profile.firmware is None):
        raise RequestError(f"There is no model {changes['profile']} with firmware known of.", "Nothing was changed.")
    version = changes.get("version", "")
    if version and profile is not None and profile.firmware is not None and profile.firmware.key(version) is None:
        scheme = profile.firmware.scheme
        raise RequestError(
            f"{version!r} is no version as a {profile.model} counts them ({scheme}).", "Nothing changed."
        )
    codes = profile.firmware.codes if profile is not None and profile.firmware is not None else []
    if changes.get("profile") and profile is not None and file.code and codes and file.code not in codes:
        raise RequestError(f"The file bears {file.code}, which is not a {profile.model}'s.", "Nothing was changed.")
    for name, value in changes.items():
        setattr(file, name, value)
    file.save(update_fields=list(changes))
    return file


def remove(ident: str) -> None:
    """Raises Conflict while a run is to load it."""
    file = find(ident)
    live = Run.objects.filter(state__in=LIVE).values_list("id", flat=True)
    if Step.objects.filter(run__in=list(live), action="load", params__file=file.id).exists():
        raise Conflict(f"{file.name} is being loaded now.", "Wait until that run has ended.")
    path = stored(file)
    file.delete()
    with contextlib.suppress(FileNotFoundError):
        path.unlink()


def image_of(ident: str) -> Image:
    """Raises NetloomError where its bytes are gone."""
    file = find(ident)
    path = stored(file)
    if not path.exists() or path.stat().st_size != file.size:
        raise NetloomError(f"The bytes of {file.name} are not in the data folder any more.", "Import it again.")

    def read(offset: int, size: int) -> bytes:
        try:
            with path.open("rb") as opened:
                opened.seek(offset)
                return opened.read(size)
        except OSError as error:
            raise NetloomError(f"The bytes of {file.name} cannot be read any more: {error.strerror}.") from error

    return Image(
        file.id, file.name, file.size, file.digest, file.profile, file.version, read, file.code,
        tuple(file.hardware), file.refused,
    )  # fmt: skip


def as_dict(file: FirmwareFile, library: Library) -> dict[str, Any]:
    profile = library.get(file.profile)
    return {
        "id": file.id, "name": file.name, "size": file.size, "digest": file.digest, "profile": file.profile,
        "model": f"{profile.maker} {profile.model}" if profile else "", "code": file.code, "hardware": file.hardware,
        "version": file.version, "dated": file.dated.isoformat() if file.dated else None, "notes": file.notes,
        "source": file.source, "refused": file.refused, "supersedes": file.supersedes, "by": file.by,
        "at": file.at.isoformat(), "there": stored(file).exists(),
    }  # fmt: skip
