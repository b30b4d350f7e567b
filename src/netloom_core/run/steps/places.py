"""Where a device is, may be, or is to be: looked for by who answers there, never by an address alone."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from netloom_core.errors import AddressTaken, LinkError, NetloomError
from netloom_core.live.sessions import Presence, Sight
from netloom_core.model.device import Identity, Target
from netloom_core.model.line import DIRECT
from netloom_core.run.steps.base import PAUSE_S, UNCLEAR_S, StepContext

LATE = 3  # times the usual time until it is called lost


def new_place(context: StepContext, place: Target) -> Target:
    """Where the device will be reached after the step's changes."""
    address, speed = place.address, place.speed
    for change in context.changes:
        role = context.setting(change.path).role
        if role == "address":
            address = str(change.after)
        elif role == "speed":
            speed = int(change.after)
    return place.at(address, speed)


async def check_free(context: StepContext, new: Target) -> None:
    """Only silence is free: whoever answers with a refusal, with garbage or as busy, is somebody.

    At the other end of a cable is nobody else, and at another speed the device itself may answer with garbage.
    """
    if new.address == DIRECT:
        return
    sight = await context.sessions.look(new)
    if sight.presence in (Presence.NOBODY, Presence.ITSELF):
        return  # itself: its power went just now, and what waited for that brought it there
    if sight.presence is Presence.UNSEEN and sight.error is not None:
        raise sight.error
    raise AddressTaken(
        f"{who_is(sight)} at {spoken(new)}. {context.target.name} was not changed.",
        "Choose a free address, or move the other device first.",
        target=context.target.device,
    )


def who_is(sight: Sight) -> str:
    if sight.identity is not None:
        ident = sight.identity
        return f"{ident.maker} {ident.model}, serial number {ident.serial or 'not told'}, answers"
    return f"Somebody is ({sight.error.message if sight.error else 'not told who'})"


def spoken(place: Target) -> str:
    """A place in words; the speed belongs to it where there is one."""
    return f"{place.address} at {place.speed} baud" if place.speed else place.address


def factory_places(context: StepContext) -> list[Target]:
    """Where one of this model is when it comes from its factory."""
    factory, here = context.profile.factory, context.target
    return [here.at(address, factory.speed or here.speed) for address in factory.addresses or [here.address]]


async def arrived(context: StepContext, here: Target) -> None:
    """It was proven to be there just now: the record follows."""
    if here.place != context.target.place:
        context.target = here
        await context.records.save_place(here.device, here.address, here.speed, context.clock.now())


@dataclass(frozen=True)
class Looked:
    """What a look for the device showed: `here` it answers as itself, with what it tells of itself. `gone` is whether
    nobody was at its own place: a slow or an unclear answer is no absence. `trouble` kept this computer from looking,
    `unclear` is what somebody says of whom it is not known who it is.
    """

    here: Target | None = None
    identity: Identity | None = None
    gone: bool = False
    trouble: NetloomError | None = None
    unclear: NetloomError | None = None

    @property
    def why(self) -> str:
        """What kept it from being found, as one more sentence."""
        why = self.trouble or self.unclear
        return f" {why.message}" if why is not None else ""

    def over(self, deadline: float) -> bool:
        """Whether it was looked for long enough, in the event loop's time. After it was silent, what it says is
        unclear for a while: that may be the answer to an earlier question.
        """
        return asyncio.get_running_loop().time() >= deadline + (UNCLEAR_S if self.unclear is not None else 0)


async def look_for(context: StepContext, places: Sequence[Target]) -> Looked:
    """One look at each of the places, until it is found."""
    gone, trouble, unclear = False, None, None
    for place in {place.place: place for place in places}.values():
        sight = await context.sessions.look(place)
        if sight.presence is Presence.ITSELF:
            return Looked(place, sight.identity, gone, trouble)
        gone = gone or (sight.presence is Presence.NOBODY and place.place == context.target.place)
        trouble = sight.error if isinstance(sight.error, LinkError) else trouble
        unclear = (sight.error or unclear) if sight.presence is Presence.UNCLEAR else unclear
    return Looked(None, None, gone, trouble, unclear)


async def find(context: StepContext, places: Sequence[Target], seconds: float) -> Looked:
    """Look until it is found, for at most `seconds` unless it is unclear: what the last look showed."""
    deadline = asyncio.get_running_loop().time() + seconds
    while True:
        looked = await look_for(context, places)
        if looked.here is not None or looked.over(deadline):
            return looked
        await asyncio.sleep(PAUSE_S)


async def find_anywhere(context: StepContext) -> Looked:
    """Where else on its line it came up, as where a DHCP server put it: looked for along all of it, and proven."""
    if context.target.line.kind != "ip":
        return Looked()  # on a bus it is where it was told to be, or where it was
    try:
        places = await context.search(context.target)
    except NetloomError:  # what is to be told is that it is gone, not why it could not be looked for further
        return Looked()
    return await look_for(context, places)


async def stands_in_the_way(context: StepContext) -> str:
    """A sentence about somebody else who is where its factory would put the device; empty where nobody is."""
    for place in factory_places(context):
        sight = await context.sessions.look(place)
        if sight.presence is Presence.OTHER:
            return f" {who_is(sight)} at {spoken(place)}, where it would come up: the two are in each other's way."
    return ""
