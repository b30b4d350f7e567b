"""Carrying out a run: every device's steps in order, devices side by side, a supervisor for each.

A failed device does not stop the others, and neither does an error that nobody foresaw: that is
a settled step of that one device, with an outcome in the journal. A run that was cut off is
carried out again from its records: done steps stay done; a step that was under way is settled by
looking at the device, and then only what is missing is written.
"""

from __future__ import annotations

import asyncio
import logging
from collections import defaultdict, deque
from collections.abc import Callable, Hashable, Iterable, Mapping
from contextlib import AbstractAsyncContextManager, nullcontext
from typing import Protocol

from netloom_core.clock import Clock
from netloom_core.documents.tree import Document
from netloom_core.errors import FENCED_HINT, Busy, Fenced, Locked, NetloomError, NoAnswer, OwnFault, StalePlan
from netloom_core.library.load import Library
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Target
from netloom_core.model.fence import why_fenced
from netloom_core.model.lock import FREE_IT
from netloom_core.model.work import (
    ACTING,
    CANCELLED,
    DONE,
    FAILED,
    GOOD,
    SETTLED,
    SKIPPED,
    UNKNOWN,
    UNPROVEN,
    JournalEntry,
    RunState,
    StepState,
)
from netloom_core.profiles.locked import why_locked
from netloom_core.run.answers import Answers
from netloom_core.run.closing import Closing
from netloom_core.run.insist import insist, own_fault
from netloom_core.run.steps.base import Records, Search, StepContext, nowhere
from netloom_core.run.steps.registry import STEPS
from netloom_core.together import together

log = logging.getLogger("netloom.run")
DEVICES_AT_ONCE = 24
TARGETS_AT_ONCE = 200
LOOK_S = 0.1  # between looks whether another device has left


class RunRecords(Records, Protocol):
    """What carrying out needs of the records besides what steps write."""

    async def targets(self, devices: Iterable[str]) -> Mapping[str, Target | NetloomError]: ...

    @property
    def held(self) -> Callable[[str, str, str], str]:
        """Why somebody (the third) may not drive a point (by short name) of a device now; empty where they may."""
        ...

    async def open_intents(self, run: str) -> Mapping[int, JournalEntry]:
        """By the step's ordinal: intents of the run that have no outcome yet."""
        ...


class Supervisor:
    def __init__(
        self,
        library: Library,
        sessions: Sessions,
        records: RunRecords,
        clock: Clock,
        answers: Answers,
        search: Search = nowhere,
    ) -> None:
        self._library = library
        self._sessions = sessions
        self._records = records
        self._clock = clock
        self._answers = answers
        self._search = search

    async def carry_out(self, run: RunState) -> RunState:
        """Bring every step to a settled state, and the run to its word."""
        by_device: dict[str, list[StepState]] = defaultdict(list)
        for step in run.steps:
            by_device[step.device].append(step)
        left = [device for device, steps in by_device.items() if any(step.state not in SETTLED for step in steps)]
        targets = _Targets(self._records, left)
        intents = await self._records.open_intents(run.id)
        found: dict[str, Target | NetloomError | None] = {}

        async def lane(device: str) -> Hashable | None:
            found[device] = await targets.of(device)
            return None if by_hand else await self._sessions.lane(found[device])

        async def one(device: str) -> None:
            work = _Device(self._library, self._sessions, self._records, self._clock, self._answers, run, self._search)
            await work.carry_out(by_device[device], found.pop(device), intents)

        # No group that cancels the others when one breaks: theirs may be in the middle of a write.
        by_hand = any(step.action in STEPS and STEPS[step.action].by_hand for step in run.steps)
        await together(left, one, 1 if by_hand else DEVICES_AT_ONCE, lane)  # a person is at one device at a time
        states = {step.state for step in run.steps}
        if SKIPPED in states and await self._records.cancelled(run.id):
            run.state = CANCELLED
        else:
            run.state = "failed" if states & {FAILED, UNKNOWN} else "done"
        return run


class _Targets:
    """Where devices are, asked for some at a time: thousands at once would hold everybody up when a run begins."""

    def __init__(self, records: RunRecords, devices: list[str]) -> None:
        self._records = records
        self._left = deque(devices)
        self._found: dict[str, Target | NetloomError] = {}
        self._turn = asyncio.Lock()

    async def of(self, device: str) -> Target | NetloomError | None:
        """Each device is asked for once, in about the order given."""
        async with self._turn:
            while device not in self._found and self._left:
                some = [self._left.popleft() for _ in range(min(TARGETS_AT_ONCE, len(self._left)))]

                async def load(some: list[str] = some) -> None:
                    self._found |= await self._records.targets(some)

                await insist(load, "where devices are")
        return self._found.pop(device, None)


class _Device:
    """One device's steps. Nothing but being cancelled gets out of it."""

    def __init__(
        self,
        library: Library,
        sessions: Sessions,
        records: RunRecords,
        clock: Clock,
        answers: Answers,
        run: RunState,
        search: Search,
    ) -> None:
        self._library = library
        self._sessions = sessions
        self._records = records
        self._clock = clock
        self._answers = answers
        self._run = run
        self._search = search
        self._first: Document = {}
        self._steps: list[StepState] = []

    async def carry_out(
        self, steps: list[StepState], target: Target | NetloomError | None, intents: Mapping[int, JournalEntry]
    ) -> None:
        stopped = ""
        self._steps = steps
        for step in steps:
            if step.state in SETTLED:
                if step.state in (FAILED, UNKNOWN):
                    stopped = "An earlier step on this device did not succeed."
                continue
            if stopped and step.params.get("always") and steps[0].state != SKIPPED:
                target = await self._step(step, target, intents.get(step.ordinal))
                await self._close_plan(steps, step, target)
                await self._kept(step)
                continue
            if not stopped and step.ordinal not in intents:
                stopped = await self._others_first(step)
            async with self._alone(step, target, stopped):
                if not stopped and step.ordinal not in intents and await self._records.cancelled(self._run.id):
                    stopped = "The run was stopped before this step; nothing of it was done."
                if stopped:
                    step.state, step.message = SKIPPED, stopped
                else:
                    target = await self._step(step, target, intents.get(step.ordinal))
                await self._close_plan(steps, step, target)
            await self._kept(step)
            if step.state in (FAILED, UNKNOWN):
                stopped = "An earlier step on this device did not succeed; this one was not begun."

    async def _close_plan(self, steps: list[StepState], step: StepState, target: Target | NetloomError | None) -> None:
        """With its last step settled, and before that is on record, the plan is proven as a whole: after a crash in
        between that step is looked at once more, and the proof made then."""
        if step is not steps[-1] or not isinstance(target, Target) or step.state not in SETTLED:
            return
        closing = Closing(lambda of: self._context(of, target, None), self._first)
        try:
            changed = await closing.close(steps)
        except NetloomError as error:
            log.warning("the end of run %s on %s: %s", self._run.id, step.device, error.message)
            changed = await closing.broken(steps, error)
        except Exception as error:
            log.exception("the proof at the end of run %s on %s broke", self._run.id, step.device)
            changed = await closing.broken(steps, own_fault(error))
        for one in changed:
            if one is not step:
                await self._kept(one)

    def _alone(
        self, step: StepState, target: Target | NetloomError | None, stopped: str
    ) -> AbstractAsyncContextManager[None]:
        """On a line that many share one is away at a time; what waited for that may be stopped meanwhile."""
        kind = STEPS.get(step.action)
        if stopped or kind is None or not isinstance(target, Target) or not kind.sends_away(step):
            return nullcontext()
        return self._sessions.away(target)

    async def _kept(self, step: StepState) -> None:
        """On record; and at once, so that it lies over no later reading, why nobody knows what it has now."""
        await insist(lambda: self._records.save_step(self._run.id, step), f"a step of run {self._run.id}")
        kind = STEPS.get(step.action)
        unread = step.state == FAILED and kind is not None and not kind.writes
        if step.state == UNKNOWN or step.code == NoAnswer.code or (unread and step.message):
            await insist(lambda: self._records.save_trouble(step.device, step.message), f"what run {self._run.id} left")

    async def _others_first(self, step: StepState) -> str:
        """Until the steps of others that it waits for are settled; why it is not to be begun, where one went wrong."""
        for ordinal in step.params.get("after", []):
            other = self._run.steps[ordinal]
            while other.state not in SETTLED:  # noqa: ASYNC110 - it is settled by its own worker, or an earlier life
                await asyncio.sleep(LOOK_S)
            if other.state not in GOOD:
                return "The one whose place it was to take did not leave it; this was not begun."
        return ""

    async def _step(
        self, step: StepState, target: Target | NetloomError | None, intent: JournalEntry | None
    ) -> Target | NetloomError | None:
        """Carry one out; its state is settled afterwards. Gives where the device is by then."""
        context: StepContext | None = None
        try:
            context = self._context(step, target, intent)
            kind = STEPS[step.action]
            if context.open_intent is not None:
                await kind.settle(context)
            if step.state == ACTING and await self._records.cancelled(self._run.id):
                step.state = SKIPPED
                step.message = "The run was stopped; what came of this step before is in the journal."
                return context.target
            if kind.writes and (fence := why_fenced(await self._records.fences(step.device), None)):
                raise Fenced(fence, FENCED_HINT, target=step.device)
            if kind.writes:
                await self._may_change(step, context)
            await kind.run(context)
            step.state = UNPROVEN if context.unproven else DONE
            if context.unproven:
                step.message = "Not proven: " + "; ".join(dict.fromkeys(context.unproven)) + "."
        except NetloomError as error:
            self._failed(step, error, context)
        except Exception as error:
            log.exception("step %s of run %s on %s broke", step.action, self._run.id, step.device)
            self._failed(step, own_fault(error), context)
        if context is not None and context.open_intent is not None:
            await self._close(context, step)
        return context.target if context is not None else target

    async def _may_change(self, step: StepState, context: StepContext) -> None:
        """Raises Locked where one of its values is locked, and StalePlan where its profile does not know one now."""
        changes = context.changes if "changes" in step.params else []
        for path in [*(change.path for change in changes), *(keep["path"] for keep in step.params.get("keeps", []))]:
            if path not in context.profile.by_path:
                raise StalePlan(
                    f"A {context.profile.model}, which {context.target.name} is now on record, has no {path}: the plan "
                    "was made for something else. This step was not begun.",
                    "Plan again.",
                    target=step.device,
                )
        locks = await self._records.locks(step.device) if changes else []
        for change in changes:
            item = context.setting(change.path)
            if item.drive and (why := self._records.held(step.device, item.id, self._run.by)):
                raise Busy(f"{why} This step was not begun.", "Wait until it is let go, then plan again.")
            state = context.setting(change.path).state_of(change.after) if locks else ""
            if locks and (why := why_locked(context.profile, locks, change.path, state)):
                raise Locked(why, FREE_IT, target=step.device)

    def _context(
        self, step: StepState, target: Target | NetloomError | None, intent: JournalEntry | None
    ) -> StepContext:
        if isinstance(target, NetloomError):
            raise target
        if target is None:
            raise NetloomError(
                "The device's record was removed meanwhile.", "Nothing was written to it.", target=step.device
            )
        return StepContext(
            run=self._run.id,
            by=self._run.by,
            step=step,
            target=target,
            profile=self._library.need(target.profile),
            sessions=self._sessions,
            records=self._records,
            clock=self._clock,
            answers=self._answers,
            library=self._library,
            open_intent=intent,
            search=self._search,
            first=self._first,
            earlier=self._steps[: self._steps.index(step)],
        )

    def _failed(self, step: StepState, error: NetloomError, context: StepContext | None) -> None:
        """Where nothing was said to it on record, nothing was done, whatever the error leaves open."""
        said = context is not None and (context.open_intent is not None or bool(context.outcome))
        open_end = error.outcome == "unknown" and step.action in STEPS and STEPS[step.action].writes
        step.state = UNKNOWN if open_end and said else FAILED
        step.code, step.message, step.hint = error.code, error.message, error.hint
        if open_end and not said and error.code != OwnFault.code:
            step.message += " Nothing of this step was sent."

    async def _close(self, context: StepContext, step: StepState) -> None:
        """An intent was left without an outcome: look at the device once, else say that nobody knows."""
        context.cut = "It broke off"
        try:
            await STEPS[step.action].settle(context)
            if context.outcome == "unknown":
                step.state = UNKNOWN
        except NetloomError as error:
            step.state = UNKNOWN
            log.warning("what came of %s on %s is not known: %s", step.action, step.device, error.message)
        except Exception:
            step.state = UNKNOWN
            log.exception("looking at %s after step %s broke, too", step.device, step.action)
        if context.open_intent is not None:
            step.state = UNKNOWN
            await insist(lambda: context.conclude("unknown", step.message), f"an outcome of run {self._run.id}")
