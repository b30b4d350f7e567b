"""Many points of many devices brought to states at once: each device by itself, with a word for every cell."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Sequence

from netloom_core.engine.commands import TakeCell
from netloom_core.engine.records import EngineRecords
from netloom_core.errors import NetloomError, RequestError
from netloom_core.library.load import Library
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Target
from netloom_core.model.fence import why_fenced
from netloom_core.run.drive import short_name
from netloom_core.run.insist import own_fault
from netloom_core.run.take import Taken, take

log = logging.getLogger("netloom.engine")
Told = Callable[[str, dict[str, str], str], None]
Driven = Callable[[str, str, str], None]


class Taking:
    """`told` hears each device's states after it, `driven` and `took_over` who drives which point, before."""

    def __init__(
        self,
        library: Library,
        sessions: Sessions,
        records: EngineRecords,
        told: Told,
        driven: Driven,
        took_over: Driven,
    ) -> None:
        self._library = library
        self._sessions = sessions
        self._records = records
        self._told = told
        self._driven = driven
        self._took_over = took_over

    async def take(self, cells: Sequence[TakeCell], by: str) -> list[Taken]:
        """What came of each, in their order. One device's trouble is told at its own cells."""
        by_device: dict[str, list[int]] = {}
        for at, cell in enumerate(cells):
            by_device.setdefault(cell.device, []).append(at)
        targets = await self._records.targets(by_device)
        found: dict[int, Taken] = {}

        async def one(device: str, places: list[int]) -> None:
            mine = [cells[at] for at in places]
            try:
                target = targets.get(device)
                if target is None:
                    raise RequestError("There is no such device any more.", target=device)
                if isinstance(target, NetloomError):
                    raise target
                ends = await self._one(target, mine, by)
            except NetloomError as error:
                ends = [Taken(device, cell.point, cell.state, message=error.message) for cell in mine]
            except Exception as error:
                log.exception("taking on %s broke", device)
                text = own_fault(error).message
                ends = [Taken(device, cell.point, cell.state, word="unknown", message=text) for cell in mine]
            found.update(zip(places, ends, strict=True))

        await asyncio.gather(*(one(device, places) for device, places in by_device.items()))
        return [found[at] for at in range(len(cells))]

    async def _one(self, target: Target, cells: Sequence[TakeCell], by: str) -> list[Taken]:
        profile = self._library.need(target.profile)
        ends: dict[str, Taken] = {}
        wanted: dict[str, str] = {}
        fences = await self._records.fences(target.device)
        for cell in cells:
            point = short_name(profile, cell.point)
            if wanted.setdefault(point, cell.state) != cell.state:
                raise RequestError(f"{point} of {target.name} is wanted in two states at once. Nothing was driven.")
            if fence := why_fenced(fences, point) or self._records.held(target.device, point, by):
                ends[point] = Taken(target.device, point, cell.state, word="locked", message=fence)
        free = {point: state for point, state in wanted.items() if point not in ends}
        if free:
            for point in free:
                self._took_over(target.device, point, by)
                self._driven(target.device, point, by)
            locks = await self._records.locks(target.device)
            done, states = await take(target, profile, free, self._sessions, self._records, by, locks)
            self._told(target.device, states, "")
            ends |= {one.point: one for one in done}
        return [ends[short_name(profile, cell.point)] for cell in cells]
