"""Random plans of moves with something going wrong in the middle, on devices in memory; and what must hold afterwards.

Used by the tests with some dozens, by `bench places` with a thousand.
"""

from __future__ import annotations

import random

from netloom_core.documents.tree import get, put
from netloom_core.library.load import Library
from netloom_core.model.device import Identity
from netloom_core.model.work import DONE, RunState
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import Rig, device
from tests.core.trouble import USUAL, Trouble, kill

MODEL, PATH = "hallvane-rx8", "/network/address"
FREE = range(5, 12)  # places that nobody of them has at first


async def _kill_and_power(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    for one in rig.devices:
        one.power_cut()
    await kill(trouble, rig, box)


async def _lie(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    box.lies_about = PATH


async def _squatter(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    """Another unit of the model is plugged in where the device is to go."""
    number = next(n for n, one in enumerate(rig.devices, 1) if one is box)
    stranger = device(box.profile, 1)
    stranger.identity = Identity("Hallvane", "RX8", "STRANGER")
    stranger.address = str(get(rig.record(f"dev{number}").intended, PATH))
    if stranger.address not in {one.address for one in rig.devices}:
        rig.drivers.devices.append(stranger)


async def _elsewhere(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    box.comes_up_at = "127.20.10.200"


HAPPENINGS = {**USUAL, "kill and power": _kill_and_power, "lie": _lie, "squatter": _squatter, "elsewhere": _elsewhere}


def planned(library: Library, places: dict[int, int]) -> Rig:
    rig = Rig(library, [device(library.need(MODEL), n) for n in range(1, len(places) + 1)])
    for number, to in places.items():
        put(rig.record(f"dev{number}").intended, PATH, f"127.20.10.{10 + to}")
    return rig


async def carried_out(rig: Rig, trouble: Trouble) -> RunState:
    """The plan of all moves, with the trouble; after a kill the next start goes on with it."""
    plan = await rig.plan(devices=[f"dev{n}" for n in range(1, len(rig.devices) + 1)])
    for box in rig.devices:
        box.before = trouble.watching(rig, box, HAPPENINGS)
    run = rig.store.begin("apply", plan.steps)
    await trouble.lived_through(rig, rig.carry_out(run))
    await rig.engine.stop()
    return rig.store.all_runs[run.id]


def promises(rig: Rig, run: RunState, trouble: Trouble) -> None:
    """Nobody is lost, nothing is called proven that is not, and no two proven ones are at one place."""
    told = f"{trouble.what} at {trouble.when}: {[(s.device, s.action, s.state, s.message) for s in run.steps]}"
    rig.every_intent_has_its_outcome()
    proven: dict[str, str] = {}
    for number, box in enumerate(rig.devices, 1):
        ident = f"dev{number}"
        mine = [step for step in run.steps if step.device == ident]
        assert all(step.state not in ("pending", "acting") for step in mine), told
        if mine and all(step.state == DONE for step in mine):
            wanted = str(get(rig.record(ident).intended, PATH))
            assert box.address == wanted == rig.record(ident).target.address, told
            assert str(get(box.startup, PATH)) == wanted, f"a power cut moves it: {told}"
            assert box.address not in proven, told
            proven[box.address] = ident
        elif rig.record(ident).target.address != box.address:
            unknown = any(step.state == "unknown" for step in mine)
            outcomes = [e.outcome for e in rig.entries("outcome") if e.device == ident]
            assert unknown or "unknown" in outcomes, f"{ident} is lost, and nobody says so: {told}"
    places = [str(get(box.startup, PATH)) for box in rig.devices]
    assert len(set(places)) == len(places), f"two meet at the next power cut: {places} {told}"


async def one_round(library: Library, seed: int) -> bool:
    """Whether the trouble came before the plan was carried out."""
    random_ = random.Random(seed)
    count = random_.randint(1, 4)
    targets = random_.sample([*range(1, count + 1), *FREE], count)
    rig = planned(library, dict(enumerate(targets, 1)))
    trouble = Trouble(random_.choice(list(HAPPENINGS)), random_.randint(1, 20 * count))
    run = await carried_out(rig, trouble)
    promises(rig, run, trouble)
    return trouble.happened
