"""Firmware into stand-ins by their own protocols: HTTP, YMODEM on a serial line, OSDP file transfer, blocks of a binary
protocol. What they refuse, and what is cut off on the way."""

from __future__ import annotations

import asyncio
import hashlib
from pathlib import Path
from typing import Any

import pytest

from netloom_core.drivers.artnet import driver
from netloom_core.drivers.artnet.loading import load
from netloom_core.errors import NetloomError, Refused
from netloom_core.library.files import recognised
from netloom_core.library.load import Library
from netloom_core.model.image import Image
from netloom_standins.described.binary import BinaryTalk
from netloom_standins.described.loading import made
from tests.patience import SOON_S
from tests.standins.models import Bench, bench

MODELS = {
    "corrain-xt1": "1.13.0",
    "wendle-w1": "2.4",
    "dunmarrow-dr2": "2.4.0",
    "thornby-vx44": "3.2",
    "kestrel-ac3": "1.4",
    "pellow-h1": "2.0",
    "lumenfold-n4": "2.5",
}
SIZE = 1500
SAYS = {"code": "for OTHER", "revision": "for hardware Z", "damaged": "damaged on the way", "locked": "locked"}
IN_NUMBERS = {"code": "not for it", "revision": "not for it", "damaged": "damaged", "locked": "out of range"}


def file_for(here: Bench, version: str, **more: Any) -> Image:
    form = here.unit.description.firmware
    assert form is not None
    data = made(form, version, more.pop("size", SIZE), **more)
    known = recognised("file", data[:4096], here.library)
    read = lambda at, size: data[at : at + size]  # noqa: E731
    return Image(
        "f", "file.bin", len(data), hashlib.sha256(data).hexdigest(), known.profile, known.version, read, known.code,
        known.hardware,
    )  # fmt: skip


async def back(here: Bench, version: str) -> None:
    """It starts anew, and tells that version then."""
    async with asyncio.timeout(SOON_S):
        while here.unit.up:
            await asyncio.sleep(0.02)
        while True:
            try:
                talk = await here.talk()
                await talk.drop()
                if (await talk.identify()).firmware == version:
                    return
            except NetloomError:
                pass
            await asyncio.sleep(0.05)


def network(model: str) -> str:
    return f"127.29.{80 + list(MODELS).index(model)}"


@pytest.mark.parametrize("model", MODELS)
async def test_a_file_is_recognised_goes_over_and_works(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        file = file_for(here, MODELS[model])
        assert (file.profile, file.version) == (model, MODELS[model])
        sent: list[int] = []
        await (await here.talk()).load(file, sent.append)
        assert sent[-1] == file.size
        assert sent == sorted(sent)
        await back(here, MODELS[model])


@pytest.mark.parametrize("model", MODELS)
@pytest.mark.parametrize("wrong", ["code", "revision", "damaged", "locked"])
async def test_what_it_refuses_is_told_in_its_words(library: Library, tmp_path: Path, model: str, wrong: str) -> None:
    async with bench(library, model, tmp_path, network(model)) as here:
        if model == "lumenfold-n4" and wrong == "revision":
            pytest.skip("a file of Art-Net names no hardware revisions")
        other = "2B52" if model == "lumenfold-n4" else "OTHER"
        more = {"code": {"code": other}, "revision": {"revisions": "Z"}}.get(wrong, {})
        file = file_for(here, MODELS[model], **more)
        here.unit.faults.spoil_load = wrong == "damaged"
        here.unit.faults.refuse_writes = wrong == "locked"
        before = here.unit.firmware
        with pytest.raises(Refused) as told:
            await (await here.talk()).load(file, lambda sent: None)
        if model not in ("dunmarrow-dr2", "lumenfold-n4"):  # whose protocols have no words of the unit's own
            assert (IN_NUMBERS if model == "kestrel-ac3" else SAYS)[wrong] in told.value.message
        assert here.unit.firmware == before


@pytest.mark.parametrize("model", [model for model in MODELS if model not in ("wendle-w1", "pellow-h1")])  # too slow
async def test_power_that_goes_on_the_way_is_told_and_it_takes_a_file_again(
    library: Library, tmp_path: Path, model: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(driver, "load", lambda *given: load(*given[:3], 2.0, given[4]))  # not half a minute for a block
    async with bench(library, model, tmp_path, network(model)) as here:
        file = file_for(here, MODELS[model], size=1200)
        here.unit.faults.cut_load = 0.5
        with pytest.raises(NetloomError) as told:
            await (await here.talk()).load(file, lambda sent: None)
        assert told.value.outcome != "not_sent"
        await here.is_up()
        talk = await here.talk()
        await talk.drop()
        identity = await talk.identify()
        form, known = here.unit.description.firmware, here.profile.firmware
        assert form is not None
        assert known is not None
        assert known.waits(identity.facts) == (form.banks == 1)
        await talk.load(file, lambda sent: None)
        await back(here, MODELS[model])


@pytest.mark.parametrize(
    "model", ["dunmarrow-dr2", "lumenfold-n4", "kestrel-ac3"]
)  # where it goes over in small pieces
async def test_a_cable_that_is_out_in_the_middle_leaves_it_able_to_take_a_file(
    library: Library, tmp_path: Path, model: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its power stays: nothing but the next transfer tells it that this one is over."""
    monkeypatch.setattr(driver, "load", lambda *given: load(*given[:3], 2.0, given[4]))
    async with bench(library, model, tmp_path, network(model)) as here:
        file = file_for(here, MODELS[model], size=1200)

        def cable(sent: int) -> None:
            here.unit.faults.silent = sent >= file.size / 2

        with pytest.raises(NetloomError) as told:
            await (await here.talk()).load(file, cable)
        assert told.value.outcome != "not_sent"
        here.unit.faults.silent = False
        talk = await here.talk()
        await talk.drop()
        await talk.load(file, lambda sent: None)
        await back(here, MODELS[model])


async def test_another_application_makes_another_model_of_it(library: Library, tmp_path: Path) -> None:
    async with bench(library, "sandrel-px1-gate", tmp_path, "127.29.88") as here:
        talk = await here.talk()
        assert set(await talk.read("running")) == {"name", "network", "gate"}
        file = file_for(here, "1.2", code="PX1-LAMP")
        assert file.profile == "sandrel-px1-lamp"
        await talk.load(file, lambda sent: None)
        await back(here, "1.2")
        talk = await here.talk()
        assert (await talk.identify()).model == "PX1 Lamp"
        assert "gate" not in await talk.read("running")


async def test_blocks_go_on_where_they_were_cut_off_and_another_file_begins_anew(
    library: Library, tmp_path: Path
) -> None:
    async with bench(library, "kestrel-ac3", tmp_path, network("kestrel-ac3")) as here:
        file, other = file_for(here, "1.4", size=1200), file_for(here, "1.5", size=900)

        async def cut() -> None:
            here.unit.faults.cut_load = 0.5
            with pytest.raises(NetloomError):
                await (await here.talk()).load(file, lambda sent: None)
            await here.is_up()

        async def begins_at(image: Image) -> int:
            sent: list[int] = []
            talk = await here.talk()
            await talk.drop()
            await talk.load(image, sent.append)
            return sent[0]

        await cut()
        assert file.size // 2 <= await begins_at(file) < file.size
        await back(here, "1.4")
        await cut()
        assert await begins_at(other) == 0
        await back(here, "1.5")


async def test_a_block_without_an_answer_is_said_again(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with bench(library, "kestrel-ac3", tmp_path, network("kestrel-ac3")) as here:
        lost = [2, 3, 7]
        whole, seen = BinaryTalk._whole, [0]

        def sometimes(talk: BinaryTalk, body: bytes) -> None:
            if body[:1] == b"\x51":
                seen[0] += 1
                if seen[0] in lost:
                    return
            whole(talk, body)

        monkeypatch.setattr(BinaryTalk, "_whole", sometimes)
        file = file_for(here, "1.4", size=900)
        await (await here.talk()).load(file, lambda sent: None)
        assert seen[0] == -(-file.size // 96) + len(lost)
        await back(here, "1.4")
