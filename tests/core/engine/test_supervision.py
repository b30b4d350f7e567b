"""One device's trouble is its own; a run always ends; nothing that was promised is lost."""

import asyncio

import pytest

from netloom_core.engine import loops
from netloom_core.errors import StoreTrouble
from netloom_core.library.load import Library
from netloom_core.model.work import StepState
from netloom_core.run import supervisor
from netloom_core.testing.rig import Rig, device, states

IDLE = "/relays/1/idle"


@pytest.fixture
def three(library: Library) -> Rig:
    return Rig(library, [device(library.need("hallvane-rx8"), n) for n in (1, 2, 3)])


async def plan_for_all(rig: Rig):  # type: ignore[no-untyped-def]
    from netloom_core.documents.tree import put

    for record in rig.store.records.values():
        put(record.intended, IDLE, "closed")
    return await rig.plan()


@pytest.mark.parametrize("call", ["write", "after write", "read startup", "store", "after store"])
@pytest.mark.parametrize("surprise", [KeyError("x"), ValueError("y"), RecursionError("z")])
async def test_an_error_that_nobody_foresaw_is_one_devices_trouble(three: Rig, call: str, surprise: Exception) -> None:
    plan = await plan_for_all(three)

    async def broken(name: str) -> None:
        if name == call:
            raise surprise

    three.devices[1].before = broken
    run = await three.apply(plan)
    by_device = {d: [s.state for s in run.steps if s.device == d] for d in ("dev1", "dev2", "dev3")}
    assert by_device["dev1"] == by_device["dev3"] == ["done", "done"]
    assert set(by_device["dev2"]) & {"failed", "unknown"}
    assert run.state == "failed"
    three.every_intent_has_its_outcome()
    broken_step = next(s for s in run.steps if s.state in ("failed", "unknown"))
    assert "mistake of its own" in broken_step.message


async def test_records_that_cannot_be_written_for_a_while_lose_nothing(three: Rig) -> None:
    plan = await plan_for_all(three)
    until = asyncio.get_running_loop().time() + 40

    def locked(what: str) -> None:
        if what in ("save step", "save run") and asyncio.get_running_loop().time() < until:
            raise StoreTrouble("database is locked")

    three.store.hook = locked
    run = await three.begin(plan)
    await three.ended(run.id)
    run = three.store.all_runs[run.id]
    assert run.state in ("done", "failed")
    assert all(step.state not in ("pending", "acting") for step in run.steps)
    three.every_intent_has_its_outcome()


async def test_records_that_cannot_be_read_in_the_middle_leave_nobody_out(
    three: Rig, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where devices are is asked for some at a time, and again when the records cannot be had."""
    monkeypatch.setattr(supervisor, "TARGETS_AT_ONCE", 1)
    plan = await plan_for_all(three)
    asked, plain = [], three.store.targets

    async def now_and_then(devices: list[str]):  # type: ignore[no-untyped-def]
        asked.append(list(devices))
        if len(asked) == 2:
            raise StoreTrouble("database is locked")
        return await plain(devices)

    monkeypatch.setattr(three.store, "targets", now_and_then)
    run = await three.apply(plan)
    assert run.state == "done"
    assert sorted(device for some in asked for device in some) == ["dev1", "dev2", "dev2", "dev3"]


async def test_an_intent_that_cannot_be_written_down_is_not_acted_on(three: Rig) -> None:
    plan = await plan_for_all(three)

    def full(what: str) -> None:
        if what == "journal intent":
            raise StoreTrouble("disk full")

    three.journal.hook = full
    run = await three.apply(plan)
    assert set(states(run)) == {"failed", "skipped"}
    assert all("write" not in box.log for box in three.devices)


async def test_one_run_holds_a_device_at_a_time(three: Rig) -> None:
    plan = await plan_for_all(three)
    three.store.begin("apply", plan.steps)
    with pytest.raises(Exception, match="held by another run"):
        three.store.begin("backup", [StepState(0, "dev2", "backup")])


async def test_stopping_says_what_was_left_undone(three: Rig) -> None:
    plan = await plan_for_all(three)
    run = three.store.begin("apply", plan.steps)

    async def stop(name: str) -> None:
        if name == "after write":
            three.store.asked_to_stop.add(run.id)
            await three.engine.do({"do": "stop", "run": run.id})

    for box in three.devices:
        box.before = stop
    await three.engine.do({"do": "carry out", "run": run.id})
    await three.ended(run.id)
    run = three.store.all_runs[run.id]
    assert run.state == "cancelled"
    assert "nothing of it was done" in run.steps[-1].message
    assert "done" in states(run)
    assert three.store.leases == {}


async def test_a_stopped_verification_changes_no_proof(three: Rig) -> None:
    for record, box in zip(three.store.records.values(), three.devices, strict=True):
        record.baseline = box.running
    steps = [StepState(n, f"dev{n + 1}", "read") for n in range(3)]
    await three.carry_out(three.store.begin("verify", steps))
    assert three.record("dev1").proof.result == "match"  # type: ignore[union-attr]
    run = three.store.begin("verify", steps)
    three.store.asked_to_stop.add(run.id)
    run = await three.carry_out(run)
    assert run.state == "cancelled"
    assert three.record("dev1").proof.result == "match"  # type: ignore[union-attr]
    assert run.result["devices"] == []


async def test_a_plan_of_many_lists_what_cannot_be_planned(three: Rig) -> None:
    three.devices[1].silent = True
    plan = await plan_for_all(three)
    assert {step.device for step in plan.steps} == {"dev1", "dev3"}
    assert [(r["device"], r["code"]) for r in plan.remarks] == [("dev2", "left-out")]
    from netloom_core.documents.tree import put

    put(three.record("dev3").intended, "/relays/1/pulse_ms", 7)
    three.devices[1].silent = False
    plan = await three.plan()
    assert {step.device for step in plan.steps} == {"dev1", "dev2"}
    assert "cannot be '7'" in plan.remarks[0]["message"]


async def test_what_an_earlier_process_left_open_is_settled_at_the_start(three: Rig) -> None:
    async def hang(name: str) -> None:
        if name == "after drive":
            await asyncio.Event().wait()

    three.box.before = hang
    task = asyncio.ensure_future(
        three.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": "on", "by": "t"})
    )
    await asyncio.sleep(1)
    task.cancel()
    await asyncio.gather(task, return_exceptions=True)
    await three.start_again()
    assert [(e.kind, e.outcome) for e in three.entries()] == [("intent", ""), ("outcome", "unknown")]


async def test_a_loop_outlives_its_errors_and_says_so() -> None:
    told: list[str] = []
    turns = 0

    async def loop() -> None:
        nonlocal turns
        turns += 1
        if turns < 4:
            raise RuntimeError("broken")
        await asyncio.Event().wait()

    task = asyncio.ensure_future(loops.keep_going("the writer", loop, told.append))
    await asyncio.sleep(60)
    task.cancel()
    assert turns == 4
    assert told == ["the writer broke (RuntimeError) and was started again."] * 3


async def test_commands_are_plain_data(three: Rig) -> None:
    import json

    answer = await three.engine.do(json.loads('{"do": "prove", "device": "dev1"}'))
    assert json.loads(json.dumps(answer))["serial"] == "S-0001"
    for wrong in ({"do": "nothing"}, {"do": "drive", "device": "dev1"}, {"do": "read", "devices": ["x" * 99]}, None):
        with pytest.raises(Exception, match="no command"):
            await three.engine.do(wrong)
    json.dumps(three.events.told)


async def test_a_drive_that_takes_too_long_is_given_up_and_does_not_happen_later(three: Rig) -> None:
    async def hang(name: str) -> None:
        if name == "drive relay-1":
            await asyncio.sleep(120)

    three.box.before = hang
    with pytest.raises(Exception, match="Whether relay-1 followed is not known"):
        await three.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": "on", "by": "t"})
    await asyncio.sleep(300)
    assert three.box.points["relay-1"] == "off"
    assert three.entries()[-1].outcome == "unknown"
    three.every_intent_has_its_outcome()


async def test_a_drive_does_not_wait_long_for_its_turn(three: Rig) -> None:
    async def slow(name: str) -> None:
        if name == "read running":
            await asyncio.sleep(20)

    three.box.before = slow
    reading = asyncio.ensure_future(three.engine.do({"do": "read", "devices": ["dev1"]}))
    await asyncio.sleep(0.1)
    with pytest.raises(Exception, match="has Box 1 now"):
        await three.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": "on", "by": "t"})
    await reading
    assert three.entries() == []


async def test_a_loop_that_cannot_have_the_records_says_so_and_goes_on(caplog: pytest.LogCaptureFixture) -> None:
    rounds, told = 0, []

    async def work() -> None:
        nonlocal rounds
        rounds += 1
        if rounds == 1:
            raise StoreTrouble("The records cannot be used now: database is locked.")
        await asyncio.Event().wait()

    task = asyncio.ensure_future(loops.keep_going("watch mode", work, told.append))
    await asyncio.sleep(loops.LONGEST_PAUSE_S)
    task.cancel()
    assert rounds == 2
    assert told == ["watch mode waits: The records cannot be used now: database is locked. It goes on by itself."]
    assert not any(record.exc_info for record in caplog.records), "it is no fault of ours"
