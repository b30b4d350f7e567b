"""Procedures: told and proven by readings, acts by hand with a person's answer, and nothing told twice."""

import asyncio
import copy
from dataclasses import replace
from typing import Any

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.errors import NoAnswer, RequestError, WrongCredentials
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.model.work import RunState
from netloom_core.plan.procedures import expected
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import Rig, somebody, states

FACTORY = "127.20.10.200"


async def perform(rig: Rig, name: str) -> RunState:
    return await rig.apply(await rig.plan("procedure", ["dev1"], procedure=name), "procedure")


def said(run: RunState) -> str:
    return " ".join(step.message for step in run.steps)


async def test_a_restart_is_seen_and_told_with_what_it_took(told: Rig) -> None:
    put(told.box.running, "/relays/1/pulse_ms", 70)  # tried, not kept
    plan = await told.plan("procedure", ["dev1"], procedure="restart")
    assert "Relay 1 pulse time" in plan.remarks[0]["message"]
    run = await told.apply(plan, "procedure")
    assert states(run) == ["done"]
    assert run.steps[0].evidence["changes"] == [{"path": "/relays/1/pulse_ms", "from": 70, "to": 900, "read_back": 900}]
    assert told.box.log.count("did restart") == 1
    told.every_intent_has_its_outcome()


async def test_one_that_says_yes_and_does_not_go_is_unproven(told: Rig) -> None:
    told.box.perform = lambda name: None  # type: ignore[method-assign]
    run = await perform(told, "restart")
    assert states(run) == ["unproven"]
    assert "never seen to go" in run.steps[0].message


@pytest.mark.parametrize("away", [0.5, 1, 2, 3, 20, 60])
async def test_one_that_stays_is_never_called_lost(told: Rig, away: float) -> None:
    """However short or long it usually is away."""
    model = told.library.need("hallvane-rx8")
    restart = model.procedures["restart"].model_copy(update={"away": away})
    told.library.put(model.model_copy(update={"procedures": {**model.procedures, "restart": restart}}))
    told.box.perform = lambda name: None  # type: ignore[method-assign]
    run = await perform(told, "restart")
    assert states(run) == ["unproven"], said(run)


async def test_a_reset_is_backed_up_found_again_elsewhere_and_proven_by_its_values(told: Rig) -> None:
    run = await perform(told, "factory-reset")
    assert [step.action for step in run.steps] == ["backup", "perform"]
    assert states(run) == ["done", "done"]
    assert told.record().target.address == FACTORY
    assert get(told.box.running, "/relays/1/pulse_ms") == 500
    assert get(told.box.running, "/name") == "Gate"  # the profile says that it survives
    assert told.store.backups == [("dev1", run.id, False)]
    told.every_intent_has_its_outcome()


async def test_a_reset_that_did_not_happen_is_said(told: Rig) -> None:
    told.box.refuses = True
    run = await perform(told, "factory-reset")
    assert states(run) == ["done", "failed"]
    assert "did not happen" in run.steps[1].message
    told.every_intent_has_its_outcome()


async def test_a_reset_that_leaves_values_is_said(told: Rig) -> None:
    usual = told.box.perform

    def most(name: str) -> None:
        usual(name)
        for document in (told.box.running, told.box.startup):
            put(document, "/inputs/2/settle_ms", 77)

    told.box.perform = most  # type: ignore[method-assign]
    run = await perform(told, "factory-reset")
    assert states(run)[1] == "failed"
    assert "77 at /inputs/2/settle_ms" in run.steps[1].message


async def test_another_one_at_the_factory_address_is_not_taken_for_it(told: Rig) -> None:
    other = told.devices[1]
    other.address = FACTORY

    def lost(name: str) -> None:
        told.box.silent = True

    told.box.perform = lost  # type: ignore[method-assign]
    plan = await told.plan("procedure", ["dev1"], procedure="factory-reset")
    told.store.records["dev2"].target = replace(told.record("dev2").target, address=FACTORY)
    again = await told.plan("procedure", ["dev1"], procedure="factory-reset")
    assert [remark["code"] for remark in plan.remarks] == ["sets-back"]
    assert [remark["code"] for remark in again.remarks] == ["sets-back", "address-taken"]
    run = await told.apply(again, "procedure")
    assert states(run)[1] == "unknown"
    assert "S-0002, answers at 127.20.10.200" in run.steps[1].message
    assert "PWR" in run.steps[1].hint
    assert told.record().target.address == "127.20.10.11"
    told.every_intent_has_its_outcome()


@pytest.mark.parametrize("late", [False, True])
async def test_a_reset_that_was_cut_off_is_never_told_twice(told: Rig, late: bool) -> None:
    before: dict[str, Any] = {}

    async def cut(what: str) -> None:
        if what == ("after factory-reset" if late else "factory-reset") and not before:
            before["killed"] = True
            told.kill_now = asyncio.ensure_future(told.kill())  # type: ignore[attr-defined]
            await asyncio.sleep(30)

    told.box.before = cut
    plan = await told.plan("procedure", ["dev1"], procedure="factory-reset")
    run = await told.begin(plan, "procedure")
    await asyncio.sleep(3)
    assert before
    await told.start_again()
    run = told.store.all_runs[run.id]
    assert told.box.log.count("did factory-reset") == (1 if late else 0)
    assert states(run)[1] == ("done" if late else "failed"), said(run)
    told.every_intent_has_its_outcome()


async def test_whoever_stands_before_it_says_which_one_it_is(told: Rig) -> None:
    async with somebody(told) as asked:
        run = await perform(told, "identify")
    assert states(run) == ["done"]
    assert "Box 1" in asked[0]
    assert "Mara says that it is so" in run.steps[0].message


async def test_nobody_sees_it(told: Rig) -> None:
    async with somebody(told, came=False):
        run = await perform(told, "identify")
    assert states(run) == ["failed"]
    assert run.steps[0].code == "not-done"
    told.every_intent_has_its_outcome()


async def test_nobody_answers(told: Rig) -> None:
    run = await perform(told, "identify")
    assert states(run) == ["unproven"]
    told.every_intent_has_its_outcome()


def _set_back(box: MemoryDevice, asked: int) -> None:
    """The button does nothing by itself; the power does."""
    if asked == 2:
        box.perform("factory-reset")


async def test_by_hand_what_is_seen_counts_besides_what_is_said(by_hand: Rig) -> None:
    async with somebody(by_hand, does=_set_back) as asked:
        run = await perform(by_hand, "factory-reset")
    assert [step.action for step in run.steps] == ["backup", "by-hand", "by-hand", "perform"]
    assert states(run) == ["done"] * 4, said(run)
    assert asked == [
        "Hold SET for 3 s, until NET blinks twice.", "Take its power away and give it back."
    ]  # fmt: skip
    assert "where its factory puts it" in run.steps[2].message
    assert by_hand.record().target.address == FACTORY
    assert {change["path"] for change in run.steps[3].evidence["changes"]} >= {"/relays/1/pulse_ms"}


async def test_by_hand_words_alone_prove_nothing(by_hand: Rig) -> None:
    async with somebody(by_hand):
        run = await perform(by_hand, "factory-reset")
    assert states(run)[:3] == ["done", "done", "unproven"]
    assert states(run)[3] == "failed"  # it has all that it had


async def test_by_hand_nobody_comes(by_hand: Rig) -> None:
    run = await perform(by_hand, "factory-reset")
    assert states(run) == ["done", "failed", "skipped", "skipped"]
    assert "Nobody said" in run.steps[1].message


async def test_one_at_a_time_since_a_person_is_at_one_place(by_hand: Rig) -> None:
    plan = await by_hand.plan("procedure", ["dev1", "dev2"], procedure="factory-reset")
    run = await by_hand.begin(plan, "procedure")
    await asyncio.sleep(5)
    waiting = [step.device for step in run.steps if step.evidence.get("asks")]
    assert waiting == ["dev1"]
    with pytest.raises(RequestError):
        await by_hand.engine.do({"do": "answer", "run": run.id, "step": 5, "came": True, "by": "Mara"})
    await by_hand.ended(run.id)


async def test_a_run_that_waits_for_a_person_can_be_stopped(by_hand: Rig) -> None:
    plan = await by_hand.plan("procedure", ["dev1"], procedure="factory-reset")
    run = await by_hand.begin(plan, "procedure")
    await asyncio.sleep(5)
    by_hand.store.asked_to_stop.add(run.id)
    await by_hand.engine.do({"do": "stop", "run": run.id})
    await asyncio.sleep(2)
    run = by_hand.store.all_runs[run.id]
    assert run.state == "cancelled"
    assert states(run) == ["done", "failed", "skipped", "skipped"]


async def test_a_model_without_it_says_so(by_hand: Rig) -> None:
    plan = await by_hand.plan("procedure", ["dev1"], procedure="identify")
    assert plan.steps == []
    assert "has no identify" in plan.remarks[0]["message"]


async def test_silence_in_the_middle_is_looked_at(told: Rig) -> None:
    """It did it, and its answer was lost."""
    told.box.error_after = {"factory-reset": NoAnswer("The cable.")}
    run = await perform(told, "factory-reset")
    assert states(run) == ["done", "done"], said(run)


def test_what_has_to_be_so_afterwards(library: Library) -> None:
    model = library.need("hallvane-rx8")
    before = {"running": {"name": "Gate", "relays": {"1": {"pulse_ms": 70}}}}
    after = expected(model, "factory-reset", ["name"], before)
    assert (after["/name"], after["/relays/1/pulse_ms"]) == ("Gate", 500)
    assert after["/network/address"] == FACTORY
    assert "/password" not in after  # a secret is never compared
    assert expected(model, "identify", [], before) == {}


async def test_a_restart_takes_what_waits_for_it_and_the_device_is_found_there(told: Rig) -> None:
    put(told.box.startup, "/network/address", "127.20.10.44")
    run = await perform(told, "restart")
    assert states(run) == ["done"], said(run)
    assert told.record().target.address == "127.20.10.44"


async def test_a_restart_does_not_send_it_where_another_one_is(told: Rig) -> None:
    put(told.box.startup, "/network/address", told.devices[1].address)
    run = await perform(told, "restart")
    assert (states(run), run.steps[0].code) == (["failed"], "address-taken")
    assert "did restart" not in told.box.log
    told.every_intent_has_its_outcome()


async def test_one_that_takes_its_time_to_go_is_seen_to_go(told: Rig) -> None:
    usual = told.box.perform
    told.box.perform = lambda name: asyncio.get_running_loop().call_later(5, usual, name) and None  # type: ignore[method-assign]
    run = await perform(told, "restart")
    assert states(run) == ["done"], said(run)


async def test_one_that_nobody_gets_into_is_set_back_by_hand(by_hand: Rig) -> None:
    async def locked(what: str) -> None:
        if what.startswith("read") and get(by_hand.box.running, "/relays/1/pulse_ms") == 900:
            raise WrongCredentials("The password is lost.")

    by_hand.box.before = locked
    plan = await by_hand.plan("procedure", ["dev1"], procedure="factory-reset")
    assert [step.action for step in plan.steps] == ["by-hand", "by-hand", "perform"]
    assert "no backup before it: it cannot be read: The password is lost." in plan.remarks[0]["message"]
    restart = await by_hand.plan("procedure", ["dev1"], procedure="restart")
    assert restart.steps == []
    async with somebody(by_hand, does=_set_back):
        run = await by_hand.apply(plan, "procedure")
    assert states(run) == ["done", "done", "done"], said(run)
    by_hand.every_intent_has_its_outcome()


@pytest.mark.parametrize("stays", [False, True])
async def test_the_login_on_record_goes_with_the_reset_where_it_lets_in_no_more(told: Rig, stays: bool) -> None:
    own, factory = Credentials("admin", "tidal-19"), Credentials("admin", "hallvane")
    told.store.records["dev1"].target = replace(told.record().target, credentials=(own,))
    told.box.password = own.password
    usual = told.box.perform

    def reset(name: str) -> None:
        usual(name)
        told.box.password = own.password if stays else factory.password

    told.box.perform = reset  # type: ignore[method-assign]
    run = await perform(told, "factory-reset")
    assert states(run) == ["done", "done"], said(run)
    assert told.record().target.credentials == ((own,) if stays else (factory,))


async def test_what_is_not_told_after_a_restart_is_neither_as_before_nor_another(told: Rig) -> None:
    async def before(name: str) -> None:
        if name == "restart":
            told.box.untold = {"running": frozenset({"/relays/1/pulse_ms"})}

    told.box.before = before
    run = await perform(told, "restart")
    assert states(run) == ["unproven"]
    assert run.steps[0].message == "Not proven: Relay 1 pulse time: it is no value."
    [row] = run.steps[0].evidence["changes"]
    assert (row["read_back"], row["untold"]) == (None, "it is no value")


async def test_a_reset_is_judged_by_the_whole_document(told: Rig) -> None:
    put(told.box.running, "/relays/2/pulse_ms", 777)
    told.box.startup = copy.deepcopy(told.box.running)
    run = await perform(told, "factory-reset")
    changed = {row["path"] for row in run.steps[-1].evidence["changes"]}
    assert "/relays/2/pulse_ms" in changed
    assert f"{len(changed)} values are others than before" in run.steps[-1].message


async def test_a_reset_that_changed_nothing_is_not_done(told: Rig) -> None:
    assert states(await perform(told, "factory-reset"))[-1] == "done"
    again = await perform(told, "factory-reset")
    assert again.steps[-1].state == "unproven"
    assert "nothing shows that it happened" in again.steps[-1].message
