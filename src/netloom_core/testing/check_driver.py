"""The examiner of drivers: what every driver must do, whatever its protocol.

Give it a driver that is open to a healthy device, a setting path that works at once
with two good values, and a point that can be driven.
"""

from __future__ import annotations

from typing import Any

from netloom_core.model.change import Change
from netloom_core.model.ports import Driver
from netloom_core.plan.documents import get


async def check_driver(driver: Driver, path: str, values: tuple[Any, Any], point: str) -> None:
    """Raises AssertionError at the first thing that does not hold. Leaves the device as it was."""
    identity = await driver.identify()
    assert identity.key, "an identity has a maker and a serial number"
    before = await driver.read("running")
    assert await driver.read("running") == before, "reading changes nothing"
    old = get(before, path)
    new = values[0] if old != values[0] else values[1]

    await driver.write([Change(path, old, new)])
    assert get(await driver.read("running"), path) == new, "what was written is read back"
    assert get(await driver.read("startup"), path) == old, "a write alone is not kept"
    await driver.store()
    assert get(await driver.read("startup"), path) == new, "a store keeps it"

    states = await driver.states()
    assert point in states, "the states tell of every point"
    await driver.drive(point, "on")
    assert (await driver.states())[point] == "on", "a driven point follows"
    await driver.drive(point, "off")

    await driver.write([Change(path, new, old)])
    await driver.store()
    assert await driver.read("running") == before, "all is as before"
