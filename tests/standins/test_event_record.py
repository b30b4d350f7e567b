"""A device's own record, read from a stand-in whose clock is wrong."""

from __future__ import annotations

import time
from pathlib import Path

from netloom_core.library.load import Library
from tests.standins.models import bench


async def test_its_record_is_set_on_our_clock(library: Library, tmp_path: Path) -> None:
    async with bench(library, "thornby-vx44", tmp_path, "127.43.9") as here:
        here.unit.faults.clock_ahead = 7200.0
        here.unit.log.clear()
        begun = time.time()
        here.unit.noted("power on")
        here.unit.memory.set("/outputs/2/source", 3)
        talk = await here.talk()
        told = await talk.record()
        assert told.ahead is not None
        assert abs(told.ahead - 7200) < 3
        assert [one.text for one in told.events] == ["power on", "outputs 2 source is 3"]
        assert all(one.at is not None and begun - 3 < one.at < time.time() + 3 for one in told.events)
        here.unit.log.clear()
        assert (await talk.record()).events == ()
