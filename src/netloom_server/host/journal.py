"""The journal on its table, durable before anything goes to the wire; its head is kept in a file beside."""

from __future__ import annotations

from netloom_core.model.work import JournalEntry
from netloom_server.base.crossing import in_records
from netloom_server.base.gather import Gathered
from netloom_server.runs.services import journal


class RecordJournal:
    def __init__(self) -> None:
        self._entries = Gathered[JournalEntry, None](journal.append_all)

    async def append(self, entry: JournalEntry) -> None:
        await self._entries.do(entry)

    async def open_intents(self, run: str | None = None) -> list[JournalEntry]:
        return await in_records(journal.open_intents, run)
