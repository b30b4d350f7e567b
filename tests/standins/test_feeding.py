"""A line display on its serial line: it shows what it is told for as long as it is told again."""

from __future__ import annotations

import asyncio
from pathlib import Path

from netloom_core.bus.turns import Priority
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from tests.standins.models import bench


async def test_it_goes_on_by_itself_when_nothing_comes(library: Library, tmp_path: Path) -> None:
    async with bench(library, "quenby-ld2", tmp_path, "127.29.75") as here:
        here.unit.description.fed.after = 1.6  # type: ignore[union-attr]
        talk = await here.sessions.talk(here.target, "feed", Priority.WATCH)
        own = await talk.states()
        assert (own["source"], own["keys"]) == ("own", "on")
        for _ in range(10):  # for longer than it would wait for the next one
            await talk.drive("text", "Ferry to Holm 14:20")
            await asyncio.sleep(0.2)
        assert await talk.states() == {"text": "Ferry to Holm 14:20", "source": "outside", "keys": "off"}
        await talk.write([Change("/own/text", None, "Closed")])
        assert (await talk.states())["text"] == "Ferry to Holm 14:20", "its own comes when it is alone"
        await asyncio.sleep(2)
        assert await talk.states() == {"text": "Closed", "source": "own", "keys": "on"}


async def test_one_that_lies_takes_it_and_shows_nothing(library: Library, tmp_path: Path) -> None:
    async with bench(library, "quenby-ld2", tmp_path, "127.29.76") as here:
        here.unit.faults.liar = "/text"
        talk = await here.sessions.talk(here.target, "feed", Priority.WATCH)
        before = await talk.states()
        await talk.drive("text", "Ferry to Holm 14:20")
        assert await talk.states() == before
