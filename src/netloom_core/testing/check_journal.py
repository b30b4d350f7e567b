"""The examiner of journals: what every one must do, in memory or on records."""

from __future__ import annotations

import asyncio
import secrets

from netloom_core.engine.ports import Journal
from netloom_core.model.work import JournalEntry


def entry(kind: str, intent: str, run: str = "check", outcome: str = "", device: str = "dev1") -> JournalEntry:
    return JournalEntry(
        kind, run, device, "line", "127.0.0.1", "write", "examiner", intent,
        step=3, outcome=outcome, message="é \u2028", changes=({"path": "/a", "from": None, "to": "ä"},),
    )  # fmt: skip


async def check_journal(journal: Journal) -> None:
    """Raises AssertionError at the first thing that does not hold. Leaves settled entries behind."""
    one, two = secrets.token_hex(8), secrets.token_hex(8)
    await journal.append(entry("intent", one))
    await journal.append(entry("intent", two, run="other"))
    [found] = await journal.open_intents("check")
    assert found == entry("intent", one), "an intent comes back as it was"
    assert {e.intent for e in await journal.open_intents()} >= {one, two}, "without a run, all are told"
    await journal.append(entry("outcome", one, outcome="done"))
    await journal.append(entry("outcome", one, outcome="unknown"))
    assert await journal.open_intents("check") == [], "an outcome closes its intent, a second one changes nothing"
    await journal.append(entry("outcome", two, run="other", outcome="unknown"))
    many = [secrets.token_hex(8) for _ in range(40)]
    await asyncio.gather(*(journal.append(entry("intent", ident, run="many")) for ident in many))
    assert sorted(e.intent for e in await journal.open_intents("many")) == sorted(many), "none of many at once is lost"
    await asyncio.gather(*(journal.append(entry("outcome", ident, run="many", outcome="done")) for ident in many))
    assert await journal.open_intents("many") == []
