"""Carrying out runs on devices in memory: read-back, trouble in the middle, resuming, moving."""

from dataclasses import replace

import pytest

from netloom_core.errors import NoAnswer, ReadBackMismatch, UnknownSetting
from netloom_core.model.device import Identity, Target
from netloom_core.model.work import RunState, StepState
from netloom_core.plan.documents import get, put
from netloom_core.plan.planner import plan_intended
from netloom_core.plan.steps import base, move
from netloom_core.profiles.load import Library
from netloom_core.run.drive import drive
from netloom_core.run.executor import Executor
from netloom_core.testing.memory import MemoryDevice, MemoryDrivers, MemoryHost, outcome_of


@pytest.fixture(autouse=True)
def short_patience(monkeypatch: pytest.MonkeyPatch) -> None:
    """Silence in memory needs no real seconds."""
    monkeypatch.setattr(base, "PATIENCE_S", 0.05)
    monkeypatch.setattr(base, "PAUSE_S", 0.01)
    monkeypatch.setattr(base.patiently, "__defaults__", (0.05,))
    monkeypatch.setattr(move, "PAUSE_S", 0.01)
    monkeypatch.setattr(move, "FIRST_LOOK_S", 0.0)
    monkeypatch.setattr(move, "restart_seconds", lambda profile: 0.05)


class Bench:
    def __init__(self, library: Library, box: MemoryDevice, target: Target) -> None:
        self.box, self.target = box, target
        self.devices = [box]
        self.host = MemoryHost([target])
        self.executor = Executor(library, MemoryDrivers(self.devices), self.host)

    async def apply(self, intended: dict, **more: bool) -> RunState:
        plan = plan_intended(self.box.profile, "dev1", intended, self.box.running, self.box.startup, **more)
        for n, step in enumerate(plan.steps):
            step.ordinal = n
        return await self.executor.execute(RunState("run1", "apply", "tester", steps=plan.steps))

    @property
    def last(self) -> tuple[str, str]:
        entry = self.host.entries[-1]
        return entry.kind, entry.outcome


@pytest.fixture
def bench(library: Library, box: MemoryDevice, target: Target) -> Bench:
    return Bench(library, box, target)


CLOSED = {"relays": {"1": {"idle": "closed"}}, "inputs": {"2": {"rest": "closed"}}}


async def test_the_journal_speaks_before_the_wire(bench: Bench) -> None:
    run = await bench.apply(CLOSED)
    assert run.state == "done"
    events = bench.host.events
    assert events.index("journal intent") < events.index("step 0 acting") < events.index("journal outcome done")
    kind, outcome, change = outcome_of(bench.host.entries)[1]
    assert (kind, outcome) == ("outcome", "done")
    assert change == {"path": "/relays/1/idle", "from": "open", "to": "closed", "read_back": "closed"}
    assert get(bench.box.startup, "/relays/1/idle") == "closed"


async def test_what_is_there_already_is_not_written(bench: Bench) -> None:
    run = RunState("run1", "apply", "tester", steps=[])
    run.steps = [StepState(0, "dev1", "write", {"changes": [{"path": "/name", "from": "a", "to": ""}]})]
    await bench.executor.execute(run)
    assert run.steps[0].state == "done"
    assert "write" not in bench.box.log


async def test_a_value_that_changed_meanwhile_stops_the_write(bench: Bench) -> None:
    run = RunState("run1", "apply", "tester")
    run.steps = [StepState(0, "dev1", "write", {"changes": [{"path": "/name", "from": "old", "to": "new"}]})]
    await bench.executor.execute(run)
    assert run.steps[0].code == "stale-plan"
    assert "Nothing was written" in run.steps[0].message
    assert "write" not in bench.box.log


async def test_a_device_that_lies_is_caught_by_the_read_back(bench: Bench) -> None:
    bench.box.lies_about = "/relays/1/idle"
    run = await bench.apply(CLOSED)
    step = run.steps[0]
    assert (step.state, step.code) == ("failed", "read-back")
    assert "1 of 2 were taken" in step.message
    assert run.steps[1].state == "skipped", "a store after a failed write would keep half a change"


async def test_a_refusal_changes_nothing_and_says_so(bench: Bench) -> None:
    bench.box.refuses = True
    run = await bench.apply(CLOSED)
    assert run.steps[0].state == "failed"
    assert "0 of 2 were taken" in run.steps[0].message
    assert get(bench.box.running, "/relays/1/idle") == "open"


async def test_silence_in_the_middle_is_unknown_not_done(bench: Bench) -> None:
    bench.box.half_of_write = bench.box.silent_after_write = True
    run = await bench.apply(CLOSED)
    assert run.steps[0].state == "unknown"
    assert "nobody knows which of 2" in run.steps[0].message
    assert bench.last == ("outcome", "unknown")


async def test_a_run_that_was_cut_off_writes_only_what_is_missing(bench: Bench) -> None:
    """As after a crash: the step is acting, half of it is on the device."""
    put(bench.box.running, "/relays/1/idle", "closed")
    changes = [
        {"path": "/relays/1/idle", "from": "open", "to": "closed"},
        {"path": "/inputs/2/rest", "from": "open", "to": "closed"},
    ]
    run = RunState("run1", "apply", "tester", state="running")
    run.steps = [StepState(0, "dev1", "write", {"changes": changes}, state="acting")]
    await bench.executor.execute(run)
    assert run.steps[0].state == "done"
    intent = next(entry for entry in bench.host.entries if entry.kind == "intent")
    assert [change["path"] for change in intent.changes] == ["/inputs/2/rest"]


async def test_done_steps_stay_done_when_a_run_goes_on(bench: Bench) -> None:
    run = RunState("run1", "apply", "tester", state="running")
    run.steps = [StepState(0, "dev1", "write", {"changes": []}, state="done"), StepState(1, "dev1", "read")]
    await bench.executor.execute(run)
    assert bench.box.log == ["identify", "read running", "read startup"]


async def test_a_store_that_does_not_keep_is_found(bench: Bench) -> None:
    bench.box.stores = False
    run = await bench.apply(CLOSED)
    assert (run.steps[1].state, run.steps[1].code) == ("failed", "read-back")


async def test_somebody_else_at_the_address_is_not_written_to(bench: Bench) -> None:
    bench.box.identity = Identity("Hallvane", "RX8", "HV-other")
    run = await bench.apply(CLOSED)
    assert run.steps[0].code == "wrong-device"
    assert "write" not in bench.box.log


async def test_one_that_fails_does_not_stop_the_others(bench: Bench, library: Library, box: MemoryDevice) -> None:
    other = MemoryDevice(box.profile, "127.20.10.12", dict(box.running), Identity("Hallvane", "RX8", "HV-2"))
    bench.devices.append(other)
    bench.host.targets["dev2"] = replace(
        bench.target, device="dev2", address=other.address, identity_key=other.identity.key
    )
    box.silent = True
    run = RunState("r", "backup", "t", steps=[StepState(0, "dev1", "backup"), StepState(1, "dev2", "backup")])
    await bench.executor.execute(run)
    assert [step.state for step in run.steps] == ["failed", "done"]
    assert run.state == "failed"
    assert bench.host.backups == [("dev2", False)]


async def test_stopping_says_what_was_left_undone(bench: Bench) -> None:
    bench.host.cancel_when = lambda: "write" in bench.box.log
    run = await bench.apply(CLOSED)
    assert [step.state for step in run.steps] == ["done", "skipped"]
    assert run.state == "cancelled"
    assert "nothing of it was done" in run.steps[1].message


# Moving: a confirmed change

MOVED = {"network": {"address": "127.20.10.14"}}


async def test_it_is_found_again_as_itself(bench: Bench) -> None:
    run = await bench.apply(MOVED)
    assert run.steps[0].state == "done"
    assert bench.host.targets["dev1"].address == "127.20.10.14"
    assert run.steps[0].evidence["changes"][0]["read_back"] == "127.20.10.14"


async def test_an_address_that_answers_as_somebody_else_is_taken(bench: Bench) -> None:
    squatter = MemoryDevice(bench.box.profile, "127.20.10.14", {}, Identity("Hallvane", "RX8", "HV-9"))
    bench.devices.append(squatter)
    run = await bench.apply(MOVED)
    assert run.steps[0].code == "address-taken"
    assert "readdress" not in bench.box.log


async def test_one_that_stays_where_it_was_is_put_back(bench: Bench) -> None:
    bench.box.comes_up_at = bench.box.address
    run = await bench.apply(MOVED)
    assert run.steps[0].state == "failed"
    assert "was put back" in run.steps[0].message
    assert get(bench.box.startup, "/network/address") == "127.20.10.11", "or it would go at its next restart"
    assert bench.host.targets["dev1"].address == "127.20.10.11"


async def test_one_that_is_nowhere_is_unknown(bench: Bench) -> None:
    bench.box.comes_up_at = "127.20.10.99"
    run = await bench.apply(MOVED)
    assert run.steps[0].state == "unknown"
    assert "neither at 127.20.10.14 nor at 127.20.10.11" in run.steps[0].message


async def test_a_move_cut_off_after_it_worked_is_not_made_again(bench: Bench) -> None:
    bench.box.address = "127.20.10.14"
    put(bench.box.running, "/network/address", "127.20.10.14")
    change = {"path": "/network/address", "from": "127.20.10.11", "to": "127.20.10.14"}
    run = RunState(
        "r", "apply", "t", state="running", steps=[StepState(0, "dev1", "move", {"changes": [change]}, "acting")]
    )
    await bench.executor.execute(run)
    assert run.steps[0].state == "done"
    assert "readdress" not in bench.box.log


# Driving


async def test_driving_is_journaled_and_read_back(bench: Bench) -> None:
    states = await drive(
        bench.target, bench.box.profile, "relay-3", "on", bench.executor._drivers, bench.host, "tester"
    )
    assert states["relay-3"] == "on"
    assert [entry.kind for entry in bench.host.entries] == ["intent", "outcome"]


@pytest.mark.parametrize(
    ("point", "trouble", "error"),
    [
        ("relay-9", "", UnknownSetting),
        ("input-1", "", UnknownSetting),
        ("relay-1", "refuses", ReadBackMismatch),
        ("relay-1", "silent", NoAnswer),
    ],
)
async def test_driving_that_fails(bench: Bench, point: str, trouble: str, error: type[Exception]) -> None:
    if trouble:
        setattr(bench.box, trouble, True)
    with pytest.raises(error):
        await drive(bench.target, bench.box.profile, point, "on", bench.executor._drivers, bench.host, "tester")
