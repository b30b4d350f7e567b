"""A secret is a reference everywhere but on the wire; a password is proven by signing in with it."""

import json
from dataclasses import replace

import pytest

from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.profiles.profile import Profile
from tests.core.rig import Rig, device, states

TEXT = "hunter2-and-more"


@pytest.fixture
def box(library: Library) -> Rig:
    base = library.need("hallvane-rx8").model_dump()
    base["items"] += [
        {"path": "/access/password", "label": "Password", "type": "secret", "role": "password", "kept": "always"},
        {"path": "/wifi/key", "label": "Key", "type": "secret", "kept": "always"},
    ]
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
