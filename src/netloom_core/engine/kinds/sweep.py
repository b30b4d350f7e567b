"""A sweep as a run: lines first, then the buses behind what was found, then why others are missing."""

from __future__ import annotations

import asyncio
from typing import Any

from netloom_core.absence.explain import Absent, explain_all
from netloom_core.engine.kinds.base import Workshop
from netloom_core.engine.ports import SweepWork
from netloom_core.model.device import Target
from netloom_core.model.said import Of, Seen, word
from netloom_core.model.sighting import Sighting
from netloom_core.model.work import CANCELLED, RunState, StepState
from netloom_core.sweep.finding import Place
from netloom_core.sweep.methods.registry import METHODS
from netloom_core.sweep.sweep import SweepResult, sweep

MISSING = word(Of.PLACE, Seen.NOT_TOLD)
QUICK_S = 5.0  # a method that listens longer than that is not waited for when one device is asked for
QUICK = [method for method in METHODS if method.wait_s <= QUICK_S]


class SweepRun:
    name = "sweep"

    def __init__(self) -> None:
        self._stops: dict[str, asyncio.Event] = {}

    def stop(self, run: str) -> None:
        if run in self._stops:
            self._stops[run].set()

    async def carry_out(self, run: RunState, shop: Workshop) -> None:
        """Looking is free of effects, so a sweep that was cut off is simply made again."""
        if not run.steps:
            await self._look(run, shop)
        stopped = run.state == CANCELLED
        await shop.supervisor.carry_out(run)
        if stopped:
            run.state = CANCELLED
        elif run.state != CANCELLED:
            run.state = "done"  # that one device could not be read is not the sweep's failure

    async def _look(self, run: RunState, shop: Workshop) -> None:
        stop = self._stops[run.id] = asyncio.Event()
        if await shop.records.cancelled(run.id):
            stop.set()
        done: dict[str, dict[str, list[int]]] = {}
        try:
            work = await shop.store.sweeps.direct(run)
            result = await self._sweep(run, work, stop, done, shop)
            swept = [*(line.id for line in work.lines), *work.unusable]
            found = await shop.store.sweeps.record(run, swept, result)
            behind = await shop.store.sweeps.behind(run, swept)
            if behind.lines and result.complete:
                more = await self._sweep(run, behind, stop, done, shop)
                ids = [line.id for line in behind.lines]
                found += await shop.store.sweeps.record(run, ids, more)
                swept += ids
                _merge(result, more)
            absent: list[Absent] = []
            if result.complete:
                absent = await explain_all(await shop.store.sweeps.cases(run, swept, result))
        finally:
            self._stops.pop(run.id, None)
        missing = await shop.store.sweeps.record_missing(run, absent)
        await self._conclude(run, found, missing, result, shop)
        shop.events.put("devices", {"run": run.id})

    async def _sweep(
        self,
        run: RunState,
        work: SweepWork,
        stop: asyncio.Event,
        done: dict[str, dict[str, list[int]]],
        shop: Workshop,
    ) -> SweepResult:
        def saw(sighting: Sighting) -> None:
            if sighting.address:
                told = {"line": sighting.line, "address": sighting.address, "method": sighting.method}
                shop.events.put("sighting", {"run": run.id, **told, "facts": sighting.facts})

        def progress(line: str, method: str, count: int, total: int) -> None:
            done.setdefault(line, {})[method] = [count, total]
            shop.events.put("progress", {"run": run.id, "lines": done}, latest=f"progress:{run.id}")

        return await _along(work, shop, saw=saw, progress=progress, stop=stop)

    async def _conclude(
        self,
        run: RunState,
        found: list[dict[str, Any]],
        missing: list[dict[str, Any]],
        result: SweepResult,
        shop: Workshop,
    ) -> None:
        names = await shop.store.sweeps.lines_by_name()
        run.result = {
            "found": found,
            "missing": [one for one in missing if one["word"] == MISSING],
            "not_looked": [one for one in missing if one["word"] != MISSING],
            "troubles": [{**t, "line": names.get(t["line"], t["line"])} for t in result.troubles],
            "methods": [{**r.as_dict(), "line": names.get(r.line, r.line)} for r in result.reports],
        }
        if not run.params.get("quiet") and result.complete:
            steps = [StepState(n, device, "read") for n, device in enumerate(await shop.store.sweeps.readable(run))]
            run.steps = await shop.store.runs.add_steps(run.id, steps)
        await shop.records.save_run(run)
        if not result.complete:
            run.state = CANCELLED


async def look_again(line: str, address: str, shop: Workshop) -> SweepResult:
    """A narrow look at one address, by all methods but those that only listen for long; nothing is recorded."""
    work = await shop.store.sweeps.narrow(line)
    return await _along(work, shop, only=frozenset({address}), methods=QUICK)


async def look_along(line: str, shop: Workshop) -> SweepResult:
    """A look along a whole line by the same methods; nothing is recorded."""
    work = await shop.store.sweeps.narrow(line)
    return await _along(work, shop, methods=QUICK)


def may_be_at(target: Target, result: SweepResult) -> list[Target]:
    """Where on its line a device seems to be by that look. Whoever asks proves it."""
    return [
        target.at(place.address, place.speed)
        for finding in result.findings
        if finding.device == target.device
        for place in (Place(finding.line, finding.address, finding.speed), *finding.places)
        if place.line == target.line.id
    ]


async def _along(work: SweepWork, shop: Workshop, **how: Any) -> SweepResult:
    """A sweep along the lines of that work, with what the records know of them; `how` goes to `sweep`."""
    told = {"access": work.access, "parents": work.parents, "sessions": shop.sessions, "common": work.common, **how}
    result = await sweep(work.lines, work.known, shop.library, shop.owners, shop.clock, **told)
    result.troubles = [*work.troubles, *result.troubles]
    return result


def _merge(result: SweepResult, more: SweepResult) -> None:
    result.findings += more.findings
    result.sightings += more.sightings
    result.troubles += more.troubles
    result.reports += more.reports
    result.complete = result.complete and more.complete
    result.common |= more.common
