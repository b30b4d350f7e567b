"""One look along one or more lines, by every method that fits, all at once."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.clock import Clock
from netloom_core.errors import NetloomError, OwnFault
from netloom_core.identity.keys import keys_of
from netloom_core.library.load import Library
from netloom_core.live.sessions import Sessions
from netloom_core.model.access import Access
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.base import MAX_NOTES, Look, Method
from netloom_core.sweep.finding import Finding, Known
from netloom_core.sweep.identity import fuse
from netloom_core.sweep.methods.registry import METHODS
from netloom_core.sweep.pace import RATE, Pace
from netloom_core.sweep.presence import Presence

log = logging.getLogger("netloom.sweep")
TICK_S = 0.5
MAX_SIGHTINGS = 50_000  # of one sweep; more is a flood and not evidence
MAX_FROM_ONE = 400  # of them from one address
WITHIN_S = 1800.0  # all of a sweep: a bus at every speed takes minutes, and nothing takes longer than that


class CutOff(NetloomError):
    """A method did not end in its time."""

    code = "cut-off"


@dataclass
class Report:
    """What one method did on one line. `sent` counts packets.

    `state` is running, done, cut (its time was over, `notes` say with what left), failed or stopped by a person.
    """

    line: str
    method: str
    title: str
    state: str = "running"
    seconds: float = 0.0
    seen: int = 0
    sent: int = 0
    notes: list[str] = field(default_factory=list)
    remedy: str = ""  # what belongs to the trouble that it ended with
    unasked: set[str] = field(default_factory=set)  # places that it should have asked and did not, or not to the end

    def as_dict(self) -> dict[str, Any]:
        told = asdict(self)
        del told["remedy"], told["unasked"]
        return told

    def passed_over(self, place: str) -> bool:
        return place in self.unasked or place.partition("#")[0] in self.unasked


@dataclass
class SweepResult:
    findings: list[Finding] = field(default_factory=list)
    sightings: list[Sighting] = field(default_factory=list)
    troubles: list[dict[str, str]] = field(default_factory=list)
    reports: list[Report] = field(default_factory=list)
    complete: bool = True
    common: dict[str, str] = field(default_factory=dict)


def fitting(line: Line, library: Library, methods: Sequence[Method] = METHODS) -> list[Method]:
    """The methods that could look along a line, switched off ones too."""
    return [method for method in methods if method.fits(line, library)]


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
    access: Mapping[str, Access] | None = None,
    parents: Mapping[str, Target] | None = None,
    sessions: Sessions | None = None,
    rate: int = RATE,
    only: frozenset[str] = frozenset(),
    stop: asyncio.Event | None = None,
    within: float = WITHIN_S,
    common: dict[str, str] | None = None,
) -> SweepResult:
    """Sweep the lines at once; a line or method that fails is told in `troubles`, the others go on.

    `access` and `parents` are by line id; `only` narrows the look to these addresses. When
    `stop` is set the methods end; what was seen by then is given, with `complete` False. Each
    method has a time of its own, and none goes on after `within` seconds: what is cut off so is
    told, too, and what was seen is given. `common` are keys that name nobody in this installation,
    with the reason; the result has those that proved to be so now, too.
    """
    result = SweepResult(common=dict(common or {}))
    tasks = []
    begun = asyncio.get_running_loop().time()
    for line in lines:
        chosen = tuple(method for method in fitting(line, library, methods) if method.name not in line.off)
        pace, heard = Pace(rate), set[str]()
        bore: dict[str, set[str]] = {}
        beside: dict[str, Look] = {}
        answered: set[str] = set()
        claimed: dict[str, set[str]] = {}
        presence: Presence | None = None
        for method in chosen:
            report = Report(line.id, method.name, method.title)
            result.reports.append(report)
            look = Look(
                line=line,
                library=library,
                owners=owners,
                clock=clock,
                expected=tuple(
                    (p.address, p.speed) for k in known for p in k.everywhere if p.line == line.id and p.address
                ),
                profiles=tuple(dict.fromkeys(k.profile for k in known if k.line == line.id and library.get(k.profile))),
                saw=lambda sighting: None,
                progress=_teller(line, method, progress),
                note=_noter(report),
                pace=pace.share(),
                access=(access or {}).get(line.id, Access()),
                methods=chosen,
                parent=(parents or {}).get(line.id),
                sessions=sessions,
                heard=heard,
                bore=bore,
                only=only,
                begun=begun,
                beside=beside,
                answered=answered,
                claimed=claimed,
            )
            presence = presence or _presence(look)
            look.presence = presence
            look.unasked = report.unasked
            look.saw = _taker(result, look, saw)
            beside[method.name] = look
            tasks.append(asyncio.create_task(_one(method, look, report, result, within)))
    await _until(tasks, stop)
    result.complete = stop is None or not stop.is_set()
    by_connect = {report.line: report.seconds for report in result.reports if report.method == "connect"}
    greeters = {method.name for method in methods if type(method).run is Method.run}
    for report in result.reports:
        if report.method in greeters:  # they speak on the connect scan's connections, as long as that goes on
            report.seconds = by_connect.get(report.line, 0.0)
        names = aliases(report.method)
        report.seen = len({s.address for s in result.sightings if s.line == report.line and s.method in names})
    result.findings = fuse(result.sightings, known, library, result.common)
    return result


# Sightings that a method makes under a name of their own, since they weigh differently.
_ALSO = {
    "http": ("page",),
    "ws-discovery": ("onvif", "dpws"),
    "snmp": ("snmp-engine", "forwarding", "lldp"),
    "pjlink": ("pjlink-search",),
}


def aliases(method: str) -> tuple[str, ...]:
    """All names under which sightings of that method go."""
    return (method, *_ALSO.get(method, ()))


def _presence(look: Look) -> Presence:
    """Of a line: whether any method finds out who is there, or all are simply asked."""
    probing = look.line.kind == "ip" and not look.line.loopback and any(method.probes for method in look.methods)
    hosts = look.hosts() if look.line.kind == "ip" else ()
    return Presence(hosts, probing=probing)


def _taker(result: SweepResult, look: Look, saw: Callable[[Sighting], None]) -> Callable[[Sighting], None]:
    counts: dict[str, int] = {}

    def take(sighting: Sighting) -> None:
        at = sighting.address
        counts[at] = counts.get(at, 0) + 1
        if len(result.sightings) >= MAX_SIGHTINGS or (at and counts[at] > MAX_FROM_ONE):
            return
        look.heard.add(at)
        look.bore.setdefault(at, set()).update(k for _, k in keys_of(sighting.facts, look.library.maker))
        result.sightings.append(sighting)
        look.presence.met(at)
        saw(sighting)

    return take


def _noter(report: Report) -> Callable[[str], None]:
    def note(text: str) -> None:
        if text in report.notes:
            return
        if len(report.notes) < MAX_NOTES:
            report.notes.append(text)
        elif len(report.notes) == MAX_NOTES:
            report.notes.append("There is more of that, which is not listed.")

    return note


def _teller(line: Line, method: Method, progress: Callable[[str, str, int, int], None]) -> Callable[[int, int], None]:
    return lambda done, total: progress(line.id, method.name, done, total)


async def _one(method: Method, look: Look, report: Report, result: SweepResult, within: float) -> None:
    loop = asyncio.get_running_loop()
    begun = loop.time()
    report.state = "stopped"
    counted = _counting(look)
    ticking = asyncio.ensure_future(_tick(look, method.wait_s)) if method.wait_s else None
    limit = asyncio.timeout(min(method.budget(look), within))
    try:
        async with limit:
            await method.run(look)
        report.state = "done"
    except TimeoutError:
        if not limit.expired():
            raise
        report.state = "cut"
        done, total = counted
        left = f": {done} of {total} steps were made" if total > done else ""
        fault = CutOff(
            f"{method.title} was cut off after {loop.time() - begun:.0f} s on {look.line.name}{left}.",
            "What it saw by then counts. Who was not seen by it may be there all the same.",
        )
        result.troubles.append(_trouble(look, method, report, fault))
    except NetloomError as error:
        report.state = "failed"
        result.troubles.append(_trouble(look, method, report, error))
    except Exception as error:
        log.exception("sweep method %s broke on %s", method.name, look.line.name)
        report.state = "failed"
        mistake = OwnFault(f"The method {method.title} made a mistake of its own ({type(error).__name__}).")
        result.troubles.append(_trouble(look, method, report, mistake))
    finally:
        if ticking is not None:
            ticking.cancel()
        look.progress(1, 1)
        report.seconds = round(loop.time() - begun, 2)
        report.sent = look.pace.sent


def _trouble(look: Look, method: Method, report: Report, error: NetloomError) -> dict[str, str]:
    report.notes.append(error.message)
    report.remedy = error.hint
    return {
        "line": look.line.id,
        "method": method.name,
        "code": error.code,
        "message": error.message,
        "try": error.hint,
    }


def _counting(look: Look) -> list[int]:
    """[done, total] as the method last told them."""
    counted, tell = [0, 0], look.progress

    def progress(done: int, total: int) -> None:
        counted[:] = done, total
        tell(done, total)

    look.progress = progress
    return counted


async def _tick(look: Look, seconds: float) -> None:
    """Progress of a method that only listens, by the clock."""
    ticks = max(1, round(seconds / TICK_S))
    for tick in range(ticks):
        look.progress(tick, ticks)
        await asyncio.sleep(TICK_S)


async def _until(tasks: list[asyncio.Task[None]], stop: asyncio.Event | None) -> None:
    """Wait for all, or until stopped; then nothing goes on. A fault of ours is raised."""
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
