"""The proof of a device's plan at its end: all that its steps claim, together, by one reading of both sets.

Each step has proven what it did alone. What they leave together is another matter: a restart sets back what was
written before it, a store comes before what it should have kept, one value changes another one late. What does not
hold turns *done* into what it is. One further write of the same values, and one further store, are tried where that is
all that lacks and the approved plan names it (`again` of its last step); then the word is what the last reading says.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from netloom_core.documents.diff import differences
from netloom_core.documents.tree import Document
from netloom_core.errors import NetloomError, ReadBackMismatch
from netloom_core.model.change import Change
from netloom_core.model.work import ACTING, DONE, FAILED, GOOD, SETTLED, UNKNOWN, UNPROVEN, JournalEntry, StepState
from netloom_core.plan.planner import kept_untold, would_be_kept
from netloom_core.run.steps.base import StepContext, act_and_look
from netloom_core.run.steps.shown import otherwise, read_back, untold

CLAIMING = frozenset({"write", "stage", "store", "restart", "readdress"})
MOST_TOLD = 50
AT_THE_END = "at the end of the plan"


class Claim(NamedTuple):
    """That `path` has that value in the set `which` at the end; `step` said so last."""

    which: str
    path: str
    value: Any
    step: StepState


@dataclass
class Closing:
    """`context` makes the context of a step with the device's place by now; `before` is what ran before the first
    write of this run, where this process saw it."""

    context: Callable[[StepState], StepContext]
    before: Document = field(default_factory=dict)

    async def close(self, steps: Sequence[StepState]) -> list[StepState]:
        """Hold the last reading against what the device's steps claim; gives those that are another word now."""
        mine = [step for step in steps if step.action in CLAIMING and step.state in GOOD]
        if not mine:
            return []
        context = self.context(mine[-1])
        others = {c["path"] for s in steps if s.state not in GOOD for c in s.params.get("changes", []) if _acted(s)}
        claims = [claim for claim in _claims(context, mine) if claim.path not in others]
        if not claims:
            return []
        well = all(step.state in GOOD for step in steps if step.state in SETTLED)
        await _settled(context, claims)
        try:
            sets = await self._read(context, patient=well)
            if well and sets is not None:
                sets = await self._again(context, mine, claims, sets)
        except NetloomError as error:
            return await _not_seen(context, mine[-1], error) if well else []
        if sets is None:
            return []
        told = self._told_by_the_way(context, mine, claims, sets)
        changed = await _judged(context, claims, sets)
        return [*changed, *(one for one in told if one not in changed)]

    async def broken(self, steps: Sequence[StepState], error: NetloomError) -> list[StepState]:
        """The proof itself could not be made."""
        mine = [step for step in steps if step.action in CLAIMING and step.state in GOOD]
        return await _not_seen(self.context(mine[-1]), mine[-1], error) if mine else []

    async def _read(self, context: StepContext, *, patient: bool) -> dict[str, Document] | None:
        """Both sets; None where another step went wrong already and the device does not tell them now."""
        try:
            if patient:
                return await context.patiently(lambda: context.read("running", "startup"))
            return await context.read("running", "startup")
        except NetloomError:
            if patient:
                raise
            return None

    async def _again(
        self, context: StepContext, mine: Sequence[StepState], claims: list[Claim], sets: dict[str, Document]
    ) -> dict[str, Document]:
        """What the approved plan names as possible, once, with what it already named; the sets after it."""
        may = {word for step in mine for word in step.params.get("again", [])}
        wrong = [(claim, row) for claim in claims if otherwise([row := _row(context, claim, sets)])]
        idle = [claim for claim, _ in wrong if claim.which == "running"]
        if idle and ("write" not in may or not all(_at_once(context, claim) for claim in idle)):
            return sets
        if idle:
            was = {claim.path: row["read_back"] for claim, row in wrong}
            sets = await self._write_again(context, idle, was)
            for claim in idle:
                claim.step.evidence = {**claim.step.evidence, "again": True}
                context.unproven.append(
                    f"{context.called(claim.path)} had gone by the end of the plan and was written once more; whether "
                    "it outlives the next restart is not known"
                )
            if any(otherwise([_row(context, claim, sets)]) for claim in idle):
                return sets
        loose = [c for c in claims if c.which == "startup" and otherwise([_row(context, c, sets)])]
        if loose and "store" in may and _only_known(context, claims, sets):
            sets = await self._store_again(context, loose)
        return sets

    async def _write_again(
        self, context: StepContext, idle: list[Claim], was: Mapping[str, Any]
    ) -> dict[str, Document]:
        word, changes = context.step.state, [Change(claim.path, was[claim.path], claim.value) for claim in idle]
        await context.intend([change.as_dict() for change in changes], action="write")
        sets, trouble = await act_and_look(context, lambda talk: talk.write(changes), **_silence(context))
        rows = context.read_back([change.as_dict() for change in changes], sets["running"])
        await context.conclude(_outcome(rows, trouble), _said(trouble), rows)
        context.step.state = word
        return sets

    async def _store_again(self, context: StepContext, loose: list[Claim]) -> dict[str, Document]:
        word, keeps = context.step.state, [{"path": claim.path, "to": claim.value} for claim in loose]
        await context.intend(keeps, action="store")
        sets, trouble = await act_and_look(context, lambda talk: talk.store(), **_silence(context))
        rows = context.read_back(keeps, sets["startup"])
        await context.conclude(_outcome(rows, trouble), _said(trouble), rows)
        context.step.state = word
        return sets

    def _told_by_the_way(
        self, context: StepContext, mine: list[StepState], claims: list[Claim], sets: dict[str, Document]
    ) -> list[StepState]:
        """What else is another value than before the first write, and was not told yet; the step that tells it."""
        now = sets["running"]
        if not self.before or not now:
            return []
        known = {claim.path for claim in claims}
        known |= {one["path"] for step in mine for one in step.evidence.get("consequences", [])}
        known |= {change["path"] for step in mine for change in step.params.get("changes", [])}
        found = [
            one
            for one in differences(self.before, now)
            if one.path not in known and one.path in context.profile.by_path
        ]
        if not found:
            return []
        step = next((one for one in reversed(mine) if one.action == "write"), mine[-1])
        told = [*step.evidence.get("consequences", []), *(one.as_dict() for one in found)]
        step.evidence = {**step.evidence, "consequences": told[:MOST_TOLD]}
        named = ", ".join(f"{context.called(one.path)} from {one.before!r} to {one.after!r}" for one in found[:3])
        more = f" and {len(found) - 3} more" if len(found) > 3 else ""
        said = f"By the end of the plan also changed {named}{more}; that was not written from here."
        step.message = f"{step.message} {said}".strip()
        return [step]


def _acted(step: StepState) -> bool:
    """Whether a step that went wrong speaks for its values itself: it may have put them back."""
    return step.action in ("restart", "readdress") and step.state in (FAILED, UNKNOWN)


def _claims(context: StepContext, mine: Sequence[StepState]) -> list[Claim]:
    """The last word of these steps on each value, in each set that can show it."""
    found: dict[tuple[str, str], Claim] = {}

    def claim(which: str, path: str, value: Any, step: StepState) -> None:
        found[which, path] = Claim(which, path, value, step)

    for step in mine:
        for change in step.params.get("changes", []):
            path, value = change["path"], change["to"]
            item = context.profile.by_path.get(path)
            if item is None or item.secret:
                continue
            row = context.row(path)
            works = step.action in ("restart", "readdress") or (step.action == "write" and item.takes == "at-once")
            if works and row.works_by:
                claim("running", path, value, step)
            if item.kept == "always" and row.kept_by == "startup":
                claim("startup", path, value, step)
        for keep in step.params.get("keeps", []):
            item = context.profile.by_path.get(keep["path"])
            if item is not None and not item.secret and context.row(item.path).kept_by == "startup":
                claim("startup", item.path, keep["to"], step)
        for work in step.params.get("works", []):
            if context.row(work["path"]).works_by == "running":
                claim("running", work["path"], work["to"], step)
        for path, value in step.params.get("ends_with", {}).items():
            if ("running", path) not in found and path in context.profile.by_path:
                claim("running", path, value, step)
    return list(found.values())


async def _settled(context: StepContext, claims: Sequence[Claim]) -> None:
    """The longest time that the profile gives these values to take effect."""
    seconds = max((context.setting(claim.path).settles for claim in claims), default=0.0)
    if seconds:
        await asyncio.sleep(seconds)


def _row(context: StepContext, claim: Claim, sets: Mapping[str, Document]) -> dict[str, Any]:
    """With its read-back; a set of which the device tells nothing at all shows nothing."""
    document = sets[claim.which]
    change = {"path": claim.path, "to": claim.value}
    if not document:
        return {**change, "read_back": None, "untold": f"it told nothing of its {claim.which} values"}
    return read_back([change], document, context.unreadable)[0]


def _at_once(context: StepContext, claim: Claim) -> bool:
    item = context.setting(claim.path)
    return item.takes == "at-once" and not item.role and claim.step.action == "write"


def _only_known(context: StepContext, claims: Sequence[Claim], sets: Mapping[str, Document]) -> bool:
    """Whether a store would keep nothing but what the plan claims, and what it had kept before."""
    known = {claim.path for claim in claims}
    more = [path for path in would_be_kept(context.profile, sets["running"], sets["startup"]) if path not in known]
    unseen = [path for path in kept_untold(context.profile, sets["running"], context.unreadable) if path not in known]
    return bool(sets["startup"]) and not more and not unseen


def _silence(context: StepContext) -> dict[str, str]:
    return {
        "silent": f"{context.target.name} fell silent {AT_THE_END}: nobody knows what it has now.",
        "hint": "When it answers again, read it: what is left is then planned anew.",
    }


def _outcome(rows: Sequence[dict[str, Any]], trouble: NetloomError | None) -> str:
    if otherwise(rows):
        return "failed"
    return "unknown" if untold(rows) and trouble is not None else "unproven" if untold(rows) else "done"


def _said(trouble: NetloomError | None) -> str:
    return trouble.message if trouble is not None else f"once more, {AT_THE_END}"


async def _not_seen(context: StepContext, last: StepState, error: NetloomError) -> list[StepState]:
    """Each step was proven alone; what they leave together nobody saw."""
    if context.open_intent is not None:
        await context.conclude("unknown", error.message)
    if last.state in (DONE, ACTING):
        last.state = UNPROVEN
        last.message = f"Not proven: it could not be read {AT_THE_END}: {error.message} {last.message}".strip()
    return [last]


async def _judged(context: StepContext, claims: Sequence[Claim], sets: Mapping[str, Document]) -> list[StepState]:
    """Turns each step of which a claim does not hold into what it is, with the value, and writes that down."""
    changed: list[StepState] = []
    by_step: dict[int, list[tuple[Claim, dict[str, Any]]]] = {}
    for claim in claims:
        by_step.setdefault(claim.step.ordinal, []).append((claim, _row(context, claim, sets)))
    for held in by_step.values():
        step = held[0][0].step
        wrong = [(claim, row) for claim, row in held if otherwise([row])]
        blind = [(claim, row) for claim, row in held if untold([row])]
        if wrong:
            _failed(context, step, wrong)
        elif blind and step.state == DONE:
            claim, row = blind[0]
            more = f", and {len(blind) - 1} more" if len(blind) > 1 else ""
            step.state = UNPROVEN
            step.message = (
                f"Not proven: {context.called(claim.path)}{more}, {AT_THE_END}: {row['untold']}. {step.message}"
            )
        elif step.evidence.get("again") and step.state == DONE:
            step.state = UNPROVEN
            step.message = "Not proven: " + "; ".join(dict.fromkeys(context.unproven)) + "."
        else:
            continue
        changed.append(step)
        if wrong:
            await _told(context, step, wrong)
    return changed


def _failed(context: StepContext, step: StepState, wrong: Sequence[tuple[Claim, dict[str, Any]]]) -> None:
    claim, row = wrong[0]
    more = f", and {len(wrong) - 1} more differ" if len(wrong) > 1 else ""
    called, name = context.called(claim.path), context.target.name
    if claim.which == "running":
        what = f"{called} of {name} is {row['read_back']!r} {AT_THE_END}, not {claim.value!r}{more}."
        hint = "Something that came after it took it back. Look at the values and plan again."
    else:
        what = f"{called} of {name} is {claim.value!r} and would be {row['read_back']!r} after a power cut{more}."
        hint = "Apply again, so that it is stored; if it stays, the device's memory may be worn out."
    error = ReadBackMismatch(what, hint, target=step.device, outcome="applied")
    step.state, step.code = FAILED, error.code
    step.message, step.hint = f"{what} {step.message}".strip(), hint
    rows = {row["path"]: row for claim, row in wrong if claim.which == "running"}
    told = [
        {**one, "read_back": rows[one["path"]]["read_back"]} if one["path"] in rows else one
        for one in step.evidence.get("changes") or [dict(change) for change in step.params.get("changes", [])]
    ]
    step.evidence = {**step.evidence, "changes": told, "end": [row for _, row in wrong][:MOST_TOLD]}


async def _told(context: StepContext, step: StepState, wrong: Sequence[tuple[Claim, dict[str, Any]]]) -> None:
    """On record: the outcome that the step had in the journal was of the step alone."""
    rows = tuple(
        {"path": claim.path, "from": None, "to": claim.value, "read_back": row["read_back"], "set": claim.which}
        for claim, row in wrong
    )
    await context.records.conclude(
        JournalEntry(
            "act", context.run, context.target.device, context.target.line.id, context.target.address, "prove",
            context.by, "", step.ordinal, "failed", step.message[:900], rows[:MOST_TOLD],
        )
    )  # fmt: skip
