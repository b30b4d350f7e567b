"""The examiner of stores: what the engine relies on, in memory or on records."""

from __future__ import annotations

import copy
from collections.abc import Awaitable, Callable

from netloom_core.documents.tree import Document, put
from netloom_core.engine.ports import Store
from netloom_core.errors import AddressTaken, NetloomError
from netloom_core.model.device import Target
from netloom_core.model.work import DONE, RunState, StepState

Begin = Callable[[str, list[StepState]], Awaitable[str]]


async def check_store(store: Store, begin: Begin, device: str, other: str, document: Document, now: float) -> None:
    """`begin` makes a run with steps as a person's request would, and gives its id or raises NetloomError.

    `device` and `other` are two of its devices, `document` a whole one of the first. Raises AssertionError.
    """
    await _devices(store, device, other, document, now)
    await _runs(store, begin, device, other)
    await _backups(store, begin, device)


async def _devices(store: Store, device: str, other: str, document: Document, now: float) -> None:
    target = await _target(store, device)
    newer, older = copy.deepcopy(document), copy.deepcopy(document)
    put(newer, "/name", "newer")
    put(older, "/name", "older")
    await store.devices.save_reading(device, {"running": newer, "startup": newer}, None, now, {"/odd": "no number"})
    await store.devices.save_reading(device, {"running": older, "startup": older}, None, now - 60)
    evidence = (await store.proofs.evidence([device]))[device]
    assert evidence.running == newer, "older knowledge does not replace newer"
    assert dict(evidence.unreadable) == {"/odd": "no number"}, "nor what could not be read in it"
    await store.devices.save_reading(device, {"running": newer}, None, now + 0.1)
    assert (await store.proofs.evidence([device]))[device].startup == newer, "what was not asked for stays"
    await store.devices.save_reading(device, {"running": newer, "startup": {}}, None, now + 0.2)
    assert (await store.proofs.evidence([device]))[device].startup == {}, "what it tells no more is not known any more"
    await store.devices.save_place(device, "127.20.10.99", target.speed, now)
    await store.devices.save_place(device, "127.20.10.98", target.speed, now - 60)
    assert (await _target(store, device)).address == "127.20.10.99", "nor an older place a newer one"
    await store.devices.save_place(device, target.address, target.speed, now + 1)
    await _bound(store, device, other, document, now + 2)
    assert not await store.devices.targets(["nobody"]), "who is not there is left out"
    plan = await store.devices.lease_plan(target.line.id)
    assert plan.line.id == target.line.id
    assert all(target.line.holds(lease.address) for lease in plan.leases.values())


async def _bound(store: Store, device: str, other: str, document: Document, now: float) -> None:
    """Who may go to an address at its next power cut keeps others from it, until it is shown not to."""
    address, place = "127.20.10.97", (await _target(store, device)).address
    await store.devices.bind(device, address, now)
    await store.devices.bind(device, address, now)
    assert await store.devices.holder(other, address)
    await _refused(store, other, address, now)
    kept = copy.deepcopy(document)
    put(kept, "/network/address", place)
    await store.devices.save_reading(device, {"running": kept, "startup": kept}, None, now - 1)
    await _refused(store, other, address, now)
    put(kept, "/network/address", address)
    await store.devices.save_reading(device, {"running": document, "startup": kept}, None, now + 1)
    await _refused(store, other, address, now)
    put(kept, "/network/address", place)
    await store.devices.save_reading(device, {"running": document, "startup": kept}, None, now + 2)
    await store.devices.bind(other, address, now + 3)
    there = await _target(store, other)
    await store.devices.save_place(other, address, there.speed, now + 4)
    await store.devices.bind(device, address, now + 5)
    await store.devices.save_place(other, there.address, there.speed, now + 6)
    await store.devices.save_reading(device, {"running": document, "startup": kept}, None, now + 7)


async def _refused(store: Store, device: str, address: str, now: float) -> None:
    try:
        await store.devices.bind(device, address, now)
    except AddressTaken:
        return
    raise AssertionError(f"{address} may become another one's")


async def _target(store: Store, device: str) -> Target:
    found = (await store.devices.targets([device]))[device]
    assert isinstance(found, Target), found
    return found


async def _runs(store: Store, begin: Begin, device: str, other: str) -> None:
    ident = await begin("backup", [StepState(0, device, "backup")])
    try:
        await begin("backup", [StepState(0, other, "backup"), StepState(1, device, "backup")])
    except NetloomError:
        pass
    else:
        raise AssertionError("one run holds a device at a time")
    assert ident in await store.runs.unfinished()
    run = await store.runs.run(ident)
    assert run.state == "waiting"
    run.steps[0].state, run.steps[0].evidence = DONE, {"backup": "x"}
    await store.runs.save_step(ident, run.steps[0])
    run.state, run.result = "done", {"backups": ["x"]}
    await store.runs.save_run(run)
    again = await store.runs.run(ident)
    assert (again.state, again.result) == ("done", {"backups": ["x"]})
    assert (again.steps[0].state, again.steps[0].evidence) == (DONE, {"backup": "x"})
    assert ident not in await store.runs.unfinished()
    held = await begin("read", [StepState(0, device, "read")])
    found = await begin("sweep", [])
    added = await store.runs.add_steps(found, [StepState(0, device, "read"), StepState(1, other, "read")])
    assert [(s.ordinal, s.device) for s in added] == [(0, other)], "what another run holds is left out"
    for one in (held, found):
        await store.runs.save_run(RunState(one, "read", "examiner", state="done"))
    await store.runs.save_run(
        RunState(await begin("read", [StepState(0, device, "read")]), "read", "t", state="failed")
    )
    assert not await store.runs.cancelled(held)


async def _backups(store: Store, begin: Begin, device: str) -> None:
    ident = await begin("backup", [StepState(0, device, "backup")])
    first = await store.proofs.save_backup(device, ident, "tester", baseline=False)
    assert await store.proofs.save_backup(device, ident, "tester", baseline=False) == first, "a run keeps a device once"
    await store.runs.save_run(RunState(ident, "backup", "examiner", state="done"))
