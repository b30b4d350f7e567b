"""Store: make values the ones after a power cut, and prove it by the values that were to be kept."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from netloom_core.documents.tree import Document
from netloom_core.errors import NetloomError, ReadBackMismatch, StalePlan
from netloom_core.model.change import Change
from netloom_core.model.work import StepState
from netloom_core.plan.planner import kept_untold, waits_for_restart, would_be_kept
from netloom_core.plan.proof import NO_STARTUP
from netloom_core.run.steps.base import StepContext, WritingStep, act_and_look, look_again, settled_by_looking
from netloom_core.run.steps.shown import otherwise, untold, word_of


class StoreSettings(WritingStep):
    """`keeps` are the values that were shown to be kept: `{path, to}`, those of the run and those that were loose."""

    action = "store"

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        return {**sets, "startup": sets.get("running", {})} if "startup" in sets else sets

    def back(self, step: StepState) -> list[Change]:
        return []  # what it kept is taken back by the writes before it, and stored again

    async def settle(self, context: StepContext) -> None:
        await settled_by_looking(context, "startup")

    async def run(self, context: StepContext) -> None:
        keeps: list[dict[str, Any]] = context.step.params.get("keeps", [])
        sets = await context.patiently(lambda: context.read("running", "startup"))
        if sets["startup"] and self._kept_already(context, keeps, sets):
            self._only_shown(context, keeps, sets)
            context.step.message = "All values were kept already; read, not stored."
            context.step.evidence = {"keeps": context.read_back(keeps, sets["startup"])}
            return
        self._still_there(context, keeps, sets["running"])
        self._only_shown(context, keeps, sets)
        await context.intend(keeps)
        sets, trouble = await act_and_look(
            context,
            lambda talk: talk.store(),
            silent=f"{context.target.name} fell silent while it stored: nobody knows whether its values are kept.",
            hint="When it answers again, read it: what is not kept is then planned anew.",
        )
        if trouble is None:

            def waiting(now: Mapping[str, Document]) -> bool:
                kept = self._kept(context, keeps, now["startup"]) if now["startup"] else []
                return bool(otherwise([*self._works(context, now), *kept]))

            sets = await look_again(context, sets, waiting)
        await self._confirm(context, keeps, sets, trouble)

    def _still_there(self, context: StepContext, keeps: list[dict[str, Any]], running: Document) -> None:
        """Storing keeps what runs: where that is not what was shown any more, it is not stored."""
        if not running:
            return
        at_once = [
            keep
            for keep in keeps
            if not waits_for_restart(context.profile, keep["path"])
            and context.setting(keep["path"]).takes == "at-once"
            and not context.setting(keep["path"]).secret
        ]
        gone = otherwise(context.read_back(at_once, running))
        if gone:
            raise StalePlan(
                f"{context.called(gone[0]['path'])} of {context.target.name} is {gone[0]['read_back']!r} now, not "
                f"{gone[0]['to']!r} as "
                f"was to be kept{'' if len(gone) == 1 else f', and {len(gone) - 1} more are lost'}. Nothing was "
                "stored.",
                "It lost power, or somebody changed it, before it was stored. Apply again.",
                target=context.target.device,
            )

    def _only_shown(self, context: StepContext, keeps: list[dict[str, Any]], sets: dict[str, Document]) -> None:
        params = context.step.params
        shown = {keep["path"] for keep in keeps} | set(params.get("unseen", []))
        unseen = [p for p in kept_untold(context.profile, sets["running"], context.unreadable) if p not in shown]
        if not params.get("all", not sets["startup"]) and (unseen or not sets["startup"]):
            what = context.called(unseen[0]) if unseen else "What it keeps"
            raise StalePlan(
                f"{what} of {context.target.name} cannot be read any more: a store would keep what the plan did not "
                "show. Nothing was stored.",
                "Read it again, and plan again.",
                target=context.target.device,
            )
        more = [p for p in would_be_kept(context.profile, sets["running"], sets["startup"]) if p not in shown]
        if more:
            by_itself = {one["path"] for step in context.earlier for one in step.evidence.get("consequences", [])}
            why = "It changed while this run wrote" if more[0] in by_itself else "Somebody changed it meanwhile"
            raise StalePlan(
                f"{context.target.name} would also keep {context.called(more[0])}"
                f"{'' if len(more) == 1 else f' and {len(more) - 1} more'}, which the plan did not show. "
                "Nothing was stored.",
                f"{why}. Look at the values and plan again: what it keeps is shown then.",
                target=context.target.device,
            )

    def _kept(self, context: StepContext, keeps: list[dict[str, Any]], startup: Document) -> list[dict[str, Any]]:
        """What its startup shows of those that a reading of it proves."""
        seen = [keep for keep in keeps if context.row(keep["path"]).kept_by in ("startup", "restart")]
        return context.read_back(seen, startup)

    def _kept_already(self, context: StepContext, keeps: list[dict[str, Any]], sets: dict[str, Document]) -> bool:
        """Only where a reading shows it of each value; what cannot be seen is stored."""
        seen = all(context.row(keep["path"]).kept_by for keep in keeps)
        seen = seen and all(context.row(work["path"]).works_by for work in context.step.params.get("works", []))
        return seen and word_of([*self._kept(context, keeps, sets["startup"]), *self._works(context, sets)]) == "done"

    def _works(self, context: StepContext, sets: Mapping[str, Document]) -> list[dict[str, Any]]:
        """What its running set shows of those that are to work from now on."""
        works = [
            change
            for change in context.step.params.get("works", [])
            if context.row(change["path"]).works_by == "running" and sets["running"]
        ]
        return context.read_back(works, sets["running"])

    async def _confirm(
        self,
        context: StepContext,
        keeps: list[dict[str, Any]],
        sets: dict[str, Document],
        trouble: NetloomError | None,
    ) -> None:
        shown = context.read_back(keeps, sets["startup"]) if sets["startup"] else list(keeps)
        context.step.evidence = {"keeps": shown}
        works = self._works(context, sets)
        kept = self._kept(context, keeps, sets["startup"]) if sets["startup"] else []
        idle, loose = otherwise(works), otherwise(kept)
        if idle or loose:
            first = (idle or loose)[0]
            what = "would still go at a power cut" if not idle else f"is {first['read_back']!r} all the same"
            said = f"{trouble.message} " if trouble else ""
            await context.conclude("failed", f"{said}{len(idle) + len(loose)} values are not as they should be", shown)
            raise ReadBackMismatch(
                f"{said}{context.target.name} was told to store, but {context.called(first['path'])} {what}.",
                "Store again; if it stays, the device's memory may be worn out.",
                target=context.target.device,
                outcome="refused" if trouble else "applied",
            )
        if trouble is not None and (not sets["startup"] or untold(kept)):
            await context.conclude("unknown", trouble.message, shown)
            trouble.outcome = "unknown"
            raise trouble
        for keep in keeps:
            row = context.row(keep["path"])
            if row.kept_by == "" or (row.kept_by == "startup" and not sets["startup"]):
                context.unproven.append(f"{context.called(keep['path'])}: {row.why or NO_STARTUP}")
            elif keep in context.step.params.get("works", []) and not row.works_by:
                context.unproven.append(f"{context.called(keep['path'])}: {row.why}")
        context.doubt([*works, *kept])
        if not keeps and not sets["startup"]:
            context.unproven.append(NO_STARTUP)
        await context.conclude("unproven" if context.unproven else "done", "; ".join(context.unproven[:3]), shown)
