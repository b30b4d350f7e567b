"""A procedure of the device: told, waited for, found again by identity wherever it comes up, and proven by its values.

What cannot be read back (a light that blinks) is asked of a person, whose answer is the evidence.
"""

from __future__ import annotations

import asyncio
from dataclasses import replace
from functools import partial
from typing import Any

from netloom_core.documents.diff import differences
from netloom_core.documents.tree import MISSING, Document, get, leaves
from netloom_core.errors import NetloomError, NoAnswer, NotDone, ReadBackMismatch
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Target
from netloom_core.model.work import ACTING, StepState
from netloom_core.plan.procedures import SETS_BACK, TO_LOOK_S, expected
from netloom_core.profiles.abilities import Ability
from netloom_core.run.steps.base import PAUSE_S, StepContext, WritingStep, value_at
from netloom_core.run.steps.by_hand import ask
from netloom_core.run.steps.places import (
    LATE,
    Looked,
    arrived,
    check_free,
    factory_places,
    find,
    find_anywhere,
    look_for,
    spoken,
    stands_in_the_way,
)
from netloom_core.run.steps.restart import GONE_S
from netloom_core.run.steps.shown import untold

LINGERS_S = 20.0  # how long one that still answers may only be about to go, at most
MOST_SHOWN = 200  # values that a step tells as changed


class Perform(WritingStep):
    """`procedure`, `told` (whether there are calls), `away` (s), `back`, `survives` are in the step's params.

    What was read before is kept with the step: after a crash it is never told again, only looked for and proven.
    """

    action = "perform"

    def sends_away(self, step: StepState) -> bool:
        return bool(step.params["told"] and step.params["away"])

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        return sets  # what comes of it, only the device shows

    def back(self, step: StepState) -> list[Change]:
        return []  # the backup before it brings the values back

    async def settle(self, context: StepContext) -> None:
        """It was told, or nobody knows: it is not told again."""
        if context.open_intent is None:
            return
        looked = await find(context, self._places(context), context.profile.away_seconds * LATE)
        if looked.here is not None:
            await arrived(context, looked.here)
        where = f"it answers at {spoken(looked.here)}" if looked.here else "it answers at no place known"
        await context.conclude("unknown", f"{context.cut}; {where}.{looked.why}")

    async def run(self, context: StepContext) -> None:
        params, step = context.step.params, context.step
        told = "before" in step.evidence  # by an earlier life of this run
        if not told:
            await self._begin(context)
        if params["back"] == "person" and not params["away"]:
            await self._ask(context)
            return
        here, went = await self._come_back(context, just_told=not told)
        await arrived(context, here)
        await self._confirm(context, went)

    # Before, and the call

    async def _begin(self, context: StepContext) -> None:
        params = context.step.params
        if not params["told"]:
            # People did it at the device, which may be anywhere by now; what it had was read for the backup.
            known = (await context.sessions.of(context.target)).known.documents
            context.step.evidence = {"before": {which: document for which, (document, _) in known.items()}}
            await context.intend([], action=params["procedure"])
            return
        sets = await context.patiently(lambda: context.read("running", "startup"))
        context.step.evidence = {"before": sets}
        for place in self._places(context)[1:]:
            if params["procedure"] == "restart":  # what waits for it is a change of place: that has to be free
                await check_free(context, place)
        await context.intend([], action=params["procedure"])
        talk = await context.talk()
        try:
            await talk.procedure(params["procedure"])
        except NetloomError as error:
            if error.outcome == "not_sent" or (error.outcome == "refused" and not params["away"]):
                await context.conclude("failed", error.message)
                raise
            # Whatever came back, the bytes have left: how it is now decides, not its words.
            context.step.evidence = {**context.step.evidence, "said": error.message}
        finally:
            if params["away"]:
                await talk.drop()

    async def _ask(self, context: StepContext) -> None:
        words = f"{context.step.params['label']}: is {context.target.name} the one that shows it?"
        answer, _ = await ask(context, words, TO_LOOK_S, "person")
        if answer is None:
            context.unproven.append("nobody said whether it was seen")
            await context.conclude("unproven", "nobody said whether it was seen")
            return
        context.step.evidence = {"by": answer.by, "came": answer.came, "note": answer.note}
        await context.conclude("done" if answer.came else "failed", answer.words())
        if not answer.came:
            raise NotDone(
                f"{answer.words()}: {context.target.name} took the call, and nothing of it is seen.",
                "Is it the one that you stand before? Look at its address and serial number.",
                target=context.target.device,
                outcome="applied",
            )
        context.step.message = f"{answer.words()}."

    # Waiting

    def _places(self, context: StepContext) -> list[Target]:
        """Where it is, and where it may come up: at its factory's address, or at one that waits for its restart."""
        params, here = context.step.params, context.target
        if params["procedure"] in SETS_BACK:
            moves = "address" not in params["survives"]
            return [here, *(factory_places(context) if moves else [])]
        kept = context.step.evidence.get("before", {}).get("startup", {})
        address, speed = (
            value_at(kept, item.path) if kept and item is not None else None
            for item in (context.profile.with_role("address"), context.profile.with_role("speed"))
        )
        there = here.at(str(address or here.address), int(speed or here.speed))
        return [here] if there.place == here.place else [here, there]

    async def _come_back(self, context: StepContext, *, just_told: bool) -> tuple[Target, bool]:
        """Where it is again, and whether it was seen to go."""
        params = context.step.params
        if params["procedure"] in SETS_BACK and "password" not in params["survives"]:
            _with_factory_login(context)
        loop = asyncio.get_running_loop()
        begun, old = loop.time(), context.target
        lingers = min(max(float(params["away"]), GONE_S * 2), LINGERS_S)
        usual, late = (max(float(params["away"]) * times, lingers) + GONE_S for times in (1, LATE))
        context.step.state = ACTING
        context.step.evidence = {
            **context.step.evidence,
            "waits": {"since": context.clock.now(), "usual": float(params["away"])},
        }
        await context.records.save_step(context.run, context.step)
        went = searched = False
        while True:
            looked = await look_for(context, self._places(context))
            here, went = looked.here, went or looked.gone
            stayed = not just_told or not params["told"] or not params["away"] or loop.time() > begun + lingers
            if here is not None and (went or here.place != old.place or stayed):
                return here, went or here.place != old.place
            over = looked.over(begun + late)
            if over or (not searched and loop.time() > begun + usual):
                searched = True
                if (elsewhere := (await find_anywhere(context)).here) is not None:
                    return elsewhere, True
            if over:
                break
            await asyncio.sleep(PAUSE_S)
        await self._lost(context, looked, loop.time() - begun)
        raise AssertionError("the line above raises")

    async def _lost(self, context: StepContext, looked: Looked, waited: float) -> None:
        params, name = context.step.params, context.target.name
        places = " nor at ".join(dict.fromkeys(spoken(place) for place in self._places(context)))
        await context.conclude("unknown", "it did not come back")
        other = await stands_in_the_way(context) if params["comes_up_at"] else ""
        raise NoAnswer(
            f"{name} did not come back within {waited:.0f} s, and usually does in {float(params['away']):g} s: it "
            f"answers not at {places}.{looked.why}{other}",
            " ".join(["Look at it.", *params["look_at"], "Sweep its line: it keeps its record wherever it is found."]),
            target=context.target.device,
        )

    # After

    async def _confirm(self, context: StepContext, went: bool) -> None:
        """By whole documents: what it has to be is held against, all else that changed is told, and that nothing shows
        whether it happened is no proof that it did."""
        params, step = context.step.params, context.step
        name, before = params["procedure"], step.evidence.get("before", {})
        sets = await context.patiently(lambda: context.read("running", "startup"))
        running, was = sets["running"], before.get("running", {})
        wanted = expected(context.profile, name, params["survives"], before)
        readable = [path for path in wanted if get(running, path) is not MISSING]
        wrong = [path for path in readable if value_at(running, path) != wanted[path]]
        changed = _changed(context, was, running, wanted)
        step.evidence = {
            "changes": changed,
            "address": context.target.address,
            **({"said": step.evidence["said"]} if "said" in step.evidence else {}),
        }
        if name in SETS_BACK and "password" not in params["survives"]:
            await self._login_of_now(context)
        if wrong and (name in SETS_BACK or went):
            await self._mismatch(context, wrong, wanted, running, was)
        # Of one into which nobody got before, that all fits is what can be seen.
        self._not_shown(context, readable, wanted, went, seen=bool(changed) or not was)
        moved = f" It answers at {spoken(context.target)}." if params["away"] else ""
        step.message = f"{_said(was, running, changed)}{moved}".strip()
        await context.conclude("unproven" if context.unproven else "done", "; ".join(context.unproven))

    def _not_shown(
        self, context: StepContext, readable: list[str], wanted: dict[str, Any], went: bool, *, seen: bool
    ) -> None:
        """What keeps it from being called done. `seen` is whether any value is another one than before."""
        params = context.step.params
        sets_back = params["procedure"] in SETS_BACK
        if not readable:
            context.unproven.append("nothing that can be read shows it")
        elif sets_back and not seen:
            context.unproven.append("nothing shows that it happened: it has the values that it had before")
        if params["away"] and params["told"] and not went and not (sets_back and seen):
            context.unproven.append("it was never seen to go")
        unread = [path for path in wanted if path not in readable and path in context.unreadable]
        if unread and readable:
            first = f"{context.called(unread[0])}: {context.unreadable[unread[0]]}"
            more = f"; and {len(unread) - 1} more could not be read" if len(unread) > 1 else ""
            context.unproven.append(f"{first}{more}")

    async def _login_of_now(self, context: StepContext) -> None:
        """What let in before is forgotten where it does not any more and the factory's does: both are tried."""
        factory = Credentials(context.profile.factory.user, context.profile.factory.password)
        talk = await context.talk()
        own = [login for login in context.target.logins() if login != factory]
        if not own or not factory.password or Ability.SIGN_IN not in talk.abilities:
            return
        try:
            for login in own:
                if await context.patiently(partial(talk.sign_in_as, login)):
                    return
            if await context.patiently(partial(talk.sign_in_as, factory)):
                await context.records.forget_login(context.target.device)
                context.target = replace(context.target, credentials=(factory,))
        except NetloomError as error:
            context.unproven.append(f"with which login one gets in now: {error.message}")

    async def _mismatch(
        self, context: StepContext, wrong: list[str], wanted: dict[str, Any], running: Document, was: Document
    ) -> None:
        label, first = context.step.params["label"].lower(), wrong[0]
        more = f", and {len(wrong) - 1} more" if len(wrong) > 1 else ""
        same = bool(was) and was == running
        if same:
            message = f"{context.target.name} has all that it had before: the {label} did not happen."
        else:
            message = (
                f"After the {label} {context.target.name} has {value_at(running, first)!r} at {first}, "
                f"not {wanted[first]!r}{more}."
            )
        await context.conclude("failed", message)
        raise ReadBackMismatch(
            message,
            "Read it, and look at what it has now. The backup made before brings back what it had.",
            target=context.target.device,
            outcome="refused" if same else "applied",
        )


def _with_factory_login(context: StepContext) -> None:
    """What one gets in with now is its factory's, where it has one; who it is, is proven all the same."""
    factory, known = context.profile.factory, context.target.credentials
    login = Credentials(factory.user, factory.password)
    if factory.password and login not in known:
        context.target = replace(context.target, credentials=(*known, login))


def _said(was: Document, running: Document, changed: list[dict[str, Any]]) -> str:
    """How many values are others than before, of all that were told then and now."""
    if not was or not running:
        return ""
    gone = len(untold(changed))
    count, both = len(changed) - gone, sum(1 for path, _ in leaves(was) if get(running, path) is not MISSING)
    others = {0: f"All {both} values that it tells are as before.", 1: "One value is another than before."}
    told = others.get(count, f"{count} values are others than before.")
    if not gone:
        return told
    return f"{told} {gone} {'is' if gone == 1 else 'are'} not told any more."


def _changed(context: StepContext, was: Document, now: Document, wanted: dict[str, Any]) -> list[dict[str, Any]]:
    """What is another value than before, or not told any more, in all of what it tells, as the steps that write tell
    it: of what nothing is known that it has to be, what it is."""
    if not was or not now:
        return []
    secret = {path for path, item in context.profile.by_path.items() if item.secret}
    found = [one for one in differences(was, now) if one.path not in secret]
    rows = [{"path": one.path, "from": one.before, "to": wanted.get(one.path, one.after)} for one in found]
    rows = [row if row["to"] is not None else {**row, "to": row["from"]} for row in rows]
    return context.read_back(rows[:MOST_SHOWN], now)
