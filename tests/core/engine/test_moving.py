"""Restarts and changes of place: confirmed changes, found again as itself or put back, proven like any write."""

import asyncio
from dataclasses import replace

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.engine.ports import Order, SweepWork
from netloom_core.errors import Busy, NetloomError, NoAnswer, ProtocolError, Refused
from netloom_core.library.load import Library
from netloom_core.live.session import Session
from netloom_core.model.device import Identity
from netloom_core.model.work import RunState
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import ALL, BUS, NET, Rig, device, states

MOVED = {"/network/address": "127.20.10.14"}


def messages(run) -> str:  # type: ignore[no-untyped-def]
    return " ".join(step.message for step in run.steps)


async def test_it_is_found_again_as_itself(rig: Rig) -> None:
    run = await rig.set(MOVED)
    assert states(run) == ["done", "done", "done"]
    assert rig.record().target.address == "127.20.10.14"
    assert run.steps[2].evidence["changes"][0]["read_back"] == "127.20.10.14"
    rig.every_intent_has_its_outcome()


async def test_a_mask_alone_is_read_after_the_restart_not_before_it_went_down(rig: Rig) -> None:
    rig.box.boots_in = 3.0
    run = await rig.set({"/network/mask": "255.255.0.0"})
    assert states(run) == ["done", "done", "done"]
    assert rig.box.up
    assert get(rig.box.running, "/network/mask") == "255.255.0.0"


@pytest.mark.parametrize("error", [Refused("no"), ProtocolError("garbage"), Busy("busy"), NoAnswer("not ready")])
async def test_only_silence_is_free(rig: Rig, error: NetloomError) -> None:
    """Whoever answers at the new place with whatever error is somebody."""
    squatter = device(rig.box.profile, 4)
    squatter.address = "127.20.10.14"

    async def answers(name: str) -> None:
        raise error

    squatter.before = answers
    rig.devices.append(squatter)
    rig.drivers.devices.append(squatter)
    run = await rig.set(MOVED)
    assert run.steps[0].code == "address-taken"
    assert "write" not in rig.box.log, "nothing waits for its next power cut, either"
    assert rig.box.address == "127.20.10.11"


async def test_an_address_that_answers_as_somebody_else_is_taken(rig: Rig) -> None:
    squatter = MemoryDevice(rig.box.profile, "127.20.10.14", identity=Identity("Hallvane", "RX8", "HV-9"))
    rig.drivers.devices.append(squatter)
    run = await rig.set(MOVED)
    assert run.steps[0].code == "address-taken"
    assert "HV-9" in run.steps[0].message
    assert "write" not in rig.box.log


async def test_a_place_that_is_taken_after_it_was_staged_is_unstaged(rig: Rig) -> None:
    squatter = MemoryDevice(rig.box.profile, "127.20.10.14", identity=Identity("Hallvane", "RX8", "HV-9"))

    async def arrives(name: str) -> None:
        if name == "after store" and squatter not in rig.drivers.devices:
            rig.drivers.devices.append(squatter)

    rig.box.before = arrives
    run = await rig.set(MOVED)
    assert [s.state for s in run.steps] == ["done", "done", "failed"]
    assert run.steps[2].code == "address-taken"
    assert get(rig.box.startup, "/network/address") == "127.20.10.11"
    rig.every_intent_has_its_outcome()


async def test_a_third_address_that_somebody_gave_it_meanwhile_is_not_overwritten(rig: Rig) -> None:
    put(rig.record().intended, "/network/address", "127.20.10.14")
    plan = await rig.plan()
    put(rig.box.startup, "/network/address", "127.20.10.77")
    run = await rig.apply(plan)
    assert (run.steps[0].state, run.steps[0].code) == ("failed", "stale-plan")
    assert "127.20.10.77" in run.steps[0].message


async def test_one_that_stays_where_it_was_is_put_back_and_that_is_proven(rig: Rig) -> None:
    rig.box.comes_up_at = rig.box.address
    run = await rig.set(MOVED)
    assert states(run) == ["done", "done", "failed"]
    assert "put back: nothing is left" in run.steps[2].message
    assert get(rig.box.startup, "/network/address") == "127.20.10.11", "or it would go at its next restart"
    told = [(e.action, e.kind, e.outcome) for e in rig.entries()][-4:]
    assert told == [
        ("readdress", "intent", ""),
        ("readdress", "outcome", "failed"),
        ("put back", "intent", ""),
        ("put back", "outcome", "done"),
    ]


async def test_putting_back_that_does_not_hold_is_not_called_put_back(rig: Rig) -> None:
    rig.box.comes_up_at = rig.box.address

    async def keeps_nothing(name: str) -> None:
        if name == "after restart":
            rig.box.stores = False

    rig.box.before = keeps_nothing
    run = await rig.set(MOVED)
    assert "would still go to 127.20.10.14 at its next restart" in run.steps[2].message
    assert rig.entries()[-1].outcome == "failed"


async def test_one_that_is_nowhere_is_unknown(rig: Rig) -> None:
    rig.box.comes_up_at = "127.20.10.99"
    run = await rig.set(MOVED)
    assert run.steps[2].state == "unknown"
    assert "neither at 127.20.10.14 nor at 127.20.10.11" in run.steps[2].message
    rig.every_intent_has_its_outcome()


# By a command of its own, as on a bus


@pytest.fixture
def bus(library: Library) -> Rig:
    module = device(library.need("dunmarrow-dm24"), 4, speed=9600)
    module.abilities = Abilities(ALL.can | {Ability.READDRESS}, ALL.sets)
    put(module.running, "/bus/speed", 9600)
    put(module.startup, "/bus/speed", 9600)
    return Rig(library, [module], BUS)


async def test_a_change_of_speed_names_the_speeds(bus: Rig) -> None:
    run = await bus.set({"/bus/speed": 38400})
    assert states(run) == ["done"]
    assert bus.record().target.speed == 38400
    bus.box.silent_after = "readdress"
    run = await bus.set({"/bus/speed": 19200})
    assert "neither at 4 at 19200 baud nor at 4 at 38400 baud" in run.steps[0].message


@pytest.mark.parametrize("error", [ProtocolError("garbled"), Refused("no"), NoAnswer("silent")])
async def test_whatever_it_answers_it_is_looked_for(bus: Rig, error: NetloomError) -> None:
    """It moved, whatever its answer was: the record follows."""
    bus.box.error_after["readdress"] = error
    run = await bus.set({"/bus/address": 9})
    assert states(run) == ["done"]
    assert bus.record().target.address == "9"
    bus.every_intent_has_its_outcome()


async def test_one_that_promises_another_place_is_looked_for_there_and_brought_back(bus: Rig) -> None:
    bus.box.promises = "7"

    async def only_once(name: str) -> None:
        if name == "identify" and bus.box.address == "7":
            bus.box.promises = ""

    bus.box.before = only_once
    run = await bus.set({"/bus/address": 9})
    assert run.steps[0].state == "failed"
    assert bus.box.address == bus.record().target.address == "4"
    assert "answers at 7 at 9600 baud" in run.steps[0].message


async def test_a_move_cut_off_after_it_worked_is_not_made_again(rig: Rig) -> None:
    reached = asyncio.Event()

    async def hang(name: str) -> None:
        if name == "after restart":
            reached.set()
            await asyncio.Event().wait()

    for path, value in MOVED.items():
        put(rig.record().intended, path, value)
    plan = await rig.plan()
    rig.box.before = hang
    run = await rig.begin(plan)
    await reached.wait()
    await rig.kill()
    rig.box.log.clear()
    await rig.start_again()
    assert rig.store.all_runs[run.id].state == "done"
    assert "restart" not in rig.box.log
    assert rig.record().target.address == "127.20.10.14"
    rig.every_intent_has_its_outcome()


async def test_a_reading_older_than_a_proven_move_does_not_bring_the_old_place_back(rig: Rig) -> None:
    await rig.store.save_place("dev1", "127.20.10.14", 0, 20.0)
    await rig.store.save_place("dev1", "127.20.10.11", 0, 10.0)
    assert rig.record().target.address == "127.20.10.14"


# Who is there


@pytest.mark.parametrize("work", ["read", "drive", "states", "write"])
async def test_a_stranger_is_neither_read_nor_driven_nor_written_to(rig: Rig, work: str) -> None:
    put(rig.record().intended, "/name", "x")
    plan = await rig.plan()
    before = dict(rig.record().documents)
    rig.box.identity = replace(rig.box.identity, serial="S-OTHER")
    rig.box.connection += 1
    rig.box.log.clear()
    if work == "write":
        run = await rig.apply(plan)
        assert run.steps[0].code == "wrong-device"
    elif work == "drive":
        with pytest.raises(NetloomError, match="S-OTHER"):
            await rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": "on", "by": "t"})
        assert rig.entries() == []
    elif work == "states":
        answer = await rig.engine.do({"do": "states", "device": "dev1"})
        assert answer["states"] == {}
    else:
        told = (await rig.engine.do({"do": "read", "devices": ["dev1"]}))["troubles"]
        assert "S-OTHER" in told["dev1"]
    assert set(rig.box.log) == {"identify"}
    assert rig.record().documents == before


async def test_a_record_that_was_never_found_proves_nobody(rig: Rig) -> None:
    rig.record().target = replace(rig.record().target, found=False, keys=())
    told = (await rig.engine.do({"do": "read", "devices": ["dev1"]}))["troubles"]
    assert "never found by a sweep" in told["dev1"]


async def test_the_proof_is_asked_once_for_a_connection_and_anew_on_another(rig: Rig) -> None:
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    assert rig.box.log.count("identify") == 1
    rig.box.connection += 1
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    assert rig.box.log.count("identify") == 2


async def test_one_session_for_all_that_want_something(rig: Rig) -> None:
    target = rig.record().target
    one: Session = await rig.engine.sessions.of(target)
    assert await rig.engine.sessions.of(target) is one
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    document, time = one.known.documents["running"]
    assert get(document, "/network/address") == "127.20.10.11"
    assert time > 0


async def test_a_plan_says_whose_the_address_is_before_anybody_tries_to_take_it(library: Library) -> None:
    rig = Rig(library, [device(library.need("hallvane-rx8"), number) for number in (1, 2)])
    other = rig.record("dev2").target
    put(rig.record("dev1").intended, "/network/address", other.address)
    plan = await rig.plan(devices=["dev1"])
    told = [remark for remark in plan.remarks if remark["code"] == "address-taken"]
    assert [(one["device"], other.name in one["message"], other.address in one["message"]) for one in told] == [
        ("dev1", True, True)
    ]
    run = await rig.apply(plan)
    assert run.steps[0].code == "address-taken"
    assert "write" not in rig.box.log


async def test_nobody_goes_where_another_one_may_go_at_its_next_power_cut(library: Library) -> None:
    """It stored its new address and fell silent, so nobody knows; whoever took that address would meet it."""
    rig = Rig(library, [device(library.need("hallvane-rx8"), number) for number in (1, 2)])
    first, second = rig.devices
    first.silent_after = "store"
    run = await rig.set(MOVED)
    assert states(run) == ["done", "unknown", "skipped"]
    put(rig.record("dev2").intended, "/network/address", "127.20.10.14")
    plan = await rig.plan(devices=["dev2"])
    assert "may become" in plan.remarks[0]["message"]
    refused = await rig.apply(plan)
    assert refused.steps[0].code == "address-taken"
    assert rig.record("dev1").target.name in refused.steps[0].message
    first.silent = False
    first.power_cut()
    assert first.address == "127.20.10.14"
    assert second.address == "127.20.10.12", "they did not meet"


async def test_an_address_that_is_shown_to_wait_no_more_is_free_again(rig: Rig) -> None:
    await rig.set(MOVED)
    assert rig.record().bound == {}, "it went there"
    await rig.store.bind("dev1", "127.20.10.15", 1.0)
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    assert rig.record().bound == {}, "a reading of what it keeps shows that it does not go there"


async def test_it_goes_to_another_network_and_back(rig: Rig) -> None:
    """It is looked for there from that line's own address, and the record follows it from line to line."""
    annex = replace(NET, id="annex", name="Annex", network="127.20.11.0/24", source="127.20.11.1")
    rig.record().target = replace(rig.record().target, nearby=(annex, NET))
    run = await rig.set({"/network/address": "127.20.11.5"})
    assert states(run) == ["done", "done", "done"], messages(run)
    assert rig.record().target.place == ("annex", "127.20.11.5", 0)
    back = await rig.undo(run)
    assert set(states(back)) == {"done"}, messages(back)
    assert rig.record().target.place == ("net", "127.20.10.11", 0)
    rig.every_intent_has_its_outcome()


@pytest.mark.parametrize("ring", [False, True])
async def test_chains_and_rings_across_two_networks_are_ordered(library: Library, ring: bool) -> None:
    """One leaves its network and another one takes its place; or the two change places."""
    boxes = [device(library.need("hallvane-rx8"), n) for n in (1, 2)]
    boxes[1].address = "127.20.11.5"
    rig = Rig(library, boxes)
    annex = replace(NET, id="annex", name="Annex", network="127.20.11.0/24", source="127.20.11.1")
    for n, line in ((1, NET), (2, annex)):
        record = rig.record(f"dev{n}")
        record.target = replace(record.target, line=line, address=boxes[n - 1].address, nearby=(annex, NET))
    put(boxes[1].running, "/network/address", "127.20.11.5")
    put(boxes[1].startup, "/network/address", "127.20.11.5")
    goes = {"dev1": "127.20.11.5", "dev2": "127.20.10.11" if ring else "127.20.11.6"}
    for name, address in goes.items():
        put(rig.record(name).intended, "/network/address", address)
    plan = await rig.plan(devices=["dev1", "dev2"])
    assert [remark["message"] for remark in plan.remarks] == []
    run = await rig.apply(plan)
    assert set(states(run)) == {"done"}, messages(run)
    assert {name: rig.record(name).target.address for name in goes} == goes
    assert rig.record("dev1").target.line.id == "annex"
    assert rig.record("dev2").target.line.id == ("net" if ring else "annex")
    rig.every_intent_has_its_outcome()


async def test_what_is_wrong_with_a_place_is_said_where_the_plan_touches_it(rig: Rig) -> None:
    orders = rig.store.orders

    async def warned(run: RunState) -> list[Order]:
        return [replace(order, places=("Its gateway is outside.",)) for order in await orders(run)]

    rig.store.orders = warned  # type: ignore[method-assign]
    put(rig.record().intended, "/relays/1/idle", "closed")
    assert (await rig.plan(devices=["dev1"])).remarks == []
    put(rig.record().intended, "/network/mask", "255.255.0.0")
    [remark] = (await rig.plan(devices=["dev1"])).remarks
    assert (remark["code"], remark["message"]) == ("place", "Its gateway is outside.")


async def test_many_that_are_lost_at_once_are_looked_for_once(library: Library) -> None:
    boxes = [device(library.need("hallvane-rx8"), n) for n in range(1, 9)]
    rig = Rig(library, boxes)
    looks: list[str] = []

    async def narrow(line: str) -> SweepWork:
        looks.append(line)
        await asyncio.sleep(5)
        return SweepWork()

    rig.store.narrow = narrow  # type: ignore[method-assign]
    for n, box in enumerate(boxes, 1):
        box.comes_up_at = f"127.20.10.{200 + n}"
        put(rig.record(f"dev{n}").intended, "/network/address", f"127.20.10.{100 + n}")
    run = await rig.apply(await rig.plan(devices=[f"dev{n}" for n in range(1, 9)]))
    assert [step.state for step in run.steps if step.action == "readdress"] == ["unknown"] * 8
    assert len(looks) <= 2, "one look along the line serves all, and one more whoever came later"
    rig.every_intent_has_its_outcome()
