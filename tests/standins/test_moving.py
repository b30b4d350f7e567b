"""What people can move, moved by the engine: to a free address, to another speed, and proven there."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import replace
from pathlib import Path

import pytest

from netloom_core.bus.turns import Priority
from netloom_core.documents.tree import put
from netloom_core.errors import PortBusy
from netloom_core.library.load import Library
from netloom_core.live.sessions import Presence
from tests.conftest import shipped
from tests.standins.live import Live
from tests.standins.models import another, bench, described_models

NETWORK = "127.42.{n}"
LIBRARY = shipped()
WITH = {
    role: [m for m in described_models() if (item := LIBRARY.need(m).with_role(role)) is not None and not item.reserved]
    for role in ("address", "speed")
}


def kind_of(model: str) -> tuple[str, str]:
    profile = LIBRARY.need(model)
    item = profile.with_role("address")
    return profile.protocol, item.takes if item else ""


# One of each protocol and of each way in which it takes an address.
MODELS = sorted({kind_of(model): model for model in reversed(WITH["address"])}.values())


@asynccontextmanager
async def live(library: Library, model: str, folder: Path) -> AsyncIterator[Live]:
    async with bench(library, model, folder, NETWORK.format(n=10 + MODELS.index(model))) as here:
        rig = Live(library, here.unit, replace(here.target, device="dev1", found=True), here.owners)
        await rig.engine.start()
        try:
            yield rig
        finally:
            await rig.engine.stop()


def place_of(rig: Live) -> str:
    return rig.unit.address or str(rig.unit.bus_address)


@pytest.mark.parametrize("model", MODELS)
async def test_it_goes_where_it_is_told_and_is_proven_there(library: Library, tmp_path: Path, model: str) -> None:
    async with live(library, model, tmp_path) as rig:
        item = rig.profile.with_role("address")
        assert item is not None
        old = place_of(rig)
        new = f"{old.rpartition('.')[0]}.8" if "." in old else str(int(old) + 1)
        await rig.read()
        put(rig.record().intended, item.path, item.type.check(new if item.type.name == "ipv4" else int(new)))
        run = await rig.apply(await rig.plan(devices=["dev1"]))
        assert run.steps
        assert {step.state for step in run.steps} <= {"done", "unproven"}, [
            (step.action, step.state, step.message) for step in run.steps
        ]
        assert place_of(rig) == new
        assert rig.record().target.address == new, "and the record knows"
        await rig.read()
        back = await rig.apply(await rig.plan("undo", run=run.id), "undo")
        assert {step.state for step in back.steps} <= {"done", "unproven"}, [
            (step.action, step.state, step.message) for step in back.steps
        ]
        assert (place_of(rig), rig.record().target.address) == (old, old), "and back again"
        rig.every_intent_has_its_outcome()


QUICKER = WITH["speed"]


@pytest.mark.parametrize("model", QUICKER)
async def test_it_takes_another_speed_and_is_proven_at_it(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, NETWORK.format(n=40 + QUICKER.index(model))) as here:
        rig = Live(library, here.unit, replace(here.target, device="dev1", found=True), here.owners)
        await rig.engine.start()
        item = rig.profile.with_role("speed")
        assert item is not None
        await rig.read()
        to = another(item, here.unit.speed)
        put(rig.record().intended, item.path, to)
        run = await rig.apply(await rig.plan(devices=["dev1"]))
        assert {step.state for step in run.steps} == {"done"}, [(step.action, step.message) for step in run.steps]
        assert (here.unit.speed, rig.record().target.speed) == (to, to)
        await rig.engine.stop()


SERIAL = sorted(model for model in described_models() if LIBRARY.need(model).line_kinds[0].startswith("serial"))


@pytest.mark.parametrize("model", SERIAL)
async def test_a_serial_line_without_a_byte_is_nobody(library: Library, tmp_path: Path, model: str) -> None:
    async with bench(library, model, tmp_path, NETWORK.format(n=60 + SERIAL.index(model))) as here:
        assert (await here.sessions.look(here.target)).presence is Presence.ITSELF
        await here.unit.stop()
        assert (await here.sessions.look(here.target)).presence is Presence.NOBODY
        await here.unit.start()


async def test_the_port_of_a_line_that_is_no_more_is_anybodys(library: Library, tmp_path: Path) -> None:
    async with bench(library, "grayle-m4", tmp_path, NETWORK.format(n=80)) as here:
        await (await here.talk()).read("running")
        another_line = replace(here.line, id="other")
        with pytest.raises(PortBusy):
            async with here.owners.serial(another_line).turn("test", Priority.RUN, 1.0):
                pass
        here.owners.release(here.line.id)
        async with here.owners.serial(another_line).turn("test", Priority.RUN, 1.0):
            assert here.owners.holder("other") == "test"
