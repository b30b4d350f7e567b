"""Every model with a description of its own: its profile against a stand-in that does not know the profile.

Read, write, store, power cut: what the profile says of each value has to be what the stand-in does.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable
from pathlib import Path

import pytest

from netloom_core.documents.tree import MISSING, Document, get, leaves
from netloom_core.errors import NetloomError, NoAnswer
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.profiles.abilities import Ability
from tests.conftest import shipped
from tests.standins.models import Bench, another, bench, described_models

NETWORK = "127.41.{n}"
MODELS = described_models()
LIBRARY = shipped()
ONE_EACH = list(
    {LIBRARY.need(model).protocol: model for model in MODELS}.values()
)  # by protocol: it takes its time-outs
PLACES = ("address", "speed")


async def refusal(work: Awaitable[None]) -> NetloomError | None:
    try:
        await work
    except NetloomError as error:
        return error
    return None


def network(model: str) -> str:
    return NETWORK.format(n=10 + MODELS.index(model))


def what_is_kept(here: Bench, document: Document) -> dict[str, object]:
    """Some tell of what nothing keeps that it will be as before, some tell nothing."""
    return {path: value for path, value in leaves(document) if here.profile.by_path[path].kept != "never"}


def running(here: Bench) -> dict[str, object]:
    return {path: get(here.unit.memory.running, path) for path in here.profile.by_path}


@pytest.mark.parametrize("model", MODELS)
async def test_what_is_read_is_what_it_has(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        talk = await here.talk()
        document = await talk.read("running")
        wanted = {path: value for path, value in running(here).items() if not here.profile.by_path[path].secret}
        assert dict(leaves(document)) == {path: value for path, value in wanted.items() if value is not MISSING}
        assert set(dict(leaves(document))) == {p for p, item in here.profile.by_path.items() if not item.secret}
        if "startup" in talk.abilities.sets:
            assert what_is_kept(here, await talk.read("startup")) == what_is_kept(here, document)
        states = await talk.states()
        live = {name for name, item in here.profile.by_point.items() if item.live}
        assert set(states) == live
        for name in live:
            item = here.profile.by_point[name]
            assert states[name] == item.state_of(get(here.unit.memory.running, item.path)), name


@pytest.mark.parametrize("model", MODELS)
async def test_what_is_written_works_and_is_kept_as_the_profile_says(
    library: Library, tmp_path: Path, model: str
) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        talk = await here.talk()
        if Ability.WRITE not in talk.abilities:
            pytest.skip("nothing of it is written")
        before = await talk.read("running")
        changes = [
            Change(path, get(before, path), another(item, get(before, path)))
            for path, item in here.profile.by_path.items()
            if not (item.secret or item.reserved or item.role in PLACES)
        ]
        await talk.write(changes)
        now = await talk.read("running")
        for change in changes:
            item = here.profile.by_path[change.path]
            expected = change.after if item.takes == "at-once" else change.before
            assert get(now, change.path) == expected, f"{change.path} takes {item.takes}"
        if Ability.STORE in talk.abilities:
            await talk.store()
            if "startup" in talk.abilities.sets:
                kept = await talk.read("startup")
                for change in changes:
                    never = here.profile.by_path[change.path].kept == "never"
                    assert get(kept, change.path) in ((change.before, MISSING) if never else (change.after,)), (
                        change.path
                    )
        await here.power_cut()
        await talk.drop()
        after = await talk.read("running")
        for change in changes:
            kept = here.profile.by_path[change.path].kept
            lost = kept == "never" or (kept == "when-stored" and Ability.STORE not in talk.abilities)
            assert (get(after, change.path) == change.after) == (not lost), f"{change.path} is kept {kept}"


@pytest.mark.parametrize("model", MODELS)
async def test_what_is_not_stored_goes(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        talk = await here.talk()
        paths = [
            path
            for path, item in here.profile.by_path.items()
            if item.kept == "when-stored"
            and item.takes == "at-once"
            and not (item.secret or item.reserved or item.role)
        ]
        if not paths or Ability.STORE not in talk.abilities:
            pytest.skip("it has nothing that a store keeps")
        before = await talk.read("running")
        item = here.profile.by_path[paths[0]]
        await talk.write([Change(paths[0], get(before, paths[0]), another(item, get(before, paths[0])))])
        if "startup" in talk.abilities.sets:
            assert what_is_kept(here, await talk.read("startup")) == what_is_kept(here, before)
        await here.power_cut()
        await talk.drop()
        assert await talk.read("running") == before


@pytest.mark.parametrize("model", MODELS)
async def test_what_is_driven_follows_and_is_told(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        talk = await here.talk()
        # What is switched off may make the others deaf, so power comes last.
        driven = sorted((item for item in here.profile.by_point.values() if item.drive), key=lambda i: i.id == "power")
        if Ability.DRIVE not in talk.abilities or not driven:
            pytest.skip("nothing of it is driven")
        for item in [*driven[:3], driven[-1]]:
            now = item.state_of(get(here.unit.memory.running, item.path))
            to = next((state for state in item.targets or item.states if state != now), None) or item.state_of(
                another(item, now)
            )
            await talk.drive(item.id, to)
            for _ in range(100 if item.live else 0):
                if (await talk.states())[item.id] == to:
                    break
                await asyncio.sleep(0.05)
            assert (await talk.states()).get(item.id, to) == to
            assert item.state_of(get(here.unit.memory.running, item.path)) == to


@pytest.mark.parametrize("model", MODELS)
async def test_a_restart_is_one(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        talk = await here.talk()
        if Ability.RESTART not in talk.abilities:
            pytest.skip("it is restarted by hand")
        await talk.read("running")
        await talk.restart()
        for _ in range(100):
            if not here.unit.up:
                break
            await asyncio.sleep(0.02)
        assert not here.unit.up
        await here.is_up()
        await talk.drop()
        assert await talk.read("running")


@pytest.mark.parametrize("model", MODELS)
async def test_a_refusal_is_told_as_one(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        talk = await here.talk()
        before = await talk.read("running")
        items = [
            item
            for item in here.profile.by_path.values()
            if not (item.secret or item.reserved or item.role in PLACES) and Ability.WRITE in talk.abilities
        ]
        if items:
            item = items[-1]
            here.unit.faults.refuse_writes = True
            change = Change(item.path, get(before, item.path), another(item, get(before, item.path)))
            told = await refusal(talk.write([change]))
            if told is None:
                assert here.profile.protocol == "artnet", "only there a no is told by what is read back"
            else:
                assert told.outcome in ("refused", "unknown"), told
            here.unit.faults.refuse_writes = False
            assert await talk.read("running") == before


@pytest.mark.parametrize("model", ONE_EACH)
async def test_silence_is_no_answer(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        talk = await here.talk()
        before = await talk.read("running")
        await here.unit.silence(True)
        with pytest.raises(NoAnswer):
            await (talk.read("running") if before else talk.states())
        await here.unit.silence(False)
        assert await talk.read("running") == before
