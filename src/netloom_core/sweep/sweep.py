"""One look along one or more lines, by every method that fits."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from netloom_core.bus.owner import Owners
from netloom_core.clock import Clock
from netloom_core.errors import NetloomError
from netloom_core.model.line import Line
from netloom_core.model.sighting import Sighting
from netloom_core.profiles.load import Library
from netloom_core.sweep.absence import Absent, explain_all
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.identity import Finding, Known, fuse
from netloom_core.sweep.registry import METHODS


@dataclass
class SweepResult:
    findings: list[Finding] = field(default_factory=list)
    missing: list[Absent] = field(default_factory=list)
    sightings: list[Sighting] = field(default_factory=list)
    troubles: list[dict[str, str]] = field(default_factory=list)


async def sweep(
    lines: Sequence[Line],
    known: Sequence[Known],
    library: Library,
    owners: Owners,
    clock: Clock,
    *,
    saw: Callable[[Sighting], None] = lambda sighting: None,
    progress: Callable[[str, str, int, int], None] = lambda line, method, done, total: None,
    methods: Sequence[Method] = METHODS,
    stop: asyncio.Event | None = None,
) -> SweepResult:
    """Sweep the lines at once; a line or method that fails is told in `troubles`, the others go on.

    When `stop` is set the methods end; what was seen by then is given, and nobody is called missing.
    """
    result = SweepResult()

    def take(sighting: Sighting) -> None:
        result.sightings.append(sighting)
        saw(sighting)

    async def one(line: Line, method: Method) -> None:
        look = Look(
            line=line,
            library=library,
            owners=owners,
            clock=clock,
            expected=tuple((k.address, k.speed) for k in known if k.line == line.id and k.address),
            saw=take,
            progress=lambda name, done, total: progress(line.id, name, done, total),
        )
        try:
            await method.run(look)
        except NetloomError as error:
            result.troubles.append(
                {"line": line.id, "method": method.name, "message": error.message, "try": error.hint}
            )

    tasks = [asyncio.create_task(one(line, m)) for line in lines for m in methods if m.fits(line)]
    stopper = asyncio.create_task(stop.wait() if stop else asyncio.Event().wait())
    try:
        while (open_tasks := [task for task in tasks if not task.done()]) and not stopper.done():
            await asyncio.wait([*open_tasks, stopper], return_when=asyncio.FIRST_COMPLETED)
    finally:
        for task in [*tasks, stopper]:
            task.cancel()
        outcomes = await asyncio.gather(*tasks, return_exceptions=True)
    for outcome in outcomes:
        if isinstance(outcome, Exception):
            raise outcome
    result.findings = fuse(result.sightings, known, library)
    if stop is not None and stop.is_set():
        return result
    seen_lines = {sighting.line for sighting in result.sightings}
    blocked = {t["line"]: t["message"] for t in result.troubles if t["line"] not in seen_lines}
    result.missing = await explain_all(known, {line.id: line for line in lines}, result.findings, blocked, library)
    return result
