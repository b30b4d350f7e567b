"""Restart, so that what waits for it works; and a change of place, which is a confirmed change.

The idea is RFC 6241's confirmed commit: unless the device is found again as itself at its new
place, it is put back, and putting back is proven like any write. Where it can be found nowhere,
that is said as unknown.
"""

from __future__ import annotations

import asyncio
from collections.abc import Sequence

from netloom_core.documents.tree import Document
from netloom_core.errors import (
    AddressTaken,
    NetloomError,
    NoAnswer,
    PromisedElsewhere,
    ReadBackMismatch,
    WrongDevice,
)
from netloom_core.live.sessions import Presence
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.work import StepState
from netloom_core.plan.proof import NO_RUNNING
from netloom_core.run.steps.base import PAUSE_S, StepContext, WritingStep, after_values, undone, value_at
from netloom_core.run.steps.places import (
    LATE,
    Looked,
    arrived,
    check_free,
    find,
    find_anywhere,
    look_for,
    new_place,
    spoken,
    who_is,
)
from netloom_core.run.steps.shown import otherwise, untold, word_of
from netloom_core.run.steps.write import stale

FIRST_LOOK_S = 2.0  # how long one that should answer now is asked again
GONE_S = 3.0  # how long a restart may take to begin
SOON_S, QUICK_S = 0.1, 4.0  # between looks for one that starts quickly, for so long
LOOKS = 3  # where it is, when it goes between a look and a reading
# How long one that answers at its old place may only be about to go: those that were told by a write answer first.
LINGERS_S = {"restart": GONE_S * 2, "write": GONE_S * 2, "command": GONE_S}


class Restart(WritingStep):
    """`changes` are the values that are to work afterwards; they were staged and stored by the steps before."""

    action = "restart"

    def sends_away(self, step: StepState) -> bool:
        return True

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        return {**sets, "running": after_values(sets.get("running", {}), step)}

    def back(self, step: StepState) -> list[Change]:
        return undone(step)

    async def settle(self, context: StepContext) -> None:
        """Looks where it is; the run then goes on from there."""
        if context.open_intent is None:
            return
        old, new = context.target, new_place(context, context.target)
        looked = await find(context, [new, old], context.profile.away_seconds * LATE)
        here = looked.here or (await find_anywhere(context)).here
        if here is None:
            await context.conclude("unknown", f"{context.cut}, and the device answers at no place known.")
            raise NoAnswer(
                f"{old.name} answers neither at {spoken(new)} nor at {spoken(old)}.{looked.why}",
                "Give it a minute and sweep the line: it keeps its record wherever it is found.",
                target=old.device,
            )
        await arrived(context, here)
        running = (await context.patiently(lambda: context.read("running")))["running"]
        shown = context.read_back([change.as_dict() for change in context.changes], running)
        await context.conclude(word_of(shown), f"{context.cut}; it was found at {spoken(here)}.", shown)

    async def run(self, context: StepContext) -> None:
        old, new = context.target, new_place(context, context.target)
        moved = old.place != new.place
        here, running = await self._as_it_is(context, [old, new] if moved else [old])
        if here.place == new.place and self._works(context, running):
            context.step.message = "It has these values already."
        else:
            self._not_stale(context, running)
            if moved:
                await self._free_or_unstaged(context, old, new)
            promised = await self._act(context)
            await self._come_back(context, old, promised or new, new)
        await self._confirm(context)

    # Before

    async def _as_it_is(self, context: StepContext, places: Sequence[Target]) -> tuple[Target, Document]:
        """Where it is and what works there. A power cut just now may have brought it to the new place already."""
        seconds = FIRST_LOOK_S
        for left in reversed(range(LOOKS)):
            looked = await find(context, places, seconds)
            here = looked.here
            if here is None and looked.trouble is not None:
                raise looked.trouble
            if here is None:
                raise NoAnswer(
                    f"{places[0].name} does not answer at {' nor at '.join(map(spoken, places))}: it was not changed."
                    f"{looked.why}",
                    "Sweep the line to find it.",
                    target=places[0].device,
                    outcome="not_sent",
                )
            await arrived(context, here)
            try:
                return here, (await context.patiently(lambda: context.read("running")))["running"]
            except NoAnswer:
                if not left:
                    raise
                seconds = context.profile.away_seconds + GONE_S
        raise AssertionError("the last look returns or raises")

    def _works(self, context: StepContext, running: Document) -> bool:
        return bool(running) and all(value_at(running, c.path) == c.after for c in context.changes)

    def _not_stale(self, context: StepContext, running: Document) -> None:
        for change in context.changes:
            now = value_at(running, change.path)
            if running and now not in (change.before, change.after):
                raise stale(context, change, now, "It was not changed.")

    async def _free_or_unstaged(self, context: StepContext, old: Target, new: Target) -> None:
        """A place that was taken meanwhile must not be where it goes at its next power cut, either."""
        try:
            await check_free(context, new)
        except AddressTaken as taken:
            if context.step.params.get("by", "restart") == "restart":
                try:
                    undo = [change.reversed() for change in context.changes]
                    left = await self._left_over(context, undo, old, old)
                    if left:
                        await self._undo(context, left, old, old)
                except NetloomError as error:
                    raise AddressTaken(
                        f"{taken.message} What waits for its restart could not be taken back: {error.message}",
                        "It may go there at its next power cut. Read it, then plan its address again.",
                        target=old.device,
                        outcome="unknown",
                    ) from error
            raise

    # The change itself

    async def _act(self, context: StepContext) -> Target | None:
        """Where the device said that it would be, if that is not where it was told to go."""
        await context.intend([change.as_dict() for change in context.changes])
        talk = await context.talk()
        try:
            await self._send(context)
        except PromisedElsewhere as error:
            return context.target.at(error.address, error.speed)
        except NetloomError as error:
            # Whatever came back, the bytes have left: where it is now decides, not its words.
            context.step.evidence = {"said": error.message}
            if error.outcome == "not_sent" and not await self._went_by_itself(context):
                await context.conclude("failed", error.message)
                raise
        finally:
            await talk.drop()
        return None

    async def _went_by_itself(self, context: StepContext) -> bool:
        """Nothing was sent, but its power may have gone just before, and what waited for that works now."""
        old, new = context.target, new_place(context, context.target)
        if old.place == new.place:
            return False
        here = (await find(context, [new, old], context.profile.away_seconds + GONE_S)).here
        return here is not None and here.place == new.place

    async def _send(self, context: StepContext) -> None:
        talk = await context.talk()
        if context.step.params.get("by") == "command":
            await talk.readdress(context.changes)
        elif context.step.params.get("by") == "write":
            await talk.write(context.changes)
        else:
            await talk.restart()

    async def _come_back(self, context: StepContext, old: Target, promised: Target, new: Target) -> None:
        """Until it is found with its new values where it should be; else put back what was changed."""
        seconds = context.profile.away_seconds
        loop = asyncio.get_running_loop()
        begun = loop.time()
        by = context.step.params.get("by", "restart")
        by_restart, lingers = by == "restart", LINGERS_S[by]
        stays = old.place == new.place
        others = [place for place in (promised, old) if place.place != new.place]
        gone = not (stays and by_restart)
        here: Target | None = None
        usual, searched = max(seconds + (GONE_S if by_restart else 0), lingers + PAUSE_S), False
        while loop.time() < begun + (usual if here is not None else max(usual, seconds * LATE + GONE_S)):
            here = None  # where it was seen a moment ago it may be no more
            sight = await context.sessions.look(new)
            gone = gone or sight.presence is Presence.NOBODY  # a slow or an unclear answer is no absence
            if sight.presence is Presence.ITSELF and (gone or loop.time() > begun + GONE_S):
                # Found again; where it never was seen to go, it had the time to.
                if await self._has_values(context, new):
                    return
                here = new
                if gone and stays:
                    break
            if not stays and here is None and (back := (await look_for(context, others)).here) is not None:
                here = back
                if back.place != old.place or loop.time() > begun + lingers:
                    break
            if here is None and not searched and loop.time() > begun + usual:
                searched = True
                if (elsewhere := (await find_anywhere(context)).here) is not None:
                    await self._elsewhere(context, new, elsewhere)
            await asyncio.sleep(SOON_S if loop.time() < begun + QUICK_S else PAUSE_S)
        await self._not_there(context, old, new, here)

    async def _has_values(self, context: StepContext, place: Target) -> bool:
        await arrived(context, place)
        try:
            running = (await context.read("running"))["running"]
        except NetloomError:
            return False
        return not running or self._works(context, running)

    async def _not_there(self, context: StepContext, old: Target, new: Target, here: Target | None) -> None:
        """It is not where it should be, or not as it should be. Raises what is known."""
        looked = await find(context, [new, old], FIRST_LOOK_S) if here is None else Looked(here)
        here = looked.here
        if here is not None and here.place == new.place:
            await arrived(context, here)
            return  # it is there; its values tell the rest
        if here is None and (elsewhere := (await find_anywhere(context)).here) is not None:
            await self._elsewhere(context, new, elsewhere)
        if here is None:
            sight = await context.sessions.look(new)
            await context.conclude("unknown", "it answers at no place known")
            if sight.presence is Presence.OTHER:
                raise WrongDevice(
                    f"After the change {who_is(sight)} at {spoken(new)}, and {old.name} is found nowhere.",
                    "Unplug one of the two, sweep again.",
                    target=old.device,
                    outcome="unknown",
                )
            raise NoAnswer(
                f"{old.name} answers neither at {spoken(new)} nor at {spoken(old)} after the change.{looked.why}",
                "Give it a minute and sweep the line: it keeps its record wherever it is found.",
                target=old.device,
            )
        await context.conclude("failed", f"not found at {spoken(new)}; it answers at {spoken(here)}")
        await arrived(context, here)
        await self._put_back(context, old, new, here)

    async def _elsewhere(self, context: StepContext, new: Target, here: Target) -> None:
        """It took a place that nobody here gave it. It is followed, and nothing more is written: whoever gave it that
        would give it again. Always raises."""
        await context.conclude("failed", f"not found at {spoken(new)}; it came up at {spoken(here)}")
        await arrived(context, here)
        raise ReadBackMismatch(
            f"{context.target.name} did not come up at {spoken(new)}; it came up at {spoken(here)}, where it is "
            "followed. Nothing more was written to it.",
            "A DHCP server may have given it that address: look at how it gets its address, then plan it again.",
            target=context.target.device,
            outcome="applied",
        )

    # Putting back: a write like any other

    async def _put_back(self, context: StepContext, old: Target, new: Target, here: Target) -> None:
        """It is not at its new place; let it not go there later. Always raises, with what is known then."""
        name = context.target.name
        undo = [change.reversed() for change in context.changes]
        said = f"{name} did not come up at {spoken(new)}; it answers at {spoken(here)}."
        try:
            left = await self._left_over(context, undo, here, old)
            if left:
                await self._undo(context, left, here, old)
        except NetloomError as error:
            await context.conclude("unknown", error.message)
            raise ReadBackMismatch(
                f"{said} Putting it back failed: {error.message}",
                "It may go to the new place at its next restart. Read it, then plan its address again.",
                target=context.target.device,
                outcome="unknown",
            ) from error
        sets = await context.read("running", "startup")
        kept = context.read_back([c.as_dict() for c in undo], sets["startup"]) if sets["startup"] else []
        if otherwise(kept):
            raise ReadBackMismatch(
                f"{said} It was told to stay there, but would still go to {spoken(new)} at its next restart.",
                "Read it, then plan its address again.",
                target=context.target.device,
                outcome="applied",
            )
        tells = bool(sets["startup"]) and not untold(kept)
        proven = "nothing is left of the change" if tells else "whether it stays there it cannot tell"
        raise ReadBackMismatch(
            f"{said} It was put back: {proven}.",
            "Try again, or look whether the device allows that address.",
            target=context.target.device,
            outcome="refused" if tells else "unknown",
        )

    async def _left_over(self, context: StepContext, undo: Sequence[Change], here: Target, old: Target) -> list[Change]:
        """What still has to be undone, by a fresh look."""
        if here.place != old.place:
            return list(undo)
        sets = await context.read("running", "startup")
        waits = sets["startup"] if context.step.params.get("by", "restart") == "restart" else sets["running"]
        return [change for change in undo if not waits or value_at(waits, change.path) != change.after]

    async def _undo(self, context: StepContext, undo: list[Change], here: Target, old: Target) -> None:
        await context.intend([change.as_dict() for change in undo], action="put back")
        talk = await context.talk()
        if context.step.params.get("by") == "command":
            await talk.readdress(undo)
            await talk.drop()
            back = (await find(context, [old], context.profile.away_seconds * LATE)).here
            if back is None:
                raise NoAnswer(f"{old.name} did not come back to {spoken(old)}.", target=old.device)
            await arrived(context, back)
        else:
            await talk.write(undo)
            if any(context.setting(change.path).kept == "when-stored" for change in undo):
                await talk.store()
        sets = await context.read("running", "startup")
        by_restart = context.step.params.get("by", "restart") == "restart"
        rows = [change.as_dict() for change in undo]
        told = context.read_back(rows, sets["startup"] if by_restart else sets["running"])
        await context.conclude(word_of(told), "put back", told)

    # After

    async def _confirm(self, context: StepContext) -> None:
        sets = await context.patiently(lambda: context.read("running", "startup"))
        shown = context.read_back([change.as_dict() for change in context.changes], sets["running"])
        context.step.evidence = {"changes": shown, "address": context.target.address}
        if not sets["running"]:
            context.unproven.append(NO_RUNNING)
            await context.conclude("unproven", NO_RUNNING, list(context.step.params.get("changes", [])))
            return
        if wrong := otherwise(shown):
            message = f"{context.called(wrong[0]['path'])} is {wrong[0]['read_back']!r} after the restart"
            await context.conclude("failed", message, shown)
            raise ReadBackMismatch(
                f"{context.called(wrong[0]['path'])} of {context.target.name} is {wrong[0]['read_back']!r} after its "
                f"restart, not {wrong[0]['to']!r}.",
                "Read its values and plan again.",
                target=context.target.device,
                outcome="applied",
            )
        context.doubt(shown)
        await context.conclude("unproven" if context.unproven else "done", "; ".join(context.unproven), shown)


class Readdress(Restart):
    """A change of the address or speed by which it is reached: `by` a restart, a command of its own, or a write."""

    action = "readdress"
