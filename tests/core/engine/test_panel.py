"""The panel is locked while a run works, and given back whatever comes of it."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.errors import Refused
from netloom_core.library.checks import problems
from netloom_core.library.load import Library
from netloom_core.model.work import RunState
from netloom_core.profiles.profile import Profile
from netloom_core.testing.rig import Rig, device, states

LOCK = {"path": "/panel/locked", "label": "Panel locked", "type": "boolean", "default": False, "kept": "never",
        "role": "panel-lock", "locked": True}  # fmt: skip


def rig_of(library: Library, **more: Any) -> Rig:
    base = library.need("hallvane-rx8").model_dump()
    profile = Profile.model_validate({**base, "id": "with-panel", "items": [*base["items"], {**LOCK, **more}]})
    return Rig(Library([profile]), [device(profile)])


async def begun(rig: Rig) -> RunState:
    put(rig.record().intended, "/relays/1/idle", "closed")
    return rig.store.begin("apply", (await rig.plan(lock=True)).steps)


async def locked(rig: Rig) -> RunState:
    return await rig.carry_out(await begun(rig))


def panel(rig: Rig) -> Any:
    return get(rig.box.running, "/panel/locked")


async def test_it_is_locked_first_and_given_back_last(library: Library) -> None:
    rig = rig_of(library)
    seen = []
    plain = rig.box.take

    def take(path: str, value: Any) -> None:
        plain(path, value)
        seen.append((path, panel(rig)))

    rig.box.take = take  # type: ignore[method-assign]
    run = await locked(rig)
    assert set(states(run)) == {"done"}
    assert [step.action for step in run.steps] == ["write", "write", "store", "write"]
    assert seen == [("/panel/locked", True), ("/relays/1/idle", True), ("/panel/locked", False)]
    assert get(rig.box.startup, "/panel/locked") is not True
    back = await rig.undo(run)
    assert [c["path"] for step in back.steps for c in step.params.get("changes", [])] == ["/relays/1/idle"]


async def test_without_being_asked_it_is_only_said(library: Library) -> None:
    rig = rig_of(library)
    put(rig.record().intended, "/relays/1/idle", "closed")
    plan = await rig.plan()
    assert [step.action for step in plan.steps] == ["write", "store"]
    assert [remark["code"] for remark in plan.remarks] == ["can-lock"]


async def test_one_that_is_locked_already_stays_so(library: Library) -> None:
    rig = rig_of(library)
    put(rig.box.running, "/panel/locked", True)
    run = await locked(rig)
    assert [step.action for step in run.steps] == ["write", "store"]
    assert panel(rig) is True


async def test_it_is_given_back_when_the_rest_fails(library: Library) -> None:
    rig = rig_of(library)
    rig.box.error_after["store"] = Refused("It does not store now.")
    rig.box.stores = False
    run = await locked(rig)
    assert states(run) == ["done", "done", "failed", "done"]
    assert panel(rig) is False
    rig.every_intent_has_its_outcome()


async def test_it_is_given_back_when_the_run_is_stopped(library: Library) -> None:
    rig = rig_of(library)
    run = await begun(rig)

    async def before(name: str) -> None:
        if name == "write" and panel(rig):
            rig.store.asked_to_stop.add(run.id)

    rig.box.before = before
    ended = await rig.carry_out(run)
    assert ended.steps[-1].state == "done"
    assert panel(rig) is False


async def test_a_run_that_never_began_gives_nothing_back(library: Library) -> None:
    rig = rig_of(library)
    run = await begun(rig)
    rig.store.asked_to_stop.add(run.id)
    ended = await rig.carry_out(run)
    assert set(states(ended)) == {"skipped"}
    assert rig.box.log.count("write") == 0


@pytest.mark.parametrize("when", ["write", "after write", "store", "after store"])
async def test_a_crash_in_the_middle_leaves_no_panel_locked(library: Library, when: str) -> None:
    rig = rig_of(library)
    run = await begun(rig)
    dying = asyncio.Event()

    async def before(name: str) -> None:
        if name == when and not dying.is_set():
            dying.set()
            await asyncio.Event().wait()

    rig.box.before = before
    await rig.engine.do({"do": "carry out", "run": run.id})
    await dying.wait()
    await rig.start_again()
    assert panel(rig) is False
    assert get(rig.box.running, "/relays/1/idle") == "closed"
    rig.every_intent_has_its_outcome()


def test_a_lock_that_a_store_would_keep_is_no_lock_of_a_run(library: Library) -> None:
    told = list(problems(rig_of(library, kept="when-stored").box.profile))
    assert any("no store of a run may keep it" in text for text in told)
    assert any(
        "has the value at which it is locked" in text for text in problems(rig_of(library, locked=None).box.profile)
    )
