"""Writing and storing: read-back, trouble in the middle, a second person, power cuts, resuming."""

import asyncio
import copy

import pytest

from netloom_core.documents.tree import Document, get, put
from netloom_core.engine.ports import MadePlan
from netloom_core.errors import LinkError, ProtocolError, WrongCredentials
from netloom_core.profiles.abilities import Abilities
from netloom_core.run.steps.registry import STEPS
from netloom_core.testing.devices import MemoryDriver
from netloom_core.testing.rig import ALL, Rig, states

IDLE, REST = "/relays/1/idle", "/inputs/2/rest"
CLOSED = {IDLE: "closed", REST: "closed"}


async def test_the_journal_speaks_before_the_wire(rig: Rig) -> None:
    rig.journal.hook = lambda what: rig.box.log.append(what)
    run = await rig.set(CLOSED)
    assert states(run) == ["done", "done"]
    log = rig.box.log
    assert log.index("journal intent") < log.index("write") < log.index("journal outcome")
    outcome = rig.entries("outcome")[0]
    assert outcome.changes[0] == {"path": IDLE, "from": "open", "to": "closed", "read_back": "closed"}
    assert get(rig.box.startup, IDLE) == "closed"
    rig.every_intent_has_its_outcome()


async def test_a_value_that_changed_meanwhile_stops_the_write(rig: Rig) -> None:
    plan = await rig.plan()
    put(rig.record().intended, "/name", "new")
    plan = await rig.plan()
    rig.box.take("/name", "from the front panel")
    run = await rig.apply(plan)
    assert (run.steps[0].state, run.steps[0].code) == ("failed", "stale-plan")
    assert "Nothing was written" in run.steps[0].message
    assert "write" not in rig.box.log


async def test_a_device_that_lies_is_caught_by_the_read_back(rig: Rig) -> None:
    rig.box.lies_about = IDLE
    run = await rig.set(CLOSED)
    assert [(s.state, s.code) for s in run.steps] == [("failed", "read-back"), ("skipped", "")]
    assert "1 of 2 were taken" in run.steps[0].message


async def test_a_refusal_changes_nothing_and_says_so(rig: Rig) -> None:
    rig.box.refuses = True
    run = await rig.set(CLOSED)
    assert states(run) == ["failed", "skipped"]
    assert "0 of 2 were taken" in run.steps[0].message


async def test_silence_in_the_middle_is_unknown_not_done(rig: Rig) -> None:
    rig.box.half_of_write, rig.box.silent_after = True, "write"
    run = await rig.set(CLOSED)
    assert states(run) == ["unknown", "skipped"]
    assert "nobody knows which of 2" in run.steps[0].message
    assert rig.entries("outcome")[-1].outcome == "unknown"
    assert "nobody knows which of 2" in rig.record().trouble, "what was read before it is not what it has"
    rig.box.silent, rig.box.silent_after = False, ""
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    assert not rig.record().trouble
    assert rig.record().documents["running"] == rig.box.running


@pytest.mark.parametrize("call", ["write", "store"])
async def test_an_error_after_it_was_carried_out_is_settled_by_looking(rig: Rig, call: str) -> None:
    rig.box.error_after[call] = ProtocolError("garbled")
    run = await rig.set(CLOSED)
    assert states(run) == ["done", "done"]
    rig.every_intent_has_its_outcome()


@pytest.mark.parametrize(("gone", "word"), [(3.0, "done"), (60.0, "unknown")])
async def test_an_adapter_that_is_pulled_out_after_the_write_left(rig: Rig, gone: float, word: str) -> None:
    """What its port says of sending counts for nothing then: the device is looked at, once the port is there again."""
    rig.box.error_after["write"] = LinkError("The port has gone away.")
    begun: list[float] = []

    async def away(name: str) -> None:
        now = asyncio.get_running_loop().time()
        if "write" in rig.box.log and now < (begun or [now])[0] + gone:
            begun.append(now)
            raise LinkError("The port does not exist.")

    rig.box.before = away
    run = await rig.set(CLOSED)
    assert states(run)[0] == word
    assert rig.entries("outcome")[0].outcome == word
    assert bool(rig.record().trouble) == (word == "unknown")
    rig.every_intent_has_its_outcome()


# Findings A: it says more than it knows


async def test_half_a_write_can_be_taken_back_and_is_not_kept(rig: Rig) -> None:
    rig.box.half_of_write = True
    run = await rig.set(CLOSED)
    assert states(run) == ["failed", "skipped"]
    rig.box.half_of_write = False
    plan = await rig.plan("undo", run=run.id)
    assert [s.action for s in plan.steps] == ["write", "decide"], "what was never kept needs no store to go back"
    await rig.apply(plan, "undo")
    assert (get(rig.box.running, IDLE), get(rig.box.startup, IDLE)) == ("open", "open")


async def test_an_unknown_write_is_taken_back_too(rig: Rig) -> None:
    rig.box.silent_after = "write"
    run = await rig.set(CLOSED)
    rig.box.silent, rig.box.silent_after = False, ""
    back = await rig.undo(run)
    assert states(back) == ["done"]
    assert get(rig.box.running, IDLE) == "open"


async def test_a_device_that_cannot_tell_its_startup_is_stored_and_said_unproven(rig: Rig) -> None:
    rig.box.abilities = Abilities(ALL.can, frozenset({"running"}))
    run = await rig.set(CLOSED)
    assert states(run) == ["done", "unproven"]
    assert "store" in rig.box.log
    assert "cannot tell what it would do after a power cut" in run.steps[1].message
    assert rig.entries("outcome")[-1].outcome == "unproven"


async def test_a_power_cut_between_write_and_store_is_not_called_kept(rig: Rig) -> None:
    cut = []

    async def before(name: str) -> None:
        if name == "read running" and "write" in rig.box.log and rig.entries("outcome") and not cut:
            cut.append(name)
            rig.box.power_cut()

    rig.box.before = before
    run = await rig.set(CLOSED)
    assert cut, "the power went after the write was confirmed"
    assert states(run) == ["failed", "failed"], "what was written is gone at the end, too"
    assert "before it was stored" in run.steps[1].hint
    assert "store" not in rig.box.log
    assert get(rig.box.startup, IDLE) == "open"


async def test_what_the_plan_did_not_show_is_not_stored(rig: Rig) -> None:
    plan_for = await rig.plan()
    assert plan_for.steps == []
    put(rig.record().intended, IDLE, "closed")
    plan = await rig.plan()

    async def second_person(name: str) -> None:
        if name == "read startup" and get(rig.box.running, IDLE) == "closed":
            rig.box.take("/name", "changed meanwhile")

    rig.box.before = second_person
    run = await rig.apply(plan)
    assert (run.steps[1].state, run.steps[1].code) == ("failed", "stale-plan")
    assert "keep Name" in run.steps[1].message
    assert "store" not in rig.box.log


@pytest.mark.parametrize("steps", [slice(0, 2), slice(1, 2)])
async def test_a_plan_for_the_model_that_it_was_is_not_carried_out(rig: Rig, steps: slice) -> None:
    """Its profile was changed, or it became another model, after the plan was shown."""
    put(rig.record().intended, IDLE, "closed")
    plan = await rig.plan()
    await rig.store.became("dev1", "thornby-vx44")
    run = await rig.carry_out(rig.store.begin("apply", plan.steps[steps]))
    assert (run.steps[0].state, run.steps[0].code) == ("failed", "stale-plan")
    assert not {"write", "store"} & set(rig.box.log)


async def test_the_digest_covers_what_a_store_will_keep(rig: Rig) -> None:
    put(rig.record().intended, IDLE, "closed")
    first = await rig.plan()
    rig.box.take("/name", "loose")
    second = await rig.plan()
    assert [s.action for s in first.steps] == [s.action for s in second.steps]
    assert second.steps[1].params["unkept"] == ["/name"]
    assert first.digest != second.digest


async def test_values_to_try_leave_out_what_cannot_be_tried(rig: Rig) -> None:
    put(rig.record().intended, IDLE, "closed")
    put(rig.record().intended, "/network/address", "127.20.10.99")
    plan = await rig.plan(keep=False)
    assert [s.action for s in plan.steps] == ["write"]
    assert "left out" in plan.remarks[0]["message"]
    run = await rig.apply(plan)
    assert run.state == "done"
    assert get(rig.box.startup, IDLE) == "open"


async def test_a_store_that_does_not_keep_is_found(rig: Rig) -> None:
    rig.box.stores = False
    run = await rig.set(CLOSED)
    assert (run.steps[1].state, run.steps[1].code) == ("failed", "read-back")


# Undo and later values


async def test_undo_leaves_a_later_value_alone_unless_told(rig: Rig) -> None:
    run = await rig.set({"/name": "first"})
    await rig.set({"/name": "second"})
    plan = await rig.plan("undo", run=run.id)
    assert plan.steps == []
    assert "changed it since" in plan.remarks[0]["message"]
    over = await rig.plan("undo", run=run.id, over_later=True)
    assert over.steps[0].params["changes"] == [{"path": "/name", "from": "second", "to": ""}]


async def test_a_value_staged_and_not_taken_yet_is_unstaged(rig: Rig) -> None:
    rig.box.error_after["restart"] = WrongCredentials("no")
    real, rig.box.power_cut = rig.box.power_cut, lambda: None  # type: ignore[method-assign]
    run = await rig.set({"/network/mask": "255.255.0.0"})
    assert states(run)[:2] == ["done", "done"]
    assert run.steps[2].state == "failed"
    rig.box.power_cut = real  # type: ignore[method-assign]
    back = await rig.undo(run)
    assert back.state == "done", [s.message for s in back.steps]
    rig.box.power_cut()
    assert get(rig.box.running, "/network/mask") == "255.255.255.0"


# Cut off and gone on with


@pytest.mark.parametrize("call", ["after write", "read running", "after store"])
async def test_a_run_that_was_cut_off_settles_and_writes_only_what_is_missing(rig: Rig, call: str) -> None:
    rig.box.half_of_write = True
    plan = await _plan_closed(rig)
    reached = asyncio.Event()

    async def hang(name: str) -> None:
        if name == call:
            reached.set()
            await asyncio.Event().wait()

    rig.box.before = hang
    run = await rig.begin(plan)
    rig.box.half_of_write = call != "after store"
    await reached.wait()
    await rig.kill()
    rig.box.half_of_write, rig.box.before = False, _nothing
    rig.box.log.clear()
    await rig.start_again()
    assert rig.store.all_runs[run.id].state == "done"
    assert get(rig.box.startup, IDLE) == get(rig.box.startup, REST) == "closed"
    rig.every_intent_has_its_outcome()
    assert ("write" in rig.box.log) == (call != "after store")


async def test_a_device_that_is_away_after_a_crash_is_unknown_and_said_so(rig: Rig) -> None:
    plan = await _plan_closed(rig)
    reached = asyncio.Event()

    async def hang(name: str) -> None:
        if name == "after write":
            reached.set()
            await asyncio.Event().wait()

    rig.box.before = hang
    run = await rig.begin(plan)
    await reached.wait()
    await rig.kill()
    rig.box.silent = True
    await rig.start_again()
    assert states(rig.store.all_runs[run.id]) == ["unknown", "skipped"]
    rig.every_intent_has_its_outcome()


async def _plan_closed(rig: Rig) -> MadePlan:
    for path in CLOSED:
        put(rig.record().intended, path, "closed")
    return await rig.plan()


async def _nothing(name: str) -> None:
    return None


async def test_what_steps_say_that_they_would_do_is_what_they_do(rig: Rig) -> None:
    for path, value in {**CLOSED, "/network/mask": "255.255.0.0", "/network/address": "127.20.10.14"}.items():
        put(rig.record().intended, path, value)
    plan = await rig.plan()
    sets = {"running": copy.deepcopy(rig.box.running), "startup": copy.deepcopy(rig.box.startup)}
    for step in plan.steps:
        sets = STEPS[step.action].simulate(step, sets)
    run = await rig.apply(plan)
    assert run.state == "done"
    assert sets["running"] == rig.box.running


async def test_what_it_keeps_and_tells_no_more_is_not_known_any_more(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    """What was read before would look as if it were kept still: a store that does nothing would pass as proven."""
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    assert rig.record().documents["startup"]
    whole = MemoryDriver.read

    async def read(driver: MemoryDriver, which: str) -> Document:
        document = await whole(driver, which)
        driver.unreadable = dict.fromkeys(CLOSED, "no number") if which == "startup" else {}
        return document if which == "running" else {}

    monkeypatch.setattr(MemoryDriver, "read", read)
    rig.box.stores = False
    run = await rig.set(CLOSED)
    assert states(run) == ["done", "unproven"]
    assert get(rig.record().documents["running"], IDLE) == "closed"
    assert rig.record().documents["startup"] == {}
