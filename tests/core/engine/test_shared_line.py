"""Many on one line: who is silent costs those on it time, and nothing else, and nobody else waits for that; nobody gets
between proof and write, and one is sent away at a time."""

import asyncio
from dataclasses import replace

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.bus.turns import Priority, Turns
from netloom_core.drivers.registry import Drivers
from netloom_core.errors import NoAnswer
from netloom_core.library.load import Library
from netloom_core.model.device import Target
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import ALL, BUS, NET, Rig, device, states

SILENT, WELL = 20, 10


class Shared(Rig):
    """Readers on a bus, the first of them without power: each question to those takes three seconds of the line."""

    def __init__(self, library: Library, *beside: MemoryDevice) -> None:
        readers = [device(library.need("dunmarrow-dr2"), n) for n in range(1, SILENT + WELL + 1)]
        super().__init__(library, [*readers, *beside], BUS)
        self.line = self.drivers.line = Turns("the line Gate bus")
        self.said: list[tuple[str, str]] = []
        for box in readers:
            box.before = lambda name, at=int(box.address): self._asked(name, at)

    async def _asked(self, name: str, at: int) -> None:
        if name.startswith("after"):
            return
        async with self.line.turn(Priority.RUN, "a driver", 30):
            await asyncio.sleep(3.0 if at <= SILENT else 0.3)
        if at <= SILENT:
            raise NoAnswer("It does not answer.")
        self.said.append((name, str(at)))


async def test_those_that_are_well_are_read_however_many_are_silent(library: Library) -> None:
    bus = Shared(library)
    every = [f"dev{n}" for n in range(1, SILENT + WELL + 1)]
    plan = await bus.plan(devices=every)
    assert sorted(plan.read) == sorted(every[SILENT:])
    assert {one["device"] for one in plan.remarks if "does not answer" in one["message"]} == set(every[:SILENT])


async def test_who_is_not_on_that_line_does_not_wait_for_it(library: Library) -> None:
    box = device(library.need("hallvane-rx8"), 50)
    bus = Shared(library, box)
    last = bus.record(f"dev{SILENT + WELL + 1}")
    last.target = replace(last.target, line=NET)
    loop = asyncio.get_running_loop()
    begun, asked = loop.time(), []

    async def note(name: str) -> None:
        asked.append(loop.time() - begun)

    box.before = note
    plan = await bus.plan(devices=list(bus.store.records))
    assert last.target.device in plan.read
    assert max(asked) < 3.0 * SILENT / 4


@pytest.mark.parametrize("at_once", [8, 64])
async def test_whoever_looks_waits_no_longer_than_a_request_may(
    library: Library, monkeypatch: pytest.MonkeyPatch, at_once: int
) -> None:
    monkeypatch.setattr("netloom_core.engine.engine.LOOK_AT_ONCE", at_once)
    bus, loop = Shared(library), asyncio.get_running_loop()
    begun = loop.time()
    told = await bus.engine.do({"do": "look", "devices": list(bus.store.records), "ask": True})
    assert loop.time() - begun < 21.0
    assert len(told["troubles"]) >= SILENT


@pytest.mark.parametrize("stopped", [False, True])
async def test_one_is_sent_away_at_a_time(library: Library, stopped: bool) -> None:
    """Asking for one that is away takes the time in which another would have come back unseen."""
    bus = Shared(library)
    bus.drivers.vain_s = 3.0
    for box in bus.devices:
        box.boots_in, box.abilities = 4.0, replace(ALL, procedures=frozenset({"restart"}))
    well = bus.devices[SILENT:]
    plan = await bus.plan("procedure", [f"dev{box.address}" for box in well], procedure="restart")
    run = await bus.begin(plan, "procedure")
    await asyncio.sleep(10.0)
    if stopped:
        await bus.engine.do({"do": "stop", "run": run.id})
    await bus.ended(run.id)
    went = [box for box in well if "did restart" in box.log]
    assert sorted(states(run)) == ["done"] * len(went) + ["skipped"] * (WELL - len(went)), run.steps
    assert (len(went) < WELL) is stopped


async def test_nobody_gets_between_the_proof_and_the_write(library: Library) -> None:
    bus = Shared(library)
    well = [f"dev{n}" for n in range(SILENT + 1, SILENT + WELL + 1)]
    for n, one in enumerate(well):
        bus.record(one).intended = {"lamp": {"level": 3 + n}}
    plan = await bus.plan(devices=well)
    bus.said.clear()
    run = await bus.apply(plan)
    assert set(states(run)) == {"done"}, [step.message for step in run.steps]
    wrote = [n for n, (name, _) in enumerate(bus.said) if name == "write"]
    assert len(wrote) == WELL
    assert all(bus.said[n - 1] == ("identify", bus.said[n][1]) for n in wrote), bus.said


@pytest.mark.parametrize(("values", "ends"), [(400, "done"), (0, "did not finish its answer within 25 s")])
async def test_a_device_with_many_values_has_time_to_tell_them(library: Library, values: int, ends: str) -> None:
    rig = Rig(library, [device(library.need("hallvane-rx8"), abilities=replace(ALL, values=values))], NET)

    async def slow(name: str) -> None:
        await asyncio.sleep(60.0 if name.startswith("read") else 0.0)

    rig.box.before = slow
    plan = await rig.plan(devices=["dev1"])
    assert ends in ([one["message"] for one in plan.remarks] or ["done"])[0]


def test_units_behind_one_gateway_take_turns_and_hosts_do_not(library: Library) -> None:
    drivers = Drivers(library, Owners())

    def at(address: str, profile: str = "harrack-h2") -> Turns | None:
        return drivers.shared(Target("d", "D", profile, NET, address))

    assert at("127.20.10.9#1") is at("127.20.10.9#2") is not None
    assert at("127.20.10.9#1") is not at("127.20.10.8#1")
    assert at("127.20.10.9") is at("127.20.10.9#1", "of-nobody") is None


@pytest.mark.parametrize(("seconds", "seen"), [(20, "nobody"), (60, "unseen")])
async def test_a_place_on_a_busy_line_is_not_called_taken(library: Library, seconds: float, seen: str) -> None:
    bus = Shared(library)
    await bus.line.hold(Priority.RUN, "a long read", 1)
    look = asyncio.ensure_future(bus.engine.sessions.look(bus.record().target.at("99", 0)))
    await asyncio.sleep(seconds)
    bus.line.give()
    assert (await look).presence.value == seen
