"""The journal's table: a chain of entries, and its head in a file beside the database.

The head shows when the newest entries were taken away, which a chain alone does not. It is written
after each append, so after a crash it may be behind the table, never before it.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection, transaction
from django.utils import timezone

from netloom_core.model import work
from netloom_core.run.journal import Head, chained, first_break
from netloom_server.runs.models import JournalEntry

FIELDS = {"kind", "run", "device", "line", "address", "action", "by", "intent", "step", "outcome", "message"}


def append(entry: work.JournalEntry) -> None:
    """Append with the chain's next hash; on the disk when this returns."""
    append_all([entry])


def append_all(entries: Sequence[work.JournalEntry]) -> list[None]:
    """Append in order, with one wait for the disk. A second outcome of an intent is left out."""
    head = _append(entries)
    if head is not None:
        _keep(head)
    return [None] * len(entries)


def _append(entries: Sequence[work.JournalEntry]) -> Head | None:
    # An intent has to outlive a power cut of this computer, which the other tables need not.
    with _on_the_disk(), transaction.atomic():  # immediate, so writers stand in line
        closed = _closed(entry.intent for entry in entries if entry.kind == "outcome")
        before, rows = head(), []
        for entry in entries:
            if entry.kind == "outcome" and entry.intent and entry.intent in closed:
                continue
            if entry.kind == "outcome":
                closed.add(entry.intent)
            data = {**entry.as_dict(), "time": timezone.now().isoformat()}
            before = Head(before.count + 1, chained(before.hash, data))
            rows.append(
                JournalEntry(
                    id=before.count,
                    device=entry.device,
                    run=entry.run,
                    kind=entry.kind,
                    intent=entry.intent,
                    entry=data,
                    hash=before.hash,
                )
            )
        JournalEntry.objects.bulk_create(rows)
        return before if rows else None


@contextlib.contextmanager
def _on_the_disk() -> Iterator[None]:
    """Within, a commit waits for the disk. A transaction that is under way already cannot be made to."""
    if connection.in_atomic_block:
        yield
        return
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA synchronous=FULL")
    try:
        yield
    finally:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA synchronous=NORMAL")


def _closed(intents: Iterable[str]) -> set[str]:
    """Those of these intents that have an outcome."""
    named = [intent for intent in intents if intent]
    if not named:
        return set()
    return set(JournalEntry.objects.filter(kind="outcome", intent__in=named).values_list("intent", flat=True))


def open_intents(run: str | None = None) -> list[work.JournalEntry]:
    """Intents without an outcome, oldest first. Entries of old that bear no intent are closed."""
    intents = JournalEntry.objects.filter(kind="intent").exclude(intent="")
    if run is not None:
        intents = intents.filter(run=run)
    closed = JournalEntry.objects.filter(kind="outcome").exclude(intent="").values("intent")
    return [_as_core(one.entry) for one in intents.exclude(intent__in=closed).order_by("id")]


def of_devices(idents: Sequence[str], most: int) -> list[dict[str, Any]]:
    """Their newest entries as they are shown, without secrets."""
    found = JournalEntry.objects.filter(device__in=list(idents)).order_by("-id")[:most]
    told = [{"intent": "", **entry.as_dict()} for entry in found]
    return [{**entry, "changes": work.without_secrets(entry["changes"])} for entry in told]


def _as_core(entry: dict[str, Any]) -> work.JournalEntry:
    return work.JournalEntry(
        **{name: value for name, value in entry.items() if name in FIELDS}, changes=tuple(entry.get("changes", ()))
    )


_good_until = Head()  # the entries up to here were read and found whole since the start of this process


def broken_since() -> int | None:
    """As `broken_at`, but reads again only what came after it was found whole last; that the last one
    found whole is still what it was is looked at too."""
    global _good_until
    known = _good_until
    last = JournalEntry.objects.filter(id=known.count).values_list("hash", flat=True).first()
    if known.count and last == known.hash:
        fresh = list(JournalEntry.objects.filter(id__gt=known.count).order_by("id"))
        index = first_break([_pair(one) for one in fresh], start=known.hash)
        if index is not None:
            return fresh[index].id
        if fresh:
            _good_until = Head(fresh[-1].id, fresh[-1].hash)
        kept = kept_head()
        return None if kept is None or kept.count <= _good_until.count else _good_until.count + 1
    found = broken_at()
    if found is None:
        _good_until = head()
    return found


def _pair(one: JournalEntry) -> tuple[dict[str, Any], str]:
    return (one.entry if one.columns_agree else {}), one.hash


def head() -> Head:
    last = JournalEntry.objects.order_by("-id").first()
    return Head(last.id, last.hash) if last else Head()


def broken_at() -> int | None:
    """Id of the first entry that is not what was written, or is missing; None when the chain holds."""
    ids, pairs = [], []
    for one in JournalEntry.objects.order_by("id").iterator():
        ids.append(one.id)
        pairs.append(_pair(one))
    index = first_break(pairs, kept_head())
    if index is None:
        return None
    return ids[index] if index < len(ids) else (ids[-1] if ids else 0) + 1


# The head outside of the database


def _path() -> Path:
    return Path(settings.DATA) / "journal.head"


def kept_head() -> Head | None:
    try:
        data = json.loads(_path().read_text())
        return Head(int(data["entries"]), str(data["head"]))
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _keep(new: Head) -> None:
    path = _path()
    part = path.with_suffix(f".{os.getpid()}.part")
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
        json.dump(new.as_dict(), out)
        out.flush()
        os.fsync(out.fileno())
    part.replace(path)
