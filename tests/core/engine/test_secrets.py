"""A secret is a reference everywhere but on the wire; a password is proven by signing in with it."""

import asyncio
import json
from dataclasses import replace

import pytest

from netloom_core.documents.tree import put
from netloom_core.errors import CodeWanted
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.profiles.profile import Profile
from netloom_core.testing.rig import Rig, device, states

TEXT = "hunter2-and-more"


@pytest.fixture
def box(library: Library) -> Rig:
    base = library.need("hallvane-rx8").model_dump()
    base["items"] += [{"path": "/wifi/key", "label": "Key", "type": "secret", "kept": "always"}]
    profile = Profile.model_validate({**base, "id": "with-secrets"})
    rig = Rig(Library([profile]), [device(profile, password="factory")])
    record = rig.record()
    record.target = replace(
        record.target, credentials=(Credentials("admin", "factory"),), secrets={"secret:one": TEXT, "secret:two": TEXT}
    )
    return rig


def everything_written_down(rig: Rig) -> str:
    told = [entry.as_dict() for entry in rig.journal.entries] + [data for _, data in rig.events.told]
    runs = [[s.params, s.evidence, s.message, s.hint] for run in rig.store.all_runs.values() for s in run.steps]
    plans = [[s.params for s in plan.steps] + [plan.remarks] for plan in rig.store.all_plans.values()]
    documents = [record.documents for record in rig.store.records.values()]
    return json.dumps([told, runs, plans, documents, [p.intended for p in rig.store.records.values()]])


async def test_a_password_is_proven_by_signing_in_and_is_the_login_from_then_on(box: Rig) -> None:
    run = await box.set({"/access/password": "secret:one"})
    assert states(run) == ["done"]
    assert box.box.password == TEXT
    assert box.record().target.credentials == (Credentials("admin", TEXT),)
    assert TEXT not in everything_written_down(box)
    assert "secret:one" in everything_written_down(box)
    assert (await box.plan()).steps == [], "it is not pending for want of a reading"


async def test_a_password_that_is_not_taken_is_found_by_signing_in(box: Rig) -> None:
    box.box.lies_about = "/access/password"
    run = await box.set({"/access/password": "secret:one"})
    assert (run.steps[0].state, run.steps[0].code) == ("failed", "wrong-credentials")
    assert "still lets in" in run.steps[0].message
    assert box.record().target.credentials == (Credentials("admin", "factory"),)
    assert TEXT not in everything_written_down(box)


async def test_any_other_secret_is_unproven(box: Rig) -> None:
    run = await box.set({"/wifi/key": "secret:two", "/name": "x"})
    assert run.steps[0].state == "unproven"
    assert "cannot be read back" in run.steps[0].message
    assert TEXT not in everything_written_down(box)


async def test_a_secret_that_is_not_to_be_had_is_not_written(box: Rig) -> None:
    run = await box.set({"/wifi/key": "secret:gone"})
    assert run.state == "failed"
    assert box.box.password == "factory"
    box.every_intent_has_its_outcome()


@pytest.fixture
def strict(box: Rig) -> Rig:
    """It tells nothing before it has another password than its factory's."""

    async def first(name: str) -> None:
        if name.startswith("read") and box.box.password == "factory":
            raise CodeWanted("Box 1")

    box.box.before = first
    return box


async def test_one_that_wants_a_code_first_is_told_so_and_gets_it_alone(strict: Rig) -> None:
    put(strict.record().intended, "/relays/1/idle", "closed")
    nothing = await strict.plan()
    assert nothing.steps == []
    assert "wants a new code" in nothing.remarks[0]["message"]
    put(strict.record().intended, "/access/password", "secret:one")
    plan = await strict.plan()
    assert [[change["path"] for change in step.params["changes"]] for step in plan.steps] == [["/access/password"]]
    assert "code-first" in {remark["code"] for remark in plan.remarks}
    run = await strict.apply(plan)
    assert states(run) == ["done"]
    assert strict.record().target.credentials == (Credentials("admin", TEXT),)
    rest = await strict.plan()
    assert [step.action for step in rest.steps] == ["write", "store"]
    strict.every_intent_has_its_outcome()


async def test_a_first_code_that_is_not_taken_is_told_and_the_former_one_stays(strict: Rig) -> None:
    strict.box.lies_about = "/access/password"
    run = await strict.set({"/access/password": "secret:one"})
    assert run.steps[0].state == "failed"
    assert "still lets in" in run.steps[0].message
    assert strict.record().target.credentials == (Credentials("admin", "factory"),)
    strict.box.lies_about = ""
    strict.box.silent_after = "write"
    lost = await strict.apply(await strict.plan())
    assert lost.steps[0].state == "unknown", "it took it, and nobody could look"
    strict.every_intent_has_its_outcome()


@pytest.mark.parametrize("when", ["write", "after write"])
async def test_cut_off_at_a_first_code_nobody_is_locked_out(strict: Rig, when: str) -> None:
    plain, cut = strict.box.before, asyncio.Event()

    async def cut_off(name: str) -> None:
        if name == when and not cut.is_set():
            cut.set()
            await asyncio.sleep(3600)
        await plain(name)

    strict.box.before = cut_off
    put(strict.record().intended, "/access/password", "secret:one")
    run = strict.store.begin("apply", (await strict.plan()).steps)
    busy = asyncio.ensure_future(strict.carry_out(run))
    await cut.wait()
    busy.cancel()
    await asyncio.gather(busy, return_exceptions=True)
    # As the records tell it from then on: both may let in (installation's records, _coming).
    logins = (Credentials("admin", "factory"), Credentials("admin", TEXT))
    strict.record().target = replace(strict.record().target, credentials=logins)
    await strict.start_again()
    assert strict.box.password == TEXT, "what was begun is carried out"
    assert strict.store.all_runs[run.id].steps[0].state == "done"
    assert strict.record().target.credentials == (Credentials("admin", TEXT),)
    strict.every_intent_has_its_outcome()
