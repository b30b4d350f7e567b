"""Change of address or speed, and of all that waits for a restart: a confirmed change.

The idea is RFC 6241's confirmed commit: unless the device is found again as itself at
its new place, it is put back. Where it can be found nowhere, that is said as unknown.
"""

from __future__ import annotations

import asyncio

from netloom_core.errors import AddressTaken, NetloomError, NoAnswer, ReadBackMismatch, WrongDevice
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.plan.documents import Document, get
from netloom_core.plan.planner import restart_seconds
from netloom_core.plan.steps.base import PAUSE_S, StepContext, read_back

FIRST_LOOK_S = 0.2


def new_place(context: StepContext) -> Target:
    address, speed = context.target.address, context.target.speed
    for change in context.changes:
        role = context.profile.by_path[change.path].role
        if role == "address":
            address = str(change.after)
        elif role == "speed":
            speed = int(change.after)
    return context.target.at(address, speed)


async def answers_as_itself(context: StepContext, place: Target) -> bool | None:
    """True: it is there. False: somebody else is. None: nobody answers."""
    try:
        async with context.driver(place) as driver:
            found = await driver.identify()
    except NetloomError:
        return None
    return found.key == context.target.identity_key if context.target.identity_key else True


async def find(context: StepContext, places: list[Target], seconds: float) -> Target | None:
    """The first place where the device answers as itself, asked in turn for at most `seconds`."""
    loop = asyncio.get_running_loop()
    deadline = loop.time() + seconds
    while True:
        for place in places:
            if await answers_as_itself(context, place):
                return place
        if loop.time() >= deadline:
            return None
        await asyncio.sleep(PAUSE_S)


class MoveDevice:
    action = "move"
    writes = True

    async def run(self, context: StepContext) -> None:
        old, new = context.target, new_place(context)
        moved = (old.address, old.speed) != (new.address, new.speed)
        resumed = context.step.state == "acting"
        here = await find(context, [old, new] if moved else [old], restart_seconds(context.profile) if resumed else 2.0)
        if here is None:
            raise NoAnswer(
                f"{old.name} does not answer at {old.address}, so it was not changed.",
                "Sweep the line to find it.",
                target=old.device,
                outcome="not_sent",
            )
        if here == old and not await self._there_already(context, old):
            if moved:
                await self._check_free(context, new)
            await self._act(context, old)
            here = await self._find_again(context, old, new, moved)
        await self._confirm(context, here)

    async def _there_already(self, context: StepContext, place: Target) -> bool:
        async with context.driver(place) as driver:
            running = await driver.read("running")
        return all(get(running, change.path) == change.after for change in context.changes)

    async def _check_free(self, context: StepContext, new: Target) -> None:
        if await answers_as_itself(context, new) is False:
            raise AddressTaken(
                f"Somebody else answers at {new.address}. {context.target.name} was not changed.",
                "Choose a free address, or move the other device first.",
                target=context.target.device,
            )

    async def _act(self, context: StepContext, old: Target) -> None:
        await context.acting(context.changes)
        async with context.driver(old) as driver:
            try:
                await driver.readdress(context.changes)
            except NoAnswer:
                # The link may have gone before the answer came: where it is now decides.
                return
            except NetloomError as error:
                await context.journal("outcome", [c.as_dict() for c in context.changes], "failed", error.message)
                raise

    async def _find_again(self, context: StepContext, old: Target, new: Target, moved: bool) -> Target:
        seconds = restart_seconds(context.profile)
        await asyncio.sleep(FIRST_LOOK_S)
        here = await find(context, [new], seconds)
        if here is not None:
            return here
        if moved and await answers_as_itself(context, new) is False:
            await self._tell(context, "failed", "somebody else answers at the new address")
            raise WrongDevice(
                f"After the change somebody else answers at {new.address}, and {old.name} cannot be told apart.",
                "Unplug one of the two, sweep again.",
                target=old.device,
                outcome="unknown",
            )
        back = await find(context, [old], seconds)
        if back is not None:
            await self._put_back(context, back)
            raise ReadBackMismatch(
                f"{old.name} did not come up at {new.address}; it answers at {old.address} as before and was put back.",
                "Nothing is left of the change. Try again, or look whether the device allows that address.",
                target=old.device,
                outcome="refused",
            )
        await self._tell(context, "unknown", "it answers at neither place")
        raise NoAnswer(
            f"{old.name} answers neither at {new.address} nor at {old.address} after the change.",
            "Give it a minute and sweep the line: it keeps its record wherever it is found.",
            target=old.device,
        )

    async def _put_back(self, context: StepContext, place: Target) -> None:
        """The device is at its old place; let it not go to the new one at its next restart."""
        async with context.driver(place) as driver:
            startup = await driver.read("startup")
            undo = [c.reversed() for c in context.changes if get(startup, c.path) == c.after]
            undo = [Change(c.path, c.before, c.after) for c in undo if c.after is not None]
            if undo and place.line.kind == "ip":
                await driver.write(undo)
                await driver.store()
            await context.read_both(driver)
        await self._tell(context, "failed", "not found at the new place; put back")

    async def _tell(self, context: StepContext, outcome: str, message: str) -> None:
        await context.journal("outcome", [c.as_dict() for c in context.changes], outcome, message)

    async def _confirm(self, context: StepContext, here: Target) -> None:
        await context.host.save_place(here.device, here.address, here.speed)
        context.target = here
        running: Document = {}
        async with context.driver(here) as driver:
            running, _ = await context.read_both(driver)
            await context.host.save_identity(here.device, await driver.identify())
        shown = read_back(context.changes, running)
        context.step.evidence = {"changes": shown, "address": here.address}
        wrong = [item for item in shown if item["read_back"] != item["to"]]
        await context.journal("outcome", shown, "failed" if wrong else "done")
        if wrong:
            raise ReadBackMismatch(
                f"{here.name} has {wrong[0]['read_back']!r} at {wrong[0]['path']} after its restart, not "
                f"{wrong[0]['to']!r}.",
                "Read its values and plan again.",
                target=here.device,
                outcome="applied",
            )
