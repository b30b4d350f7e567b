"""A unit on USB takes its port with it, an adapter is out, a look is unclear: that says nothing of the device."""

import asyncio
from dataclasses import replace

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.errors import LinkError, NetloomError, NoAnswer, OutOfStep, ProtocolError
from netloom_core.library.load import Library
from netloom_core.model.line import DIRECT, Line
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import ALL, Rig, device, somebody, states
from tests.core.engine.test_procedures import perform, said

HUB = Line("hub", "Hub port", "serial", path="/dev/none", protocol="dialogue")
LATER = {"/network/address": "192.0.2.9"}  # of a hub on USB: no place of its own, it works after a restart
GONE = LinkError("The port does not exist.")


@pytest.fixture
def usb(library: Library) -> Rig:
    """A hub that takes its port with it while it starts, four seconds."""
    can = replace(ALL, procedures=frozenset({"restart"}), own_port=True)
    hub = device(library.need("pellow-h1"), abilities=can, boots_in=4.0)
    hub.address = DIRECT
    return Rig(library, [hub], HUB)


def out(box: MemoryDevice, after: str, seconds: float, error: NetloomError = GONE, *, calls: str = "") -> None:
    """From so many seconds after it was told that, each call (of that name) ends with that error, for a while."""
    before, begun = box.before, [0.0]

    async def away(name: str) -> None:
        now = asyncio.get_running_loop().time()
        if (not after or after in box.log) and not begun[0]:
            begun[0] = now
        if begun[0] and now < begun[0] + seconds and calls in name and not name.startswith("after"):
            raise error
        await before(name)

    box.before = away


async def test_a_unit_that_takes_its_port_with_it_is_awaited_and_was_seen_to_go(usb: Rig) -> None:
    run = await usb.set(LATER)
    assert states(run) == ["done"] * len(run.steps), said(run)
    assert get(usb.box.running, "/network/address") == "192.0.2.9"
    run = await perform(usb, "restart")
    assert states(run) == ["done"], said(run)
    usb.every_intent_has_its_outcome()


@pytest.mark.parametrize(("times", "word"), [(2.5, "done"), (9.0, "unknown")])
async def test_one_that_takes_longer_than_usual_is_awaited(usb: Rig, times: float, word: str) -> None:
    usb.box.boots_in = times * usb.box.profile.away_seconds
    for work in (usb.set(LATER), perform(usb, "restart")):
        run = await work
        assert run.steps[-1].state == word, said(run)
        await asyncio.sleep(100)


async def test_a_port_that_is_not_there_at_first_is_named(usb: Rig) -> None:
    plan = await usb.plan("procedure", ["dev1"], procedure="restart")
    usb.box.up = False
    run = await usb.apply(plan, "procedure")
    assert (states(run), "did restart" in usb.box.log) == (["failed"], False)
    assert "port" in said(run)


@pytest.mark.parametrize(("seconds", "words"), [(3.0, ["done"]), (300.0, ["unknown"])])
async def test_an_adapter_that_is_pulled_out_after_a_restart(rig: Rig, seconds: float, words: list[str]) -> None:
    out(rig.box, "restart", seconds)
    run = await rig.set({"/network/mask": "255.255.0.0"})
    assert states(run)[2:] == words, said(run)
    assert ("The port does not exist" in said(run)) == (words == ["unknown"])
    rig.every_intent_has_its_outcome()


async def test_what_may_be_an_answer_to_an_earlier_question_is_asked_for_until_it_is_clear(rig: Rig) -> None:
    out(rig.box, "write", 15.0, OutOfStep("Of earlier."), calls="read")
    assert states(await rig.set({"/relays/1/idle": "closed"})) == ["done", "done"]


OUT_AFTER = [(3.0, GONE, "", "unproven"), (300.0, GONE, "", "unknown"), (300.0, GONE, "read", "unknown")]


@pytest.mark.parametrize("case", [*OUT_AFTER, (1.0, ProtocolError("garbage"), "identify", "unproven")])
async def test_an_unclear_look_is_no_absence(told: Rig, case: tuple[float, NetloomError, str, str]) -> None:
    """It said yes and did not go; then the adapter was out, or it answered a look with garbage."""
    told.box.perform = lambda name: None  # type: ignore[method-assign]
    seconds, error, calls, word = case
    out(told.box, "restart", seconds, error, calls=calls)
    run = await perform(told, "restart")
    assert states(run) == [word], said(run)
    assert ("The port does not exist" if word == "unknown" else "never seen to go") in said(run)
    told.every_intent_has_its_outcome()


async def test_one_that_is_only_about_to_go_is_not_called_as_it_was(rig: Rig) -> None:
    """An unclear look right after it was told to restart does not make what it still has its last word."""
    rig.box.boots_in = 1.0
    out(rig.box, "restart", 0.3, ProtocolError("garbage"), calls="identify")
    cut = rig.box.power_cut
    rig.box.power_cut = lambda: asyncio.get_running_loop().call_later(1.5, cut)  # type: ignore[method-assign]
    run = await rig.set({"/network/mask": "255.255.0.0"})
    assert states(run) == ["done"] * 3, said(run)


@pytest.mark.parametrize("error", [GONE, ProtocolError("garbage")])
async def test_at_a_persons_hand_too(library: Library, error: NetloomError) -> None:
    """Nothing was seen of what they say that they did, and an adapter that is out for a moment ends nothing."""
    model = library.need("hallvane-rx8")
    reset = model.procedures["factory-reset"]
    seen = {"power-cycle": "start-up"}
    acts = [act.model_copy(update={"seen_by": seen.get(act.act, act.seen_by)}) for act in reset.by_hand]
    procedures = {**model.procedures, "factory-reset": reset.model_copy(update={"by_hand": acts})}
    box = device(model.model_copy(update={"procedures": procedures}))
    rig = Rig(Library([*(one for one in library if one.id != model.id), box.profile]), [box])
    async with somebody(rig, does=lambda box, asked: out(box, "", 1.0, error) if asked == 2 else None):
        run = await perform(rig, "factory-reset")
    assert run.steps[2].state == "unproven", said(run)
    assert "nothing of it was seen" in run.steps[2].message


async def test_after_a_crash_its_adapter_is_waited_for(rig: Rig) -> None:
    """The computer came back before the adapter did."""
    put(rig.record().intended, "/relays/1/idle", "closed")
    run = rig.store.begin("apply", (await rig.plan()).steps)
    rig.box.error_after["write"] = GONE
    out(rig.box, "write", 3600)
    await rig.engine.do({"do": "carry out", "run": run.id})
    await asyncio.sleep(1)
    await rig.kill()
    rig.box.before = type(rig.box).before
    out(rig.box, "write", 3.0)
    await rig.start_again()
    assert [entry.outcome for entry in rig.entries("outcome")] == ["done", "done"]
    assert states(rig.store.all_runs[run.id]) == ["done", "done"]


@pytest.mark.parametrize("error", [NoAnswer("silent"), ProtocolError("garbage")])
async def test_of_a_step_that_was_not_begun_it_is_known_that_nothing_was_done(rig: Rig, error: NetloomError) -> None:
    out(rig.box, "", 3600, error)
    run = await rig.set({"/relays/1/idle": "closed"})
    assert (states(run), rig.entries()) == (["failed", "skipped"], [])
    assert run.steps[0].message == f"{error.message} Nothing of this step was sent."
    assert bool(rig.record().trouble) == isinstance(error, NoAnswer)
