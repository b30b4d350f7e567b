"""The examiner of drivers: what each ability must do, whatever the protocol.

Give it a session on a healthy device, a setting path that works at once with two good values, and
a point that can be driven. `check_trust` holds for the driver itself: nothing but the identity
before it is trusted, and an ordinary way on after being cancelled at any await.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import Any

from netloom_core.documents.tree import get
from netloom_core.errors import NetloomError, Unproven
from netloom_core.live.session import Talk
from netloom_core.model.change import Change
from netloom_core.profiles.abilities import Ability


async def check_abilities(talk: Talk, path: str, values: tuple[Any, Any], point: str) -> None:
    """Raises AssertionError at the first thing that does not hold. Leaves the device as it was."""
    can = talk.abilities
    identity = await talk.identify()
    assert identity.model or identity.serial, "an identity says something"
    before = await talk.read("running")
    assert await talk.read("running") == before, "reading changes nothing"
    old = get(before, path)
    new = values[0] if old != values[0] else values[1]
    if Ability.WRITE in can:
        await _check_writing(talk, path, old, new)
    if Ability.STATES in can:
        states = await talk.states()
        assert point in states, "the states tell of every point"
    if Ability.DRIVE in can:
        await talk.drive(point, "on")
        assert (await talk.states())[point] == "on", "a driven point follows"
        await talk.drive(point, "off")
    assert await talk.read("running") == before, "all is as before"


async def _check_writing(talk: Talk, path: str, old: Any, new: Any) -> None:
    keeps = "startup" in talk.abilities.sets and Ability.STORE in talk.abilities
    await talk.write([Change(path, old, new)])
    assert get(await talk.read("running"), path) == new, "what was written is read back"
    if keeps:
        assert get(await talk.read("startup"), path) == old, "a write alone is not kept"
        await talk.store()
        assert get(await talk.read("startup"), path) == new, "a store keeps it"
    await talk.write([Change(path, new, old)])
    if keeps:
        await talk.store()


async def check_trust(driver: Any, path: str, value: Any) -> None:
    """A driver that was just opened says nothing but its question who is there, until it is trusted."""
    calls: list[Callable[[], Awaitable[Any]]] = [
        lambda: driver.read("running"),
        lambda: driver.write([Change(path, None, value)]),
        driver.store,
        driver.restart,
        driver.states,
    ]
    for untrusted in calls:
        try:
            await untrusted()
        except Unproven:
            continue
        except NetloomError as error:
            raise AssertionError(f"an untrusted call is Unproven, not {error.code}") from error
        raise AssertionError("an untrusted driver spoke")
    await driver.identify()
    driver.trust(driver.connection)
    await driver.read("running")


async def check_cancelling(talk: Talk, *, most: int = 40) -> int:
    """Cancelled after each number of loop rounds, a read leaves a session that reads again. Gives how many."""
    whole = await talk.read("running")
    for rounds in range(most):
        task = asyncio.ensure_future(talk.read("running"))
        for _ in range(rounds):
            await asyncio.sleep(0)
        if task.done():
            return rounds
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
        assert await talk.read("running") == whole, f"it does not read after being cancelled at round {rounds}"
    return most
