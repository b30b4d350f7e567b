"""The examiners' own reference passes them."""

import copy

from netloom_core.errors import NetloomError
from netloom_core.library.load import Library
from netloom_core.model.work import StepState
from netloom_core.testing.check_journal import check_journal
from netloom_core.testing.check_store import check_store
from netloom_core.testing.rig import Rig, device
from netloom_core.testing.store import MemoryJournal


async def test_the_journal_in_memory() -> None:
    await check_journal(MemoryJournal())


async def test_the_store_in_memory(library: Library) -> None:
    rig = Rig(library, [device(library.need("hallvane-rx8"), n) for n in (1, 2)])

    async def begin(kind: str, steps: list[StepState]) -> str:
        try:
            return rig.store.begin(kind, steps).id
        except ValueError as error:
            raise NetloomError(str(error)) from error

    await check_store(rig.store, begin, "dev1", "dev2", copy.deepcopy(rig.box.running), 5000.0)
