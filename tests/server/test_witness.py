"""Every way of tampering with the journal is seen: by the page, by the next look, and after one more entry."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from django.db import connection

from netloom_core.errors import RequestError
from netloom_core.model.work import JournalEntry as Entry
from netloom_core.run.journal import GENESIS, chained
from netloom_server.runs.models import JournalEntry
from netloom_server.runs.services import journal

pytestmark = pytest.mark.django_db


def entry(number: int) -> Entry:
    return Entry("act", "run", "dev", "", "", "people", "ann", "", message=f"number {number}")


@pytest.fixture(autouse=True)
def ten(db: None) -> None:
    for number in range(10):
        journal.append(entry(number))
    assert journal.check().broken is None


def rewritten(first: int) -> None:
    before = JournalEntry.objects.get(id=first - 1).hash if first > 1 else GENESIS
    for one in JournalEntry.objects.filter(id__gte=first).order_by("id"):
        told = {**one.entry, "message": "never"}
        before = chained(before, told)
        JournalEntry.objects.filter(id=one.id).update(entry=told, hash=before)


def without_guards() -> None:
    with connection.cursor() as cursor:
        cursor.execute("DROP TRIGGER journal_no_update")
        cursor.execute("DROP TRIGGER journal_no_delete")


WAYS: dict[str, Callable[[], object]] = {
    "the newest taken away": lambda: JournalEntry.objects.filter(id__gt=5).delete(),
    "written anew from the fourth on": lambda: rewritten(4),
    "a row in the middle": lambda: JournalEntry.objects.filter(id=4).update(entry={"kind": "act"}),
    "one in the middle taken away": lambda: JournalEntry.objects.filter(id=4).delete(),
    "the head with the newest": lambda: (JournalEntry.objects.filter(id__gt=5).delete(), journal._path().unlink()),
    "kind and intent blanked": lambda: JournalEntry.objects.filter(id=4).update(kind="", intent=""),
    "the head alone": lambda: journal._path().unlink(),
}


@pytest.mark.parametrize("way", list(WAYS))
@pytest.mark.parametrize("more", [0, 1, 7])
def test_it_is_seen(way: str, more: int) -> None:
    without_guards()
    WAYS[way]()
    for number in range(more):
        journal.append(entry(100 + number))
    assert journal.check().broken is not None
    assert journal.check().word == "broken"
    assert journal.standing().broken is not None


def test_an_append_never_shrinks_the_head() -> None:
    without_guards()
    kept = journal.kept_head()
    JournalEntry.objects.filter(id__gt=5).delete()
    journal.append(entry(11))
    assert journal.kept_head() == kept


def test_a_lead_goes_on_with_a_broken_one_and_what_comes_then_counts() -> None:
    without_guards()
    JournalEntry.objects.filter(id__gt=5).delete()
    journal.accept("ann", "the disk was put back from last night")
    assert journal.check().broken is None
    first = JournalEntry.objects.order_by("-id").first()
    assert first is not None
    assert "broken at entry 6" in first.entry["message"]
    assert first.entry["changes"][0]["to"]["entries"] == 10
    journal.append(entry(12))
    JournalEntry.objects.filter(id=first.id + 1).update(entry={"kind": "act"})
    assert journal.check().broken == first.id + 1
    JournalEntry.objects.filter(id__gt=first.id).delete()
    journal._keep(journal.head())
    with pytest.raises(RequestError):
        journal.accept("ann", "again")


def test_what_was_kept_elsewhere_is_compared() -> None:
    then = journal.head().as_dict()
    journal.append(entry(11))
    assert journal.knows(then) == "fits"
    assert journal.knows({"entries": 40, "head": "x"}) == "ahead"
    without_guards()
    rewritten(4)
    assert journal.knows(then) == "differs"


def test_an_act_and_its_entry_are_one() -> None:
    before, kept = journal.head(), journal.kept_head()

    @journal.in_one_act
    def fails() -> None:
        journal.append(entry(11))
        raise KeyError

    with pytest.raises(KeyError):
        fails()
    assert (journal.head(), journal.kept_head()) == (before, kept)


def test_a_head_that_cannot_be_written_is_told_and_undoes_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*args: object) -> int:
        raise OSError(28, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(journal.os, "open", full)
        journal.append(entry(11))
    assert "No space left" in journal.head_trouble
    assert journal.check().broken is None
    journal.append(entry(12))
    assert journal.head_trouble == ""
