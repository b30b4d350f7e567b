"""Papers on record: asked for, made, kept for a while, handed out."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from netloom_core.errors import RequestError
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.papers.kinds.registry import KINDS
from netloom_server.papers.models import Paper, State
from netloom_server.runs.services import journal

FOLDER = "papers"
KEPT = 8  # of each kind
PIECE = 1 << 20


@dataclass(frozen=True)
class Made:
    """How the making of one ended: a file with so many bytes, or why there is none."""

    bytes: int = 0
    digest: str = ""
    message: str = ""
    hint: str = ""


def file_of(paper: Paper) -> Path:
    return Path(settings.DATA) / FOLDER / f"{paper.id}{KINDS[paper.kind].suffix}"


def name_of(paper: Paper) -> str:
    return f"{KINDS[paper.kind].stem}-{paper.asked:%Y%m%d-%H%M}{KINDS[paper.kind].suffix}"


def find(ident: str) -> Paper:
    paper = Paper.objects.filter(id=int(ident)).first() if ident.isdecimal() and len(ident) < 16 else None
    if paper is None:
        raise NotFound(f"There is no paper {ident!r}; older ones go when newer ones are made.", "Make one anew.")
    return paper


@transaction.atomic
def ask(kind: str, by: str) -> Paper:
    """The one that is being made already, if there is one. Raises RequestError."""
    if kind not in KINDS:
        raise RequestError(f"There is no paper {kind!r}; there are: {', '.join(KINDS)}.")
    under_way = Paper.objects.filter(kind=kind, state=State.MAKING).first()
    return under_way or Paper.objects.create(kind=kind, by=by, asked=timezone.now(), journal=journal.head().count)


def listed() -> list[dict[str, Any]]:
    """Newest first."""
    entries = journal.head().count
    return [as_dict(paper, entries) for paper in Paper.objects.all()]


def next_to_make() -> Paper | None:
    return Paper.objects.filter(state=State.MAKING).order_by("id").first()


def settle(paper: Paper, made: Made) -> dict[str, Any]:
    """Note how the making ended, and let older ones go; the paper as it is now."""
    paper.state = State.FAILED if made.message else State.READY
    paper.made = timezone.now()
    paper.bytes, paper.digest = made.bytes, made.digest
    paper.message, paper.hint = made.message[:400], made.hint[:400]
    paper.save()
    for old in Paper.objects.filter(kind=paper.kind).exclude(state=State.MAKING)[KEPT:]:
        file_of(old).unlink(missing_ok=True)
        old.delete()
    return as_dict(paper)


def as_dict(paper: Paper, entries: int | None = None) -> dict[str, Any]:
    """`entries` are those of the journal, counted where not given."""
    entries = journal.head().count if entries is None else entries
    return {
        "id": str(paper.id),
        "kind": paper.kind,
        "title": KINDS[paper.kind].title,
        "state": paper.state,
        "by": paper.by,
        "asked": paper.asked.isoformat(),
        "made": paper.made.isoformat() if paper.made else None,
        "bytes": paper.bytes,
        "digest": paper.digest,
        "name": name_of(paper),
        "since": max(0, entries - paper.journal),
        "message": paper.message,
        "try": paper.hint,
    }


def ready_file(paper: Paper) -> Path:
    """Raises Conflict while it is made, NotFound where there is none."""
    if paper.state == State.MAKING:
        raise Conflict(f"The {KINDS[paper.kind].title.lower()} is still being made.", "Wait for it.")
    path = file_of(paper)
    if paper.state == State.FAILED or not path.is_file():
        raise NotFound(paper.message or f"The file {path.name} is no longer there.", paper.hint or "Make one anew.")
    return path


def forget_parts() -> None:
    """What was cut off in the middle, before this server began."""
    for part in (Path(settings.DATA) / FOLDER).glob(".*.part"):
        part.unlink(missing_ok=True)


def digest_of(path: Path) -> str:
    found = hashlib.sha256()
    with path.open("rb") as file:
        while piece := file.read(PIECE):
            found.update(piece)
    return found.hexdigest()
