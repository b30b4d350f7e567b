"""A device with three codes: the usual one reads, a higher one is used for what needs it and no longer."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import replace
from pathlib import Path

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.errors import LevelWanted, ProtocolError, WrongCredentials
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials
from netloom_standins.described.binary import BinaryTalk, Message
from netloom_standins.described.memory import Wrong
from tests.standins.live import Live
from tests.standins.models import bench

NETWORK = "127.43.8"
USUAL, USER, MASTER = Credentials("", "402917"), Credentials("", "1111", "user"), Credentials("", "77777777", "master")
CODES = {"secret:user": "2468", "secret:installer": "135790", "secret:master": "86421357"}
ALL_NEW = {
    "/access/user": "secret:user",
    "/access/installer": "secret:installer",
    "/access/master": "secret:master",
}


@asynccontextmanager
async def keypad(library: Library, folder: Path, *known: Credentials, strict: bool = False) -> AsyncIterator[Live]:
    async with bench(library, "kestrel-ac3", folder, NETWORK) as here:
        target = replace(here.target, device="dev1", found=True, credentials=known, secrets=dict(CODES))
        rig = Live(library, here.unit, target, here.owners)
        here.unit.memory.begin("/access/strict", strict)
        await rig.engine.start()
        yield rig
        rig.every_intent_has_its_outcome()
        await rig.engine.stop()


def has(rig: Live, path: str) -> object:
    return get(rig.unit.memory.running, path)


async def test_what_needs_a_code_that_nobody_gave_is_left_out_and_said(library: Library, tmp_path: Path) -> None:
    async with keypad(library, tmp_path, USUAL) as rig:
        run = await rig.set({"/station/test_at": "04:30:00", "/station/account": "4411"})
        assert [step.state for step in run.steps] == ["done"]
        assert (has(rig, "/station/test_at"), has(rig, "/station/account")) == ("04:30:00", "")
        [left] = [one for one in (await rig.plan()).remarks if one["code"] == "level-wanted"]
        assert left["message"].startswith("Account: it needs the master code, which is not known here.")


async def test_a_higher_code_is_used_for_what_needs_it_and_no_longer(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    at: list[tuple[str, int]] = []
    plain = BinaryTalk._carried_out

    def heard(talk: BinaryTalk, message: Message, groups: tuple[str, ...]) -> str:
        answer = plain(talk, message, groups)
        at.append((message.say[:2], talk._level))
        return answer

    monkeypatch.setattr(BinaryTalk, "_carried_out", heard)
    async with keypad(library, tmp_path, USUAL, MASTER) as rig:
        plan = await rig.plan()
        assert plan.steps == []
        run = await rig.set({"/zones/2/name": "Pier", "/station/account": "4411"})
        [step] = run.steps
        assert step.state == "done"
        assert step.params["signs_in"] == "master code"
        assert (has(rig, "/zones/2/name"), has(rig, "/station/account")) == ("Pier", "4411")
        assert {level for say, level in at if say in ("43", "45")} == {3}
        assert {level for say, level in at if say in ("42", "44", "46")} == {2}, "it reads as usual, before and after"


async def test_a_wrong_higher_code_is_told_by_its_name(library: Library, tmp_path: Path) -> None:
    async with keypad(library, tmp_path, USUAL, replace(MASTER, password="00000000")) as rig:
        run = await rig.set({"/station/account": "4411"})
        [step] = run.steps
        assert step.state == "failed"
        assert "does not take the master code that is known here" in step.message
        assert has(rig, "/station/account") == ""
        assert (await rig.read())["station"]["account"] == "", "and it is read as before"


async def test_a_driver_writes_nothing_at_a_level_that_nobody_has(library: Library, tmp_path: Path) -> None:
    async with bench(library, "kestrel-ac3", tmp_path, NETWORK) as here:
        talk = await here.sessions.talk(replace(here.target, credentials=(USUAL,)), "test", 1)  # type: ignore[arg-type]
        both = [Change("/zones/1/name", "", "Quay"), Change("/station/account", "", "1")]
        with pytest.raises(LevelWanted) as told:
            await talk.write(both)
        assert told.value.outcome == "not_sent"
        assert "master code" in told.value.message
        assert get(here.unit.memory.running, "/zones/1/name") == "", "nothing of it was sent"


async def test_all_three_codes_are_changed_in_one_step_and_each_is_proven(library: Library, tmp_path: Path) -> None:
    async with keypad(library, tmp_path, USUAL, USER, MASTER) as rig:
        run = await rig.set({**ALL_NEW, "/station/account": "4411"})
        assert [step.state for step in run.steps] == ["done"], run.steps[0].message
        assert set(rig.record().target.credentials) == {
            Credentials("", "135790"), Credentials("", "2468", "user"), Credentials("", "86421357", "master"),
        }  # fmt: skip
        again = await rig.set({"/station/account": "4412"})
        assert again.state == "done", "the new master code counts at once"


async def test_a_code_that_another_level_has_proves_nothing(library: Library, tmp_path: Path) -> None:
    async with keypad(library, tmp_path, USUAL, MASTER) as rig:
        rig.record().target = replace(rig.record().target, secrets={"secret:same": "402917"})
        run = await rig.set({"/access/master": "secret:same"})
        assert run.steps[0].state == "unproven"
        assert "another level has the same" in run.steps[0].message


async def test_one_that_wants_all_its_codes_first(library: Library, tmp_path: Path) -> None:
    async with keypad(library, tmp_path, USUAL, USER, MASTER, strict=True) as rig:
        put(rig.record().intended, "/zones/1/name", "Quay")
        assert "wants a new code" in (await rig.plan()).remarks[0]["message"]
        run = await rig.set({"/access/installer": "secret:installer"})
        assert run.steps[0].state == "done", "that one is proven, and another one still wanted"
        assert "wants a new code" in str((await rig.plan()).remarks), "it says so again, not that it failed"
        run = await rig.set(ALL_NEW)
        assert [step.state for step in run.steps] == ["done"]
        rest = await rig.apply(await rig.plan())
        assert [step.state for step in rest.steps] == ["done"]
        assert has(rig, "/zones/1/name") == "Quay"


async def test_a_cable_pulled_between_two_codes_locks_nobody_out(library: Library, tmp_path: Path) -> None:
    async with keypad(library, tmp_path, USUAL, USER, MASTER) as rig:
        rig.unit.faults.pull_on_write = 1.5
        run = await rig.set(ALL_NEW)
        assert run.steps[0].state in ("failed", "unknown")
        again = await rig.apply(await rig.plan())
        assert [step.state for step in again.steps] == ["done"], again.steps[0].message
        assert (has(rig, "/access/user"), has(rig, "/access/master")) == ("2468", "86421357")


def test_a_login_of_another_level_is_no_login(library: Library) -> None:
    ladder = library.need("kestrel-ac3").ladder
    assert ladder.names == ["user", "", "master"]
    assert [ladder.of(word) for word in ("", "user", "installer", "master")] == ["", "", "", "master"]
    assert ladder.highest(["user", "master", ""]) == "master"
    assert WrongCredentials.outcome == "refused"


async def test_one_that_lost_its_power_since_is_entered_again(library: Library, tmp_path: Path) -> None:
    async with bench(library, "kestrel-ac3", tmp_path, NETWORK) as here:
        talk = await here.talk()
        before = await talk.read("running")
        here.unit.change("/zones/2/name", "Side gate", True)
        await here.power_cut()
        now = await talk.read("running")
        assert (now["zones"]["2"]["name"], set(now)) == ("Side gate", set(before))
        await here.power_cut()
        await talk.write([Change("/zones/1/name", None, "Front")])
        assert (await talk.read("running"))["zones"]["1"]["name"] == "Front"


async def test_where_nothing_can_be_read_nothing_was_read(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What was read before would look as if it were so still."""
    async with bench(library, "kestrel-ac3", tmp_path, NETWORK) as here:
        talk = await here.talk()
        await talk.read("running")
        told = talk.known.documents["running"]
        carried_out = BinaryTalk._carried_out

        def refuses(unit: BinaryTalk, message: Message, groups: tuple[str, ...]) -> str:
            if message.level:
                raise Wrong("range")
            return carried_out(unit, message, groups)

        monkeypatch.setattr(BinaryTalk, "_carried_out", refuses)
        with pytest.raises(ProtocolError, match="told none of its values"):
            await talk.read("running")
        assert talk.known.documents["running"] == told, "what was known before keeps its time"
