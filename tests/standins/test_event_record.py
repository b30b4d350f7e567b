"""A device's own record, read from a stand-in whose clock is wrong."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

import pytest

from netloom_core.library.load import Library
from tests.standins.models import bench


@pytest.mark.parametrize(
    ("model", "path", "value"),
    [("thornby-vx44", "/outputs/2/source", 3), ("hallvane-rx8", "/relays/2/state", "on")],
)
async def test_its_record_is_set_on_our_clock(
    library: Library, tmp_path: Path, model: str, path: str, value: Any
) -> None:
    async with bench(library, model, tmp_path, "127.43.9") as here:
        here.unit.faults.clock_ahead = 7200.0
        here.unit.log.clear()
        begun = time.time()
        here.unit.noted("power on")
        here.unit.memory.set(path, value)
        talk = await here.talk()
        told = await talk.record()
        assert told.ahead is not None
        assert abs(told.ahead - 7200) < 3
        assert [one.text for one in told.events] == ["power on", f"{path[1:].replace('/', ' ')} is {value}"]
        assert all(one.at is not None and begun - 3 < one.at < time.time() + 3 for one in told.events)
        here.unit.log.clear()
        assert (await talk.record()).events == ()
