"""A whole engine on devices in memory, in virtual time: what most tests of the engine drive."""

from __future__ import annotations

import asyncio
import copy
from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.documents.tree import put
from netloom_core.engine.engine import Engine
from netloom_core.engine.ports import MadePlan
from netloom_core.identity.keys import serial_key
from netloom_core.library.load import Library
from netloom_core.model.device import Identity, Target
from netloom_core.model.line import Line
from netloom_core.model.work import LIVE, JournalEntry, RunState, StepState
from netloom_core.plan.planner import number, plan_changes, wanted_changes
from netloom_core.plan.subject import Subject
from netloom_core.profiles.profile import Profile
from netloom_core.testing.devices import ALL, MemoryDevice, MemoryDrivers
from netloom_core.testing.store import MemoryEvents, MemoryJournal, MemoryRecord, MemoryStore
from netloom_core.testing.virtual_time import VirtualClock

NET = Line("net", "Net", "ip", network="127.20.10.0/24", source="127.20.10.1")
BUS = Line("bus", "Bus", "serial", path="/dev/none", protocol="osdp")


class Rig:
    """Devices are dev1, dev2 … at .11, .12 …; `kill` ends the engine as a power failure of its computer would."""

    def __init__(self, library: Library, devices: Sequence[MemoryDevice], line: Line = NET) -> None:
        self.devices = list(devices)
        targets = [
            Target(
                f"dev{n}", f"Box {n}", d.profile.id, line, d.address, d.speed,
                keys=(serial_key(d.identity.maker, d.identity.serial),) if d.identity.serial else (),
                maker=d.profile.maker, models=(d.profile.model,),
            )
            for n, d in enumerate(self.devices, 1)
        ]  # fmt: skip
        self.library = library
        self.drivers = MemoryDrivers(list(self.devices))
        self.store = MemoryStore(library, targets)
        self.journal = MemoryJournal()
        self.events = MemoryEvents()
        self.engine = self._engine()

    def _engine(self) -> Engine:
        return Engine(self.library, self.drivers, Owners(), VirtualClock(), self.store, self.journal, self.events)

    def record(self, device: str = "dev1") -> MemoryRecord:
        return self.store.records[device]

    @property
    def box(self) -> MemoryDevice:
        return self.devices[0]

    # Work

    async def kill(self) -> None:
        await self.engine.stop()
        self.engine = self._engine()

    async def start_again(self) -> None:
        await self.kill()
        await self.engine.start()
        await self.ended()
        await self.engine.stop()

    async def ended(self, ident: str = "") -> None:
        """Until that run, or all, are settled."""
        while any(run.state in LIVE for run in self.store.all_runs.values() if ident in ("", run.id)):  # noqa: ASYNC110
            await asyncio.sleep(0.1)

    async def begin(self, plan: MadePlan, kind: str = "apply") -> RunState:
        """A run of that plan, under way."""
        run = self.store.begin(kind, plan.steps)
        await self.engine.do({"do": "carry out", "run": run.id})
        return run

    async def carry_out(self, run: RunState) -> RunState:
        await self.engine.do({"do": "carry out", "run": run.id})
        await self.ended(run.id)
        return self.store.all_runs[run.id]

    async def plan(self, kind: str = "apply", devices: Sequence[str] = (), **params: Any) -> MadePlan:
        run = self.store.begin("plan", [], {"kind": kind, "devices": list(devices), **params})
        run = await self.carry_out(run)
        assert run.state == "done", run.message
        return self.store.all_plans[run.id]

    async def apply(self, plan: MadePlan, kind: str = "apply") -> RunState:
        return await self.carry_out(self.store.begin(kind, plan.steps))

    async def set(self, values: dict[str, Any], device: str = "dev1", **params: Any) -> RunState:
        """Decide, plan and write."""
        for path, value in values.items():
            put(self.record(device).intended, path, value)
        return await self.apply(await self.plan(devices=[device], **params))

    async def undo(self, run: RunState, **params: Any) -> RunState:
        return await self.apply(await self.plan("undo", run=run.id, **params), "undo")

    # What came of it

    def entries(self, kind: str = "") -> list[JournalEntry]:
        return [entry for entry in self.journal.entries if kind in ("", entry.kind)]

    def every_intent_has_its_outcome(self) -> None:
        intents = [e.intent for e in self.entries("intent")]
        outcomes = [e.intent for e in self.entries("outcome")]
        assert sorted(intents) == sorted(outcomes), self.journal.entries


@asynccontextmanager
async def somebody(rig: Rig, *, came: bool = True, does: Any = None) -> AsyncIterator[list[str]]:
    """Mara does what is asked (`does`, with the box) and answers every question; gives what she was asked."""
    asked: list[str] = []

    async def answer() -> None:
        while True:
            await asyncio.sleep(0.5)
            for run in list(rig.store.all_runs.values()):
                for step in run.steps:
                    question = step.evidence.get("asks")
                    if step.state != "acting" or not question or question["words"] in asked:
                        continue
                    asked.append(question["words"])
                    if does is not None:
                        does(rig.box, len(asked))
                    told = {"do": "answer", "run": run.id, "step": step.ordinal, "came": came, "by": "Mara"}
                    await rig.engine.do(told)

    task = asyncio.ensure_future(answer())
    try:
        yield asked
    finally:
        task.cancel()
        error = (await asyncio.gather(task, return_exceptions=True))[0]
        assert isinstance(error, asyncio.CancelledError), error


def states(run: RunState) -> list[str]:
    return [step.state for step in run.steps]


def device(profile: Profile, number: int = 1, **more: Any) -> MemoryDevice:
    """A device of that model at 127.20.10.1N, or at unit number N where its address is a number."""
    setting = profile.with_role("address")
    on_bus = setting is not None and setting.type.name == "integer"
    address = str(number) if on_bus else f"127.20.10.{10 + number}"
    made = MemoryDevice(profile, address, identity=Identity(profile.maker, profile.model, f"S-{number:04}"), **more)
    if setting is not None:
        for document in (made.running, made.startup):
            put(document, setting.path, number if on_bus else address)
    return made


def steps_for(box: MemoryDevice, intended: dict[str, Any], ident: str = "dev1", **more: Any) -> list[StepState]:
    """The planner's steps, without an engine."""
    subject = Subject(ident, box.profile, box.abilities, copy.deepcopy(box.running), copy.deepcopy(box.startup))
    document: dict[str, Any] = {}
    for path, value in intended.items():
        put(document, path, value)
    return number([plan_changes(subject, wanted_changes(subject, document), **more)])


__all__ = ["ALL", "BUS", "NET", "Rig", "device", "somebody", "states", "steps_for"]
