"""Write settings, and read back what works at once. `stage` writes what works only after a restart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

from netloom_core.documents.diff import differences
from netloom_core.documents.tree import Document
from netloom_core.errors import CodeWanted, NetloomError, ReadBackMismatch, StalePlan, WrongCredentials
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials
from netloom_core.model.work import StepState
from netloom_core.plan.proof import NO_RUNNING
from netloom_core.profiles.item import Item
from netloom_core.run.steps.base import (
    LATE_S,
    LOOK_AGAIN_S,
    StepContext,
    WritingStep,
    act_and_look,
    after_values,
    look_again,
    settled_by_looking,
    undone,
    value_at,
)
from netloom_core.run.steps.places import check_free, new_place
from netloom_core.run.steps.shown import NOT_TOLD, otherwise, untold

UNREADABLE = "a secret cannot be read back"
MOST_CONSEQUENCES = 50


def stale(context: StepContext, change: Change, now: Any, done: str = "Nothing was written.") -> StalePlan:
    """`now` is None where the device did not tell it."""
    what = f"{context.called(change.path)} of {context.target.name}"
    if now is None:
        why = context.unreadable.get(change.path, NOT_TOLD)
        return StalePlan(
            f"{what} could not be read ({why}); the plan was made when it was {change.before!r}. {done}",
            "Read it again, look at the values, and plan again.",
            target=context.target.device,
        )
    return StalePlan(
        f"{what} is {now!r} now; the plan was made when it was {change.before!r}. {done}",
        "Somebody changed it meanwhile. Look at the values and plan again.",
        target=context.target.device,
    )


class WriteSettings(WritingStep):
    """`change.before` is what running had when the plan was made; a third value stops the step."""

    action = "write"
    shows = "running"  # the set in which a written value is seen

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        return {**sets, self.shows: after_values(sets.get(self.shows, {}), step)}

    def back(self, step: StepState) -> list[Change]:
        return [] if step.params.get("panel") else undone(step)  # a panel that was locked meanwhile is given back

    async def settle(self, context: StepContext) -> None:
        await settled_by_looking(context, self.shows)

    async def run(self, context: StepContext) -> None:
        sets = await self._before(context)
        todo = self._still_to_do(context, sets)
        if todo:
            await self._may_be(context)
        else:
            context.step.message = "The device had these values already; read, not written."
            rows = [change.as_dict() for change in context.changes]
            context.step.evidence = {"changes": context.read_back(rows, sets[self.shows])}
            return
        await self._both_logins(context, todo)
        await context.intend([change.as_dict() for change in todo])
        before = sets["running"]
        many = f"{len(todo)} {'value' if len(todo) == 1 else 'values'}"
        sets, trouble = await act_and_look(
            context,
            lambda talk: talk.write(todo),
            silent=f"{context.target.name} fell silent while it was written to: nobody knows which of {many} it took.",
            hint="Look at its power and cable. When it answers again, read it: what is left is then planned anew.",
        )
        if not context.first:
            context.first.update(before)
        if trouble is None:
            sets = await self._once_it_works(context, todo, sets)
        self._consequences(context, before, sets["running"])
        await self._confirm(context, todo, sets, trouble)

    async def _once_it_works(
        self, context: StepContext, todo: Sequence[Change], sets: dict[str, Document]
    ) -> dict[str, Document]:
        """It said yes: a value that is told as before may be another one in a moment."""
        late = [change for change in todo if self._seen_now(context, change)]

        def waiting(now: Mapping[str, Document]) -> bool:
            return any(
                value_at(now[self._seen_now(context, change)], change.path) == change.before != change.after
                for change in late
                if now[self._seen_now(context, change)]
            )

        settles = max((context.setting(change.path).settles for change in late), default=0.0)
        return await look_again(context, sets, waiting, max(LATE_S, settles + LOOK_AGAIN_S))

    def _consequences(self, context: StepContext, before: Document, now: Document) -> None:
        """What else changed meanwhile, as devices do by themselves: told as such, and no change of ours."""
        if not before or not now:
            return
        mine = {change.path for change in context.changes}
        found = [
            one for one in differences(before, now) if one.path not in mine and one.path in context.profile.by_path
        ]
        context.consequences = [one.as_dict() for one in found[:MOST_CONSEQUENCES]]
        if found:
            named = ", ".join(f"{context.called(one.path)} from {one.before!r} to {one.after!r}" for one in found[:3])
            more = f" and {len(found) - 3} more" if len(found) > 3 else ""
            context.step.message = f"With that also changed {named}{more}; that was not written from here."

    async def _before(self, context: StepContext) -> dict[str, Document]:
        """What it has; nothing where it tells nothing before it has the new code that this gives it."""
        try:
            return await context.patiently(lambda: context.read("running", "startup"))
        except CodeWanted:
            if any(context.setting(change.path).role != "password" for change in context.changes):
                raise
            return {"running": {}, "startup": {}}

    async def _both_logins(self, context: StepContext, todo: Sequence[Change]) -> None:
        """Where a password is about to change, the new one counts as well as those before: until one of them is proven
        nobody knows which the device has."""
        old, new = context.target.credentials, []
        for change in todo:
            if context.setting(change.path).role == "password":
                login = await self._login(context, change)
                await context.records.expect_login(context.target.device, login.level, str(change.after))
                new.append(login)
        coming = tuple(login for login in new if login not in old)
        if coming:
            context.target = replace(context.target, credentials=(*old, *coming))

    async def _login(self, context: StepContext, change: Change) -> Credentials:
        """By what one gets in once this password is on the device."""
        ladder = context.profile.ladder
        level = ladder.named(context.setting(change.path).opens) or ""
        known = context.target.logins(level)
        user = known[0].user if known else (ladder.factory(level) or ("",))[0]
        if not level:
            user = (await context.talk()).user or user
        return Credentials(user, context.target.secrets.get(str(change.after), ""), level)

    def _still_to_do(self, context: StepContext, sets: dict[str, Document]) -> list[Change]:
        """Changes not yet on the device. Raises StalePlan where it has a third value."""
        todo = []
        for change in context.changes:
            secret = context.setting(change.path).secret
            now = value_at(sets["running"], change.path)
            if sets["running"] and not secret:
                if now == change.after and self._there(context, change, sets):
                    continue
                if now not in (change.before, change.after):
                    raise stale(context, change, now)
            todo.append(change)
        return todo

    async def _may_be(self, context: StepContext) -> None:
        """Raises where the changes must not be written as things are; nothing was written then."""

    def _there(self, context: StepContext, change: Change, sets: dict[str, Document]) -> bool:
        """Whether a value that runs needs no write: another one may wait for a store, and has to be written over."""
        return context.setting(change.path).takes != "on-store" or change.before != change.after

    def _seen_now(self, context: StepContext, change: Change) -> str:
        """The set that shows the value right after the write; empty where none does yet."""
        row = context.row(change.path)
        return row.works_by if context.setting(change.path).takes == "at-once" else ""

    async def _confirm(
        self,
        context: StepContext,
        todo: Sequence[Change],
        sets: dict[str, Document],
        trouble: NetloomError | None,
    ) -> None:
        shown: list[dict[str, Any]] = []
        blind: list[Change] = []
        for change in todo:
            which = self._seen_now(context, change)
            told = context.read_back([change.as_dict()], sets[which]) if which else [change.as_dict()]
            shown += told
            if not which or untold(told):
                blind.append(change)
        wrong = otherwise([row for row in shown if "read_back" in row])
        context.step.evidence = {"changes": shown}
        if context.consequences:
            context.step.evidence["consequences"] = context.consequences
        if wrong:
            raise await self._mismatch(context, shown, wrong, len(blind), trouble)
        if trouble is not None and blind and not await self._all_tried(context, blind):
            # It said no, or nothing, and no reading shows whether it took the rest all the same.
            await context.conclude("unknown", trouble.message, shown)
            trouble.outcome = "unknown"
            raise trouble
        secrets = [change for change in todo if context.setting(change.path).secret]
        await self._prove_secrets(context, secrets)
        context.doubt(shown)
        for change in todo:
            if change not in secrets and context.setting(change.path).takes == "at-once":
                row = context.row(change.path)
                if not row.works_by:
                    context.unproven.append(f"{context.called(change.path)}: {NO_RUNNING}")
        await context.conclude("unproven" if context.unproven else "done", "; ".join(context.unproven), shown)

    async def _all_tried(self, context: StepContext, blind: Sequence[Change]) -> bool:
        """Whether all that no reading shows are passwords, which are tried."""
        can = (await context.talk()).abilities.can
        return "sign in" in can and all(context.setting(change.path).role == "password" for change in blind)

    async def _mismatch(
        self,
        context: StepContext,
        shown: list[dict[str, Any]],
        wrong: list[dict[str, Any]],
        blind: int,
        trouble: NetloomError | None,
    ) -> ReadBackMismatch:
        taken = len(shown) - len(wrong) - blind
        first = wrong[0]
        message = (
            f"{context.called(first['path'])} of {context.target.name} is {first['read_back']!r}, not {first['to']!r}"
            f"{'' if len(wrong) == 1 else f', and {len(wrong) - 1} more differ'}; {taken} of {len(shown)} were taken"
            f"{f', {blind} it does not tell' if blind else ''}."
        )
        if trouble is not None:
            message = f"{trouble.message} {message}"
        await context.conclude("failed", message, shown)
        return ReadBackMismatch(
            message,
            "What it has now was read and is shown. Apply again, or take this run back.",
            target=context.target.device,
            outcome="refused" if taken == blind == 0 else "applied",
        )

    async def _prove_secrets(self, context: StepContext, secrets: Sequence[Change]) -> None:
        """A password is proven by signing in anew with it; any other secret cannot be proven."""
        for change in secrets:
            setting = context.setting(change.path)
            talk = await context.talk()
            if setting.role != "password" or "sign in" not in talk.abilities.can:
                context.unproven.append(f"{context.called(change.path)}: {UNREADABLE}")
                await context.records.save_secret(context.target.device, change.path, str(change.after), user=None)
                continue
            login = await self._login(context, change)
            if not await context.patiently(partial(talk.sign_in_as, login)):
                await self._refused_login(context, setting, login)
            others = [one for one in context.target.credentials if one.level != login.level]
            if any((one.user, one.password) == (login.user, login.password) for one in others):
                context.unproven.append(f"{context.called(change.path)}: another level has the same, and lets in, too")
            await context.records.save_secret(
                context.target.device, change.path, str(change.after), user=login.user, level=login.level
            )

    async def _refused_login(self, context: StepContext, setting: Item, login: Credentials) -> None:
        """Whether one of the logins before still lets us in decides what is known. Always raises."""
        talk, label, path = await context.talk(), setting.label.lower(), setting.path
        before = [one for one in context.target.logins(login.level) if one != login]
        for one in before:
            if await context.patiently(partial(talk.sign_in_as, one)):
                await context.records.expect_login(context.target.device, login.level, "")
                await context.conclude(
                    "failed", f"{context.called(path)}: it is refused, and the one before still lets in"
                )
                raise WrongCredentials(
                    f"{context.target.name} did not take the new {label}: the one before still lets in.",
                    "Look at what it allows, as length and signs; nothing is lost.",
                    target=context.target.device,
                    outcome="refused",
                )
        await context.conclude("unknown", f"{context.called(path)}: neither it nor the one before lets in")
        raise WrongCredentials(
            f"{context.target.name} lets nobody in, with the new {label} or with the one before.",
            "Both are kept. Wait, if it shuts out after refusals; then read it.",
            target=context.target.device,
            outcome="unknown",
        )


class StageSettings(WriteSettings):
    """Values that work after the next restart. What confirms them now is the startup set, where they are
    kept at once; else the store does."""

    action = "stage"
    shows = "startup"

    async def _may_be(self, context: StepContext) -> None:
        """From now on a power cut would bring it to its new place: that has to be free already."""
        new = new_place(context, context.target)
        if new.place != context.target.place:
            await check_free(context, new)

    def _there(self, context: StepContext, change: Change, sets: dict[str, Document]) -> bool:
        return not sets["startup"] or value_at(sets["startup"], change.path) == change.after

    def _seen_now(self, context: StepContext, change: Change) -> str:
        row = context.row(change.path)
        return "startup" if context.setting(change.path).kept == "always" and row.kept_by == "startup" else ""

    def _still_to_do(self, context: StepContext, sets: dict[str, Document]) -> list[Change]:
        """What waits already for the next restart is not written again; a third value that waits stops it."""
        for change, data in zip(context.changes, context.step.params["changes"], strict=True):
            if not sets["startup"]:
                break
            waits = value_at(sets["startup"], change.path)
            if waits not in (change.after, data.get("waits", change.before)):
                raise stale(context, change, waits)
        return super()._still_to_do(context, sets)
