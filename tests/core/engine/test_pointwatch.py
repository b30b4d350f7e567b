"""The point monitor in the engine: what is recorded, what is told of chatter, what it costs nobody."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest

from netloom_core.library.load import Library
from netloom_core.testing.rig import Rig, device


@pytest.fixture
async def rig(library: Library) -> Any:
    made = Rig(library, [device(library.need("hallvane-rx8"))])
    await made.engine.start()
    yield made
    await made.engine.stop()


def told(rig: Rig, kind: str) -> list[dict[str, Any]]:
    return [data for what, data in rig.events.told if what == kind]


async def test_what_people_want_recorded_is_and_nothing_else(rig: Rig) -> None:
    rig.store.points.wanted = {"dev1": ["relay-1"]}
    await asyncio.sleep(8)
    rig.box.points |= {"relay-1": "on", "relay-2": "on"}
    await asyncio.sleep(8)
    await rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": "off", "by": "anna"})
    await asyncio.sleep(8)
    kept = [(edge.point, edge.state, edge.cause) for edge in rig.store.points.edges]
    assert kept == [("relay-1", "off", ""), ("relay-1", "on", ""), ("relay-1", "off", "anna")]
    answer = await rig.engine.do({"do": "edges", "points": [["dev1", "relay-1"]], "since": 0})
    assert [edge["state"] for edge in answer["edges"]] == ["off", "on", "off"]
    assert answer["chatter"] == []


async def test_records_that_fail_for_a_while_lose_nothing(rig: Rig) -> None:
    rig.store.points.wanted = {"dev1": ["relay-1"]}
    plain, broken = rig.store.points.save_edges, [True]

    async def save(edges: Any) -> None:
        if broken:
            raise OSError("no room")
        await plain(edges)

    rig.store.points.save_edges = save  # type: ignore[method-assign]
    await asyncio.sleep(8)
    rig.box.points["relay-1"] = "on"
    await asyncio.sleep(8)
    assert rig.store.points.edges == []
    broken.clear()
    await asyncio.sleep(90)
    assert [edge.state for edge in rig.store.points.edges] == ["off", "on"]


async def test_chatter_is_told_with_its_meaning_and_its_end(rig: Rig) -> None:
    rig.store.points.wanted = {"dev1": ["relay-1"]}
    await asyncio.sleep(3)
    watch = rig.engine._points
    for n in range(30):
        watch.states("dev1", {"relay-1": "on" if n % 2 else "off"}, "")
        await asyncio.sleep(1)
    [one] = told(rig, "chatter")[-1]["chatter"]
    assert (one["name"], one["label"], one["kind"], one["every"]) == ("Box 1", "Relay 1", "beats", 1.0)
    assert one["words"].startswith("Relay 1 of Box 1 changes again and again, in a steady beat: ")
    assert "Something outside tells the relay to switch" in one["words"]
    assert "see the relay rest" in one["then"]
    [notice] = told(rig, "notice")  # once, not each five seconds
    assert notice["message"].startswith("Relay 1 of Box 1 changes again and again")
    rig.box.points["relay-1"] = "off"
    await asyncio.sleep(60)
    assert told(rig, "chatter")[-1]["chatter"] == []
    assert told(rig, "notice")[-1]["message"] == "Relay 1 of Box 1 is quiet again."


async def test_a_device_that_is_gone_is_forgotten(rig: Rig) -> None:
    rig.engine._points.states("dev1", {"relay-1": "on"}, "")
    await rig.engine.do({"do": "forget", "device": "dev1"})
    answer = await rig.engine.do({"do": "edges", "points": [["dev1", "relay-1"]], "since": 0})
    assert answer["edges"] == []
