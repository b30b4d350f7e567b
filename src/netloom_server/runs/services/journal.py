"""The journal's table: a chain of entries, and its head in a file beside the database.

The head shows when the newest entries were taken away, which a chain alone does not. It is written
after each append, so after a crash it may be behind the table, never before it.
"""

from __future__ import annotations

import contextlib
import functools
import json
import logging
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any, ParamSpec, TypeVar

from django.conf import settings
from django.db import connection, transaction
from django.utils import timezone

from netloom_core.errors import RequestError
from netloom_core.model import work
from netloom_core.model.said import Of, seen, word
from netloom_core.run.journal import GENESIS, Head, chained, first_break
from netloom_server.runs.models import JournalEntry, Witness

P = ParamSpec("P")
Result = TypeVar("Result")
log = logging.getLogger("netloom.journal")
_waiting: ContextVar[list[Head] | None] = ContextVar("heads of the act under way", default=None)

FIELDS = {"kind", "run", "device", "line", "address", "action", "by", "intent", "step", "outcome", "message"}


def append(entry: work.JournalEntry) -> None:
    """Append with the chain's next hash; on the disk when this returns."""
    append_all([entry])


def append_all(entries: Sequence[work.JournalEntry]) -> list[None]:
    """Append in order, with one wait for the disk. A second outcome of an intent is left out."""
    heads: list[Head] = []
    with _on_the_disk(), transaction.atomic():  # immediate, so writers stand in line
        before, first = head(), _witnessed()
        fits = first and _fits(kept_head(), before)
        after = _append(entries, before)
        if after is not None and fits:
            # A head that does not fit stays as it is: it is what shows that entries were taken away, or written anew.
            heads.append(after)
    _keep_when_committed(heads)
    return [None] * len(entries)


def _keep_when_committed(heads: Sequence[Head]) -> None:
    """At once; within one act when that is over, and not at all where it is taken back."""
    if (waiting := _waiting.get()) is not None:
        waiting.extend(heads)
    elif heads:
        _keep(heads[-1])


@contextlib.contextmanager
def one_act() -> Iterator[None]:
    """What is done within, and the entry that tells it, are one: both are on record, or neither."""
    heads: list[Head] = []
    token = _waiting.set(heads)
    try:
        with _on_the_disk(), transaction.atomic():
            yield
    finally:
        _waiting.reset(token)
    _keep_when_committed(heads)


def in_one_act(view: Callable[P, Result]) -> Callable[P, Result]:
    """A view that changes records and tells it in the journal does both or neither."""

    @functools.wraps(view)
    def both(*args: P.args, **more: P.kwargs) -> Result:
        with one_act():
            return view(*args, **more)

    return both


def _append(entries: Sequence[work.JournalEntry], before: Head) -> Head | None:
    closed = _closed(entry.intent for entry in entries if entry.kind == "outcome")
    rows = []
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


def _witnessed() -> bool:
    """Whether the head outside counts: from the first entry on, or from when this was made for a journal of before."""
    if Witness.objects.exists():
        return True
    found = head()
    Witness.objects.create()
    kept = kept_head()
    if kept is None and _first_break(None) is None:
        _keep(found)
        return True
    return _fits(kept, found)


def _fits(kept: Head | None, now: Head) -> bool:
    """Whether the head that is kept outside is in the table. None beside entries is none that fits."""
    if kept is None or kept.count == 0:
        return kept is not None
    return now.count >= kept.count and JournalEntry.objects.filter(id=kept.count, hash=kept.hash).exists()


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


@dataclass
class Checked:
    """Up to which entry the chain was read anew and found whole, and when; `broken` is the first that is not."""

    entries: int = 0
    at: datetime | None = None
    broken: int | None = None

    @property
    def word(self) -> str:
        return word(Of.CHAIN, seen(asked=self.at is not None, fits=self.broken is None))


checked = Checked()


def check() -> Checked:
    """Read the whole chain anew, and hold it against the head outside."""
    now = timezone.now()
    checked.broken = broken_at()
    checked.entries, checked.at = (checked.broken - 1 if checked.broken else head().count), now
    return checked


def standing() -> Checked:
    """What is known without reading all of it: the last look, and whether the head outside is in the table still."""
    if checked.at is None or checked.broken is not None:
        return check()
    if not _fits(kept_head(), head()) or head().count < checked.entries:
        return check()
    return checked


def first_entry() -> int:
    return Witness.objects.values_list("first", flat=True).first() or 1


def _pair(one: JournalEntry) -> tuple[dict[str, Any], str]:
    return (one.entry if one.columns_agree else {}), one.hash


def head() -> Head:
    last = JournalEntry.objects.order_by("-id").first()
    return Head(last.id, last.hash) if last else Head()


def broken_at() -> int | None:
    """Id of the first entry that is not what was written, or is missing; None when the chain holds."""
    kept = kept_head()
    if kept is None and head().count and Witness.objects.exists():
        return _first_break(None) or head().count  # nothing outside says that these are all
    return _first_break(kept)


def _first_break(kept: Head | None) -> int | None:
    first = first_entry()
    ids: list[int] = []
    pairs: list[tuple[dict[str, Any], str]] = []
    for one in JournalEntry.objects.filter(id__gte=first).order_by("id").iterator():
        if one.id != first + len(ids):
            return first + len(ids)
        ids.append(one.id)
        pairs.append(_pair(one))
    inside = Head(kept.count - first + 1, kept.hash) if kept is not None and kept.count >= first else None
    index = first_break(pairs, inside)
    return None if index is None else first + index


def accept(by: str, reason: str) -> None:
    """Go on with a journal that is broken: a new chain begins, whose first entry tells the old head and why."""
    broken = check().broken
    if broken is None:
        raise RequestError("The journal is whole: there is nothing to accept.", "Nothing was changed.")
    with one_act():
        old, kept = head(), kept_head()
        number = max(old.count, kept.count if kept else 0) + 1
        text = f"The journal was broken at entry {broken} and is gone on with. Reason: {reason}"
        last = {"path": "journal", "from": old.as_dict(), "to": kept.as_dict() if kept else None}
        entry = work.JournalEntry("act", "", "", "", "", "accept", by, "", message=text[:900], changes=(last,))
        data = {**entry.as_dict(), "time": timezone.now().isoformat()}
        row = JournalEntry(id=number, kind=entry.kind, entry=data, hash=chained(GENESIS, data))
        JournalEntry.objects.bulk_create([row])
        Witness.objects.update(first=number)
        _keep_when_committed([Head(number, row.hash)])
    check()


def knows(theirs: dict[str, Any]) -> str:
    """Whether a head that somebody kept elsewhere, as an archive or a report does, is in this journal."""
    count, hash_ = theirs.get("entries"), theirs.get("head")
    if not isinstance(count, int) or not count:
        return "none"
    if count > head().count:
        return "ahead"
    return "fits" if JournalEntry.objects.filter(id=count, hash=str(hash_)).exists() else "differs"


# The head outside of the database


def _path() -> Path:
    return Path(settings.DATA) / "journal.head"


def kept_head() -> Head | None:
    try:
        data = json.loads(_path().read_text())
        return Head(int(data["entries"]), str(data["head"]))
    except (OSError, ValueError, KeyError, TypeError):
        return None


head_trouble = ""  # why the head outside could not be written last, empty where it could


def _keep(new: Head) -> None:
    """That it cannot be written does not undo what is on record: it is told, and the next entry tries again."""
    global head_trouble
    path = _path()
    part = path.with_suffix(f".{os.getpid()}.part")
    try:
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
            json.dump(new.as_dict(), out)
            out.flush()
            os.fsync(out.fileno())
        part.replace(path)
        head_trouble = ""
    except OSError as error:
        head_trouble = f"The journal's head could not be written: {error.strerror}."
        log.error("%s", head_trouble)
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
