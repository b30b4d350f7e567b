"""What may happen at any await of the state machine (machine.py): to this computer, a device, its line, its people."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import TYPE_CHECKING

from netloom_core.errors import Busy, NoAnswer, ProtocolError, Refused
from netloom_core.model.work import LIVE
from netloom_core.testing.devices import MemoryDevice

if TYPE_CHECKING:
    from tests.core.machine import EngineMachine

PATHS = ("/a", "/b", "/kept", "/fleeting", "/buffered", "/late", "/network/address")
CLAMPED = (2, 3)

Happening = Callable[["EngineMachine", MemoryDevice], Awaitable[None]]


async def _kill(machine: EngineMachine, box: MemoryDevice) -> None:
    machine.dying.set()
    await asyncio.Event().wait()


async def _power(machine: EngineMachine, box: MemoryDevice) -> None:
    box.power_cut()


async def _both(machine: EngineMachine, box: MemoryDevice) -> None:
    for one in machine.rig.devices:
        one.power_cut()
    await _kill(machine, box)


async def _person(machine: EngineMachine, box: MemoryDevice) -> None:
    for path in ("/a", "/b"):
        machine.at_its_front(box, path, 7)


async def _stranger(machine: EngineMachine, box: MemoryDevice) -> None:
    machine.swap(box)


async def _hang(machine: EngineMachine, box: MemoryDevice) -> None:
    await asyncio.sleep(100)


async def _stop(machine: EngineMachine, box: MemoryDevice) -> None:
    for run in machine.rig.store.all_runs.values():
        if run.state in LIVE:
            machine.rig.store.asked_to_stop.add(run.id)
            await machine.rig.engine.do({"do": "stop", "run": run.id})


async def _lies(machine: EngineMachine, box: MemoryDevice) -> None:
    box.lies_about = "/a"


async def _half(machine: EngineMachine, box: MemoryDevice) -> None:
    box.half_of_write = True


async def _worn(machine: EngineMachine, box: MemoryDevice) -> None:
    box.stores = False


async def _untold(machine: EngineMachine, box: MemoryDevice) -> None:
    box.untold = {"running": frozenset({"/a", "/kept"}), "startup": frozenset({"/b"})}


async def _nothing_of_what_it_keeps(machine: EngineMachine, box: MemoryDevice) -> None:
    box.untold = {"startup": frozenset(PATHS)}


async def _clamps(machine: EngineMachine, box: MemoryDevice) -> None:
    box.limits = {"/a": CLAMPED, "/buffered": CLAMPED}
    machine.clamped = True


async def _starts_older(machine: EngineMachine, box: MemoryDevice) -> None:
    box.starts_with = {"/a": 1}


async def _forgets(machine: EngineMachine, box: MemoryDevice) -> None:
    box.forgets = frozenset({"/kept", "/b"})


async def _late(machine: EngineMachine, box: MemoryDevice) -> None:
    box.late_s = 2.0


async def _brings(machine: EngineMachine, box: MemoryDevice) -> None:
    box.follows = {"/a": ("/b", 9)}


async def _unclear(machine: EngineMachine, box: MemoryDevice) -> None:
    """All others are there and cannot be asked who they are, for a while."""
    machine.clear_one, machine.unclear_until = box, asyncio.get_running_loop().time() + 30


async def _locked(machine: EngineMachine, box: MemoryDevice) -> None:
    machine.locked_until = asyncio.get_running_loop().time() + 30


def _raising(error: Exception) -> Happening:
    async def happen(machine: EngineMachine, box: MemoryDevice) -> None:
        raise error

    return happen


HAPPENINGS: dict[str, Happening] = {
    "nothing": _hang,  # replaced below; a name for a run without trouble
    "kill": _kill,
    "power": _power,
    "kill and power": _both,
    "person": _person,
    "stranger": _stranger,
    "hang": _hang,
    "stop": _stop,
    "locked": _locked,
    "lies": _lies,
    "others unclear": _unclear,
    "half": _half,
    "worn out": _worn,
    "clamps": _clamps,
    "starts with older": _starts_older,
    "forgets": _forgets,
    "takes effect late": _late,
    "changes another": _brings,
    "untold": _untold,
    "keeps untold": _nothing_of_what_it_keeps,
    "refused": _raising(Refused("no")),
    "silent": _raising(NoAnswer("silence")),
    "garbled": _raising(ProtocolError("garbage")),
    "busy": _raising(Busy("later")),
    "surprise": _raising(KeyError("surprise")),
    "deep": _raising(RecursionError("deep")),
}


async def calm(machine: EngineMachine, box: MemoryDevice) -> None:
    return None


HAPPENINGS["nothing"] = calm
