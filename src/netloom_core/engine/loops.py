"""Background loops that outlive their errors, and say that they were restarted."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Awaitable, Callable

from netloom_core.errors import NetloomError

log = logging.getLogger("netloom.loops")
FIRST_PAUSE_S = 0.5
LONGEST_PAUSE_S = 30.0
CALM_S = 60.0  # a loop that went on for so long begins anew with the short pause


async def keep_going(name: str, loop: Callable[[], Awaitable[None]], told: Callable[[str], None]) -> None:
    """Run `loop` for ever; after an error again, with a growing pause. `told` hears of each restart."""
    clock = asyncio.get_running_loop()
    pause = FIRST_PAUSE_S
    while True:
        begun = clock.time()
        try:
            await loop()
        except NetloomError as error:  # known, like records that are locked: no fault of ours
            log.error("%s waits: %s", name, error.message)
            told(f"{name} waits: {error.message} It goes on by itself.")
        except Exception as error:
            log.exception("%s broke", name)
            told(f"{name} broke ({type(error).__name__}) and was started again.")
        if clock.time() - begun > CALM_S:
            pause = FIRST_PAUSE_S
        await asyncio.sleep(pause)
        pause = min(pause * 2, LONGEST_PAUSE_S)
