"""A value that the device does not tell is not another value: what no reading shows is neither done nor wrong."""

from __future__ import annotations

import pytest

from netloom_core.backup.verify import verify
from netloom_core.documents.tree import get, put
from netloom_core.errors import NetloomError, ProtocolError, Refused
from netloom_core.run.steps.shown import otherwise, read_back, untold, word_of
from netloom_core.testing.devices import MemoryDriver
from netloom_core.testing.rig import Rig, states

IDLE, REST = "/relays/1/idle", "/inputs/2/rest"
CLOSED = {IDLE: "closed", REST: "closed"}


def from_now_on(rig: Rig, call: str, **untold: str) -> None:
    """From that call on it tells no value of a path in a set."""

    async def before(name: str) -> None:
        if name == call:
            rig.box.untold = {which: frozenset({path}) for which, path in untold.items()}

    rig.box.before = before


async def test_a_written_value_that_is_not_told_is_not_proven_and_not_wrong(rig: Rig) -> None:
    from_now_on(rig, "write", running=IDLE)
    run = await rig.set(CLOSED)
    assert states(run) == ["unproven", "done"], "that it is kept, its startup shows"
    assert run.steps[0].message == "Not proven: Relay 1 idle state: it is no value."
    shown = {row["path"]: row for row in run.steps[0].evidence["changes"]}
    assert (shown[IDLE]["read_back"], shown[IDLE]["untold"]) == (None, "it is no value")
    assert "untold" not in shown[REST]
    assert [entry.outcome for entry in rig.entries("outcome")] == ["unproven", "done"]


async def test_where_it_said_no_and_does_not_tell_it_nobody_knows(rig: Rig) -> None:
    rig.box.error_after["write"] = ProtocolError("garbled")
    from_now_on(rig, "write", running=IDLE)
    run = await rig.set(CLOSED)
    assert states(run) == ["unknown", "skipped"]


async def test_one_that_is_otherwise_is_told_without_counting_what_is_not(rig: Rig) -> None:
    rig.box.lies_about = REST
    from_now_on(rig, "write", running=IDLE)
    run = await rig.set(CLOSED)
    assert states(run) == ["failed", "skipped"]
    assert "0 of 2 were taken, 1 it does not tell" in run.steps[0].message


async def test_what_is_not_told_any_more_is_not_written_over(rig: Rig) -> None:
    put(rig.record().intended, IDLE, "closed")
    plan = await rig.plan()
    rig.box.untold = {"running": frozenset({IDLE})}
    run = await rig.apply(plan)
    assert (run.steps[0].state, run.steps[0].code) == ("failed", "stale-plan")
    assert "could not be read (it is no value)" in run.steps[0].message
    assert "Nothing was written" in run.steps[0].message
    assert "write" not in rig.box.log


async def test_a_kept_value_that_is_not_told_would_not_go_at_a_power_cut(rig: Rig) -> None:
    from_now_on(rig, "store", startup=IDLE)
    run = await rig.set(CLOSED)
    assert states(run) == ["done", "unproven"]
    assert run.steps[1].message == "Not proven: Relay 1 idle state: it is no value."


async def test_what_it_keeps_and_cannot_tell_is_neither_unkept_nor_a_match(rig: Rig) -> None:
    await rig.set(CLOSED)
    record = rig.record()
    record.baseline = rig.box.running
    rig.box.untold = {"startup": frozenset({IDLE})}
    await rig.engine.do({"do": "read", "devices": ["dev1"]})
    evidence = (await rig.store.evidence(["dev1"]))["dev1"]
    assert get(evidence.startup, REST) == "closed"
    proof = verify(evidence)
    assert proof.result == "unproven"
    assert [(row["path"], row["kind"]) for row in proof.differences] == [(IDLE, "unproven")]
    assert "what it keeps of it cannot be read" in proof.differences[0]["why"]


async def test_a_crash_in_the_middle_of_what_is_not_told_is_unknown(rig: Rig) -> None:
    async def before(name: str) -> None:
        if name == "after write":
            rig.box.untold = {"running": frozenset(CLOSED)}
            raise KeyError("killed")

    rig.box.before = before
    run = await rig.set(CLOSED)
    assert run.steps[0].state == "unknown"
    assert rig.entries("outcome")[-1].outcome == "unknown"


def test_words() -> None:
    rows = read_back([{"path": "/a", "to": 1}, {"path": "/b", "to": 2}, {"path": "/c", "to": None}], {"a": 1}, {})
    assert [row.get("untold", "") for row in rows] == ["", "the device does not tell it", ""]
    assert (otherwise(rows), [row["path"] for row in untold(rows)], word_of(rows)) == ([], ["/b"], "unknown")
    assert word_of(read_back([{"path": "/a", "to": 2}, {"path": "/b", "to": 2}], {"a": 1}, {})) == "failed"


@pytest.mark.parametrize(
    ("error", "outcome"), [(None, "unproven"), (ProtocolError("garbled"), "unknown"), (Refused("no"), "failed")]
)
async def test_a_driven_point_that_is_not_told(rig: Rig, error: NetloomError | None, outcome: str) -> None:
    async def none_of_it(driver: MemoryDriver) -> dict[str, str]:
        told = (await driver._there("states")).points
        return {point: state for point, state in told.items() if point != "relay-1"}

    rig.box.error_after = {"drive": error} if error is not None else {}
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(MemoryDriver, "states", none_of_it)
        doing = rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": "on", "by": "t"})
        if error is None:
            await doing
        else:
            with pytest.raises(NetloomError):
                await doing
    assert rig.entries("outcome")[-1].outcome == outcome


async def test_a_store_says_which_values_it_keeps_unseen(rig: Rig) -> None:
    rig.box.take("/relays/2/idle", "closed")  # somebody tried it at its front
    rig.box.untold = {"running": frozenset({"/relays/2/idle"})}
    put(rig.record().intended, IDLE, "closed")
    plan = await rig.plan()
    assert [remark["code"] for remark in plan.remarks] == ["keeps-untold"]
    assert "Relay 2 idle state cannot be read" in plan.remarks[0]["message"]
    assert states(await rig.apply(plan)) == ["done", "done"]


@pytest.mark.parametrize("which", ["running", "startup"])
async def test_what_the_plan_could_see_and_the_store_cannot_is_not_stored(rig: Rig, which: str) -> None:
    put(rig.record().intended, IDLE, "closed")
    plan = await rig.plan()
    assert plan.remarks == []
    paths = {"/relays/2/idle"} if which == "running" else set(rig.box.profile.by_path)
    rig.box.untold = {which: frozenset(paths)}
    run = await rig.apply(plan)
    assert states(run) == ["done", "failed"]
    assert "cannot be read any more" in run.steps[1].message
    assert "store" not in rig.box.log
