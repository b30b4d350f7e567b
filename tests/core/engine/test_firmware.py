"""Firmware over devices in memory: what speaks against it, the way over, the wait, the proof, whatever goes wrong."""

from __future__ import annotations

import asyncio
import hashlib
from dataclasses import replace
from typing import Any

import pytest

from netloom_core.documents.tree import merged, put, remove
from netloom_core.errors import LinkError, NoAnswer, ProtocolError
from netloom_core.library.load import Library
from netloom_core.model.image import Image
from netloom_core.model.line import Line
from netloom_core.profiles.abilities import Ability
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import Rig, device, states

DATA = bytes(range(256)) * 40
PORT = Line("port", "Port", "serial", path="/dev/none", protocol="dialogue", speed=38400)


def image(version: str = "1.12.0", code: str = "CR-EXT1", hardware: tuple[str, ...] = ("A", "B")) -> Image:
    read = lambda at, size: DATA[at : at + size]  # noqa: E731
    digest = hashlib.sha256(DATA).hexdigest()
    return Image("f1", f"ext1_{version}.crn", len(DATA), digest, "corrain-xt1", version, read, code, hardware)


def describe(file: Image, **more: Any) -> dict[str, Any]:
    return {
        "id": file.ident, "name": file.name, "version": file.version, "code": file.code, "size": file.size,
        "digest": file.digest, "refused": file.refused, "profile": file.profile, "has": "1.11.0", **more,
    }  # fmt: skip


def has(box: MemoryDevice, version: str, far: str | None = None, **facts: str) -> None:
    known = {"hardware": "B", "mode": "", "far_firmware": far or version, **facts}
    box.identity = replace(box.identity, firmware=version, facts=known)


@pytest.fixture
def rig(library: Library) -> Rig:
    made = Rig(library, [device(library.need("corrain-xt1"), 1)])
    has(made.box, "1.11.0")
    made.box.taken_by = lambda file: has(made.box, file.version)
    return made


async def plan(rig: Rig, file: Image | None = None, **more: Any) -> Any:
    file = file or image()
    rig.store.images[file.ident], rig.store.files[file.ident] = file, describe(file, **more)
    return await rig.plan("firmware", devices=["dev1"], file=file.ident)


async def load(rig: Rig, file: Image | None = None, **more: Any) -> Any:
    made = await plan(rig, file, **more)
    assert [step.action for step in made.steps] == ["backup", "load"], made.remarks
    run = await rig.apply(made, "firmware")
    told = rig.record().identity
    assert told is None or told.firmware == rig.box.identity.firmware, "what it has, or that nobody knows"
    assert (told is None) == (states(run)[1] == "unknown")
    return run


async def test_it_is_loaded_awaited_and_proven_on_both_halves(rig: Rig) -> None:
    made = await plan(rig)
    assert any("takes new firmware" in one for one in made.steps[1].params["look_at"]), "the light to look at"
    assert {remark["code"] for remark in made.remarks} == {"interrupts", "power"}
    assert (await plan(rig, image("1.13.0"))).digest != made.digest, "it covers the file"
    assert (await plan(rig)).digest == made.digest
    run = await rig.apply(made, "firmware")
    assert states(run) == ["done", "done"]
    step = run.steps[1]
    assert (step.evidence["from"], step.evidence["to"]) == ("1.11.0", "1.12.0")
    assert step.evidence["parts"] == {"The other half": "1.12.0"}
    assert step.message == "Version 1.12.0, 1.11.0 before. It answers at 127.20.10.11."
    intent, outcome = rig.entries()
    assert "firmware 1.12.0 (ext1_1.12.0.crn, SHA-256" in intent.message
    assert (intent.action, outcome.outcome, outcome.message) == ("load", "done", "1.11.0 before, 1.12.0 now")


@pytest.mark.parametrize(
    ("file", "more", "why"),
    [
        (image(code="CR-EXT9"), {}, "is for CR-EXT9, and a XT1 Kit takes CR-EXT1"),
        (image(), {"refused": "it hangs"}, "marked as not to be used: it hangs"),
        (image("1.11.2"), {}, "1.11.2 is refused for a XT1 Kit: the receiver stays dark"),
        (image(""), {}, "nobody said which version"),
        (image(code=""), {"profile": ""}, "bears no code"),
    ],
)
async def test_what_speaks_against_it_is_told_before(rig: Rig, file: Image, more: dict[str, Any], why: str) -> None:
    made = await plan(rig, file, **more)
    assert not made.steps
    assert why in made.remarks[0]["message"]


async def test_another_hardware_revision_gets_nothing(rig: Rig) -> None:
    run = await load(rig, image(hardware=("C",)))
    assert states(run) == ["done", "failed"]
    assert "is for hardware C; Box 1 is B" in run.steps[1].message
    assert "load" not in rig.box.log
    assert not rig.entries()


async def test_a_file_that_changed_since_the_plan_is_not_sent(rig: Rig) -> None:
    made = await plan(rig)
    rig.store.images["f1"] = replace(image(), read=lambda at, size: bytes(size))
    run = await rig.apply(made, "firmware")
    assert states(run)[1] == "failed"
    assert "its digest is another one" in run.steps[1].message
    assert "load" not in rig.box.log


@pytest.mark.parametrize("tenth", range(11))
async def test_cut_at_each_tenth_of_the_way_it_keeps_the_old_one_and_says_so(rig: Rig, tenth: int) -> None:
    box = rig.box
    box.piece = len(DATA) // 10

    async def cut(name: str) -> None:
        if name == f"piece {tenth * box.piece}":
            box.connection += 1
            box.power_cut()
            raise _silent()

    box.before = cut
    run = await load(rig)
    taken = tenth * box.piece >= len(DATA)
    assert states(run)[1] == ("done" if taken else "failed")
    if not taken:
        assert "answers at 127.20.10.11 with version 1.11.0" in run.steps[1].message
        assert rig.entries("outcome")[0].outcome == "failed"
    rig.every_intent_has_its_outcome()


def _silent() -> Exception:
    return NoAnswer("It fell silent in the middle.")


def cut_off(box: MemoryDevice, times: int, at: int = 5) -> list[str]:
    """It loses its power so often when that piece comes; gives the pieces that were asked for."""
    asked: list[str] = []
    box.abilities = replace(box.abilities, can=box.abilities.can | {Ability.RESUME})
    box.piece = len(DATA) // 10

    async def cut(name: str) -> None:
        nonlocal times
        if name.startswith("piece"):
            asked.append(name)
        if name == f"piece {at * box.piece}" and times:
            times -= 1
            box.connection += 1
            box.power_cut()
            raise _silent()

    box.before = cut
    return asked


async def test_one_that_knows_how_much_it_has_goes_on_from_there(rig: Rig) -> None:
    asked = cut_off(rig.box, 1)
    run = await load(rig)
    assert states(run)[1] == "done"
    assert asked == [f"piece {n * rig.box.piece}" for n in (0, 1, 2, 3, 4, 5, 5, 6, 7, 8, 9)], "nothing twice"
    assert [one.outcome for one in rig.entries("outcome")] == ["done"], "one intent, and one outcome"
    assert "cut off once on the way" in run.steps[1].message


async def test_one_that_is_cut_off_again_and_again_is_not_tried_for_ever(rig: Rig) -> None:
    asked = cut_off(rig.box, 99)
    run = await load(rig)
    assert states(run)[1] == "failed"
    assert len(asked) == 9, "five pieces, and the sixth four times"
    assert "with version 1.11.0" in run.steps[1].message
    rig.every_intent_has_its_outcome()


async def test_one_that_says_no_in_the_middle_is_asked_again_only_where_something_was_taken(rig: Rig) -> None:
    asked = cut_off(rig.box, 0)
    before = rig.box.before

    async def no(name: str) -> None:
        await before(name)
        rig.box.refuses = name == f"piece {3 * rig.box.piece}"

    rig.box.before = no
    run = await load(rig)
    assert (states(run)[1], len(asked)) == ("failed", 5), "three, the one that it refuses, and that once more"
    rig.every_intent_has_its_outcome()


@pytest.mark.parametrize(
    ("resumes", "back", "word", "said"),
    [
        (True, 6.0, "done", "cut off once on the way"),
        (False, 3.0, "failed", "with version 1.11.0"),
        (True, 500.0, "unknown", "what it has is not known. The port does not exist."),
    ],
)
async def test_an_adapter_that_is_pulled_out_on_the_way(
    rig: Rig, resumes: bool, back: float, word: str, said: str
) -> None:
    """That this computer cannot look just now says nothing of the device."""
    cut_off(rig.box, 0)
    if not resumes:
        rig.box.abilities = replace(rig.box.abilities, can=rig.box.abilities.can - {Ability.RESUME})
    before, gone = rig.box.before, [0.0]

    async def pulled(name: str) -> None:
        await before(name)
        now = asyncio.get_running_loop().time()
        if name == f"piece {5 * rig.box.piece}" and not gone[0]:
            gone[0] = now
            rig.box.connection += 1
        if gone[0] and now < gone[0] + back:
            raise LinkError("The port does not exist.")

    rig.box.before = pulled
    run = await load(rig)
    assert said in run.steps[1].message
    assert states(run)[1] == word
    rig.every_intent_has_its_outcome()


async def test_what_cannot_be_sent_in_the_middle_is_no_nothing(rig: Rig) -> None:
    """The device has half of it, whatever this computer says of the next piece."""
    rig.box.piece = len(DATA) // 10

    async def crowded(name: str) -> None:
        if name == f"piece {5 * rig.box.piece}":
            raise ProtocolError("That does not fit.", outcome="not_sent")

    rig.box.before = crowded
    run = await load(rig)
    assert states(run)[1] == "failed"
    assert "answers at 127.20.10.11 with version 1.11.0" in run.steps[1].message, "it was looked at"


async def test_the_rest_of_a_file_is_sent_to_no_stranger(rig: Rig, library: Library) -> None:
    asked = cut_off(rig.box, 1)
    cut, stranger = rig.box.before, device(library.need("corrain-xt1"), 1)
    stranger.identity = replace(stranger.identity, serial="S-9999")

    async def swapped(name: str) -> None:
        try:
            await cut(name)
        except NoAnswer:
            rig.box.address = "127.20.10.99"
            rig.drivers.devices.append(stranger)
            raise

    rig.box.before = swapped
    run = await load(rig)
    assert states(run)[1] in ("failed", "unknown")
    assert len(asked) == 6
    assert not any("load" in line for line in stranger.log)
    rig.every_intent_has_its_outcome()


@pytest.mark.parametrize(("volts", "why"), [("11.4", "it tells 11.4 V"), ("", "it does not tell that")])
async def test_nothing_is_sent_while_its_supply_is_bad(library: Library, volts: str, why: str) -> None:
    rig = Rig(library, [device(library.need("kestrel-ac3"), 1)], PORT)
    rig.box.identity = replace(rig.box.identity, firmware="1.3")
    file = replace(image("1.4", "KAC3", ()), profile="kestrel-ac3")
    rig.box.taken_by = lambda taken: setattr(rig.box, "identity", replace(rig.box.identity, firmware=taken.version))
    rig.box.points = {"supply": volts} if volts else {}
    run = await load(rig, file, has="1.3")
    assert states(run)[1] == "failed"
    assert "12 V at least" in run.steps[1].message
    assert why in run.steps[1].message
    assert "load" not in rig.box.log
    rig.box.points = {"supply": "12.6"}
    assert states(await load(rig, file, has="1.3"))[1] == "done"


async def test_one_that_is_left_in_its_loader_is_told_as_that_and_takes_a_file_again(rig: Rig) -> None:
    box = rig.box

    async def cut(name: str) -> None:
        if name == "piece 3000":
            has(box, "", mode="loader")
            raise _silent()

    box.before = cut
    run = await load(rig)
    assert states(run)[1] == "failed"
    assert "in its loader, without an application: a file can be loaded again" in run.steps[1].message
    box.before = _nothing
    run = await load(rig)
    assert states(run)[1] == "done"
    assert run.steps[1].evidence["to"] == "1.12.0"


async def _nothing(name: str) -> None:
    """Nothing goes wrong."""


async def test_a_refused_file_changes_nothing(rig: Rig) -> None:
    rig.box.refuses = True
    run = await load(rig)
    assert states(run)[1] == "failed"
    assert "It said no. It answers at 127.20.10.11 with version 1.11.0." in run.steps[1].message
    assert rig.entries("outcome")[0].outcome == "failed"


async def test_one_that_says_yes_and_keeps_the_old_version_is_not_done(rig: Rig) -> None:
    rig.box.taken_by = None
    run = await load(rig)
    assert states(run)[1] == "failed"
    assert "still tells version 1.11.0, not 1.12.0" in run.steps[1].message


async def test_half_a_kit_is_not_done(rig: Rig) -> None:
    rig.box.taken_by = lambda file: has(rig.box, file.version, far="1.11.0")
    run = await load(rig)
    assert states(run)[1] == "failed"
    assert "has 1.12.0 on one side only: The other half has 1.11.0" in run.steps[1].message


async def test_it_is_found_where_its_factory_puts_it(rig: Rig) -> None:
    box = rig.box

    def taken(file: Image) -> None:
        has(box, file.version)
        box.comes_up_at = "127.20.20.201"

    box.taken_by = taken
    run = await load(rig)
    assert states(run)[1] == "done"
    assert rig.record().target.address == "127.20.20.201"
    assert "It answers at 127.20.20.201" in run.steps[1].message


async def test_a_stranger_at_its_place_is_not_taken_for_it(rig: Rig, library: Library) -> None:
    def taken(file: Image) -> None:
        has(rig.box, file.version)
        stranger = device(library.need("corrain-xt1"), 1)
        stranger.identity = replace(stranger.identity, serial="S-9999", firmware=file.version)
        rig.box.address = ""
        rig.box.comes_up_at = "127.20.10.99"
        rig.drivers.devices.append(stranger)

    rig.box.taken_by = taken
    run = await load(rig)
    assert states(run)[1] == "unknown"
    assert "did not come back" in run.steps[1].message
    assert rig.entries("outcome")[0].outcome == "unknown"


async def test_the_same_version_again_is_proven_only_by_its_going(rig: Rig) -> None:
    has(rig.box, "1.12.0")
    rig.box.boots_in = 2.0
    run = await load(rig)
    assert states(run)[1] == "done"
    rig.box.boots_in = 0
    run = await load(rig)
    assert states(run)[1] == "unproven"
    assert "was not seen to go" in run.steps[1].message


async def test_what_the_new_version_set_back_or_dropped_is_shown(rig: Rig) -> None:
    box = rig.box
    box.running = merged(box.running, {"/channel": 7})
    box.startup = merged(box.startup, {"/channel": 7, "/name": "Quay"})
    box.running = merged(box.running, {"/name": "Quay"})

    def taken(file: Image) -> None:
        has(box, file.version)
        box.startup = merged(box.startup, {"/channel": 1})
        remove(box.startup, "/name")

    box.taken_by = taken
    run = await load(rig)
    assert states(run)[1] == "done"
    changed = {(one["path"], one["what"], one["from"]) for one in run.steps[1].evidence["settings"]}
    assert changed == {("/channel", "set back", 7), ("/name", "dropped", "Quay")}
    assert "1 set back" in run.steps[1].message


@pytest.mark.parametrize("at", ["read running", "load", "piece 3000", "piece 10000", "after load", "identify"])
async def test_killed_anywhere_it_is_never_sent_twice_and_told_truly(rig: Rig, at: str) -> None:
    made = await plan(rig)
    here = asyncio.Event()

    async def stop(name: str) -> None:
        over = at != "identify" or "load" in rig.box.log
        if name == at and over and not here.is_set():
            here.set()
            await asyncio.Event().wait()

    rig.box.before = stop
    run = await rig.begin(made, "firmware")
    await here.wait()
    await rig.start_again()
    run = rig.store.all_runs[run.id]
    rig.every_intent_has_its_outcome()
    assert rig.box.log.count("load") <= 1
    if rig.box.identity.firmware == "1.12.0":
        assert states(run)[1] == "done"
    else:
        assert states(run)[1] in ("failed", "unknown")
        assert "answers at 127.20.10.11 with version 1.11.0" in run.steps[1].message


@pytest.fixture
def controller(library: Library) -> Rig:
    made = Rig(library, [device(library.need("sandrel-px1-gate"), 1)])
    made.box.identity = replace(made.box.identity, firmware="1.4", facts={"hardware": "1"})
    put(made.record().intended, "/gate/open_s", 35)
    return made


def another(code: str = "PX1-LAMP") -> Image:
    return replace(image("1.2", code, ("1",)), name="px1_lamp_1.2.sdr", profile="sandrel-px1-lamp")


async def test_an_application_may_make_another_model_of_it_and_nothing_decided_is_lost(controller: Rig) -> None:
    box = controller.box

    def taken(file: Image) -> None:
        box.identity = replace(box.identity, model="PX1 Lamp", firmware=file.version)

    box.taken_by = taken
    made = await plan(controller, another(), has="1.4")
    assert "becomes" in {remark["code"] for remark in made.remarks}
    run = await controller.apply(made, "firmware")
    assert states(run) == ["done", "done"]
    assert "It is a PX1 Lamp now" in run.steps[1].message
    record = controller.record()
    assert (record.target.profile, record.intended) == ("sandrel-px1-lamp", {})
    assert record.aside == {"gate": {"open_s": 35}}
    assert record.target.keys  # it is the same unit


async def test_one_that_does_not_become_what_the_file_makes_of_it_stays_what_it_was(controller: Rig) -> None:
    box = controller.box
    box.taken_by = lambda file: setattr(box, "identity", replace(box.identity, firmware=file.version))
    run = await controller.apply(await plan(controller, another(), has="1.4"), "firmware")
    assert states(run)[1] == "failed"
    assert "calls itself PX1 Gate, not PX1 Lamp" in run.steps[1].message
    assert controller.record().target.profile == "sandrel-px1-gate"
    assert controller.record().intended == {"gate": {"open_s": 35}}


async def test_a_slow_or_unclear_answer_is_no_going(rig: Rig) -> None:
    """It had that version before, and starts so fast that nobody sees it gone: garbage in between proves nothing."""
    has(rig.box, "1.12.0")
    after, garbled = False, 0

    async def unclear(name: str) -> None:
        nonlocal after, garbled
        after = after or name == "after load"
        if after and name == "identify" and garbled < 3:
            garbled += 1
            raise ProtocolError("No sense in it.")

    rig.box.before = unclear
    run = await load(rig)
    assert garbled == 3
    assert states(run)[1] == "unproven"
    assert "was not seen to go" in run.steps[1].message
