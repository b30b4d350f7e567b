"""Two bridges on the air: one joins when name and passphrase are the other one's, and says so."""

from __future__ import annotations

from netloom_core.library.load import Library
from tests.standins.models import on_serial


async def test_who_has_the_right_phrase_joins(library: Library) -> None:
    net = {"/network/name": "skerry", "/network/passphrase": "long enough"}
    maker = on_serial(library, "wendle-w1", "WB-1", "2.0", **net, **{"/network/mode": "make", "/network/channel": 6})
    right = on_serial(library, "wendle-w1", "WB-2", "2.0", **net)
    wrong = on_serial(library, "wendle-w1", "WB-3", "2.0", **{**net, "/network/passphrase": "another one"})
    for one in (maker, right, wrong):
        await one.start()
    assert [one.memory.value("/network/link") for one in (maker, right, wrong)] == ["down", "up", "down"]
