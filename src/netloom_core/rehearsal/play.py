"""A plan played before it is written: on devices in memory that have what the real ones were last read to have.

They behave as their profiles say: what works when, what a power cut takes, what may not stand together, what a restart
brings. So it shows what of the plan would stop, and what the next power cut would take back afterwards; of what the
real device does against its profile it shows nothing.
"""

from __future__ import annotations

import asyncio
import copy
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.engine.engine import Engine
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.line import Line
from netloom_core.model.secrets import is_reference
from netloom_core.model.work import LIVE, SETTLED, SKIPPED, StepState
from netloom_core.profiles.abilities import Abilities
from netloom_core.run.steps.registry import STEPS
from netloom_core.testing.devices import MemoryDevice, MemoryDrivers
from netloom_core.testing.store import MemoryEvents, MemoryJournal, MemoryStore
from netloom_core.testing.virtual_time import VirtualClock, VirtualLoop

LONGEST_S = 20_000.0  # of the virtual time that it may take
LOOK_S = 1.0
WORDS = ("done", "unproven", "skipped", "failed", "unknown")  # the worst last
BY_HAND = "A person does this at the device; it was not played."
STAND_IN = "rehearsal"


@dataclass(frozen=True)
class Part:
    """A device as it was last read; `fences` are why nothing may be driven or written there, by point."""

    target: Target
    running: Document
    startup: Document
    abilities: Abilities
    fences: Mapping[str, str] = field(default_factory=dict)


@dataclass
class Learnt:
    """Of one device: the worst that came of its steps, the first thing that stopped, and what a power cut after all of
    it would take back, by path."""

    device: str
    name: str
    result: str = "done"
    message: str = ""
    hint: str = ""
    steps: list[StepState] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)


def play(library: Library, parts: Sequence[Part], steps: Sequence[StepState], kind: str = "apply") -> list[Learnt]:
    """What each device would come to; in virtual time, from a thread that runs no loop. Touches nothing real."""
    with asyncio.Runner(loop_factory=VirtualLoop) as runner:
        return runner.run(_Stage(library, parts, steps, kind).played())


class _Drivers(MemoryDrivers):
    """Devices by their lines: each port has its own "direct"."""

    def __init__(self, library: Library, parts: Sequence[Part], devices: list[MemoryDevice]) -> None:
        super().__init__(devices)
        self._can = {(part.target.profile, part.target.line.id): part.abilities for part in parts}

    def abilities(self, profile: str, line: Line) -> Abilities:
        return self._can.get((profile, line.id), Abilities())


class _Stage:
    def __init__(self, library: Library, parts: Sequence[Part], steps: Sequence[StepState], kind: str) -> None:
        self._library, self._kind = library, kind
        self._parts = {part.target.device: part for part in parts}
        self._steps = [StepState(s.ordinal, s.device, s.action, copy.deepcopy(s.params)) for s in steps]
        self._devices = {ident: self._made(part) for ident, part in self._parts.items()}

    def _made(self, part: Part) -> MemoryDevice:
        profile = self._library.need(part.target.profile)
        target = part.target
        serial = f"rehearsal-{target.device}"
        return MemoryDevice(
            profile, target.address, copy.deepcopy(part.running), Identity(profile.maker, profile.model, serial),
            copy.deepcopy(part.startup or part.running), part.abilities, target.speed, password=STAND_IN,
            boots_in=min(profile.away_seconds / 2, 20.0), line=target.line.id,
        )  # fmt: skip

    def _target(self, part: Part) -> Target:
        """With logins and secrets that stand for the real ones, which nobody here needs to know."""
        target = part.target
        profile = self._library.need(target.profile)
        secrets = {
            str(change["to"]): f"{STAND_IN} {number}"
            for number, step in enumerate(self._steps)
            for change in step.params.get("changes", [])
            if step.device == target.device and is_reference(change.get("to"))
        }
        key = f"{profile.maker.casefold()}|rehearsal-{target.device}".casefold()
        return replace(
            target, keys=(key,), maker=profile.maker, models=(profile.model, *profile.aliases), found=True, trouble="",
            secrets=secrets,
            credentials=tuple(Credentials("", STAND_IN, login.level) for login in target.credentials),
        )  # fmt: skip

    async def played(self) -> list[Learnt]:
        store = MemoryStore(self._library, [self._target(part) for part in self._parts.values()])
        for ident, part in self._parts.items():
            store.records[ident].fences = dict(part.fences)
        drivers = _Drivers(self._library, list(self._parts.values()), list(self._devices.values()))
        engine = Engine(self._library, drivers, Owners(), VirtualClock(), store, MemoryJournal(), MemoryEvents())
        run = store.begin(self._kind, [step for step in self._steps if not STEPS[step.action].by_hand])
        _renumbered(self._steps, run.steps)
        await engine.do({"do": "carry out", "run": run.id})
        loop = asyncio.get_running_loop()
        states = store.all_runs
        while states[run.id].state in LIVE and loop.time() < LONGEST_S:  # noqa: ASYNC110 - virtual time
            await asyncio.sleep(LOOK_S)
        ended = store.all_runs[run.id].steps
        await engine.stop()
        return [self._learnt(ident, [step for step in ended if step.device == ident]) for ident in self._parts]

    def _learnt(self, ident: str, steps: Sequence[StepState]) -> Learnt:
        part = self._parts[ident]
        told = Learnt(ident, part.target.name, steps=list(steps))
        for step in steps:
            state = step.state if step.state in SETTLED else "unknown"
            if WORDS.index(state) > WORDS.index(told.result):
                told.result = state
            if not told.message and state not in ("done", SKIPPED):
                told.message, told.hint = step.message, step.hint
        if any(STEPS[step.action].by_hand for step in self._steps if step.device == ident):
            told.result = max(told.result, "unproven", key=WORDS.index)
            told.message = told.message or BY_HAND
        told.lost = self._lost(ident)
        return told

    def _lost(self, ident: str) -> list[str]:
        """What it would have now and not after a power cut."""
        device = self._devices[ident]
        now = copy.deepcopy(device.running)
        device.boots_in = 0
        device.power_cut()
        wanted: dict[str, Any] = {}
        for step in self._steps:
            if step.device == ident:
                wanted |= {change["path"]: change["to"] for change in step.params.get("changes", [])}
        return [
            path
            for path, value in wanted.items()
            if not device.profile.by_path[path].secret
            and get(now, path) == value
            and get(device.running, path) not in (value, MISSING)
        ]


def _renumbered(before: Sequence[StepState], after: Sequence[StepState]) -> None:
    """Whom a step waits for is told by number, and those done by hand are left out."""
    kept = [step.ordinal for step in before if not STEPS[step.action].by_hand]
    number = {old: new for new, old in enumerate(kept)}
    for step in after:
        if "after" in step.params:
            step.params["after"] = [number[old] for old in step.params["after"] if old in number]
