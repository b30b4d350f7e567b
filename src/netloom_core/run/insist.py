"""Records that are written down however long it takes, and what is told of a mistake of our own."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Awaitable, Callable

from netloom_core.errors import OwnFault, StoreTrouble

log = logging.getLogger("netloom.run")
AGAIN_S = (0.2, 0.5, 1.0, 2.0, 5.0)  # between tries to write a record down; the last one again and again


async def insist(write: Callable[[], Awaitable[None]], what: str) -> None:
    """Write a record down, or load it, however long it takes: what happened on a device must not be lost."""
    tries = 0
    while True:
        try:
            return await write()
        except StoreTrouble as error:
            if tries == 0:
                log.error("the records: %s: %s It is tried again.", what, error.message)
            await asyncio.sleep(AGAIN_S[min(tries, len(AGAIN_S) - 1)])
            tries += 1


def own_fault(error: Exception) -> OwnFault:
    return OwnFault(
        f"Netloom made a mistake of its own ({type(error).__name__}); the server's log has it.",
        "What was written is in the journal. Read the device before anything else is written.",
    )
