"""Something that goes wrong at one call, on devices in memory: for rounds of random work."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Coroutine
from dataclasses import dataclass, field
from typing import Any

from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import Rig


@dataclass
class Trouble:
    """From the call number `when` of all devices together on, `what` happens once, to the device that is called."""

    what: str
    when: int
    count: int = 0
    dying: asyncio.Event = field(default_factory=asyncio.Event)
    happened: bool = False

    def watching(self, rig: Rig, box: MemoryDevice, of: dict[str, Happening], spared: str = "") -> Callable[..., Any]:
        async def before(name: str) -> None:
            self.count += 1
            if self.count >= self.when and not self.happened and name != spared:
                self.happened = True
                await of[self.what](self, rig, box)

        return before

    async def lived_through(self, rig: Rig, work: Coroutine[Any, Any, object]) -> None:
        """Where this computer dies in it, it begins anew and goes on."""
        self.dying.clear()
        busy, dying = asyncio.ensure_future(work), asyncio.ensure_future(self.dying.wait())
        await asyncio.wait([busy, dying], return_when=asyncio.FIRST_COMPLETED)
        dying.cancel()
        if self.dying.is_set():
            busy.cancel()
            await asyncio.gather(busy, return_exceptions=True)
            await rig.kill()
            await rig.engine.start()
            await rig.ended()
        await asyncio.gather(busy, dying, return_exceptions=True)


Happening = Callable[[Trouble, Rig, MemoryDevice], Awaitable[None]]


async def kill(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    trouble.dying.set()
    await asyncio.Event().wait()


async def power(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    box.power_cut()


async def silence(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    box.silent = True


USUAL: dict[str, Happening] = {"kill": kill, "power": power, "silence": silence}
