"""How soon a change of a point is told: at once where the device tells it, else within two rounds of asking."""

from __future__ import annotations

import asyncio
from dataclasses import replace

import pytest

from netloom_core.library.load import Library
from netloom_core.live.session import POLL_S
from netloom_core.profiles.abilities import Ability
from netloom_core.testing.rig import ALL, BUS, Rig, device


@pytest.mark.parametrize("moment", [0.0, 0.3, 0.61, 0.97])
async def test_on_a_bus_a_change_is_told_within_two_rounds(library: Library, moment: float) -> None:
    asked = replace(ALL, can=ALL.can - {Ability.WATCH, Ability.HINT})
    rig = Rig(library, [device(library.need("dunmarrow-dr2"), 1, abilities=asked)], BUS)
    point = next(iter(rig.box.points))
    await rig.engine.do({"do": "watch", "device": "dev1"})
    await asyncio.sleep(POLL_S * (2 + moment))
    loop = asyncio.get_running_loop()
    rig.box.points[point] = "another"
    begun = loop.time()
    while not any(d["states"].get(point) == "another" for kind, d in rig.events.told if kind == "points"):
        await asyncio.sleep(0.01)
        assert loop.time() - begun < 10 * POLL_S
    assert loop.time() - begun <= 2 * POLL_S
    await rig.engine.stop()
