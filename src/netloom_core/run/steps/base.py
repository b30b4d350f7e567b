"""What a step is given, and what every kind of step shares.

A step can say what it would do, do it (check, act, confirm), settle after a crash, and say what
would take it back. It journals what it is about to write before it acts, and what it read
afterwards; every intent gets an outcome, if only that nobody knows.
"""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Awaitable, Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Protocol, TypeVar

from netloom_core.bus.turns import Priority
from netloom_core.clock import Clock
from netloom_core.documents.tree import ALL_READ, MISSING, Document, get, merged
from netloom_core.errors import CodeWanted, LinkError, NetloomError, NoAnswer, OutOfStep, ProtocolError, Unproven
from netloom_core.library.load import Library
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.change import Change
from netloom_core.model.device import Identity, Target
from netloom_core.model.image import Image
from netloom_core.model.lock import Lock
from netloom_core.model.work import ACTING, JournalEntry, StepState
from netloom_core.plan.proof import Row, row_for
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.run.answers import Answers
from netloom_core.run.steps.shown import read_back, untold, word_of

Result = TypeVar("Result")
PATIENCE_S = 6.0  # how long a silent device is asked again before a step gives up
UNCLEAR_S = 15.0  # more, at most, for one that answers: until it is known to what, and who says that
PAUSE_S = 0.25
LATE_S, LOOK_AGAIN_S = 4.0, 0.5  # how long a value that was said to be taken may not be told yet, and between looks
PASSING: tuple[type[NetloomError], ...] = (NoAnswer, ProtocolError, Unproven)  # of a device that may answer in a moment


class Records(Protocol):
    """What a step writes down. The engine's store and journal stand behind it."""

    async def targets(self, devices: Iterable[str]) -> Mapping[str, Target | NetloomError]:
        """Where devices are; of one that is gone nothing is there."""
        ...

    async def intend(self, entry: JournalEntry) -> None:
        """Return only when it would outlive this process and this computer's power."""
        ...

    async def conclude(self, entry: JournalEntry) -> None: ...

    async def save_step(self, run: str, step: StepState) -> None: ...

    async def cancelled(self, run: str) -> bool: ...

    async def save_reading(
        self,
        device: str,
        documents: Mapping[str, Document],
        identity: Identity | None,
        time: float,
        unreadable: Mapping[str, str] = ALL_READ,
    ) -> None: ...

    async def save_trouble(self, device: str, message: str) -> None:
        """Why nobody knows what it has now, until it is read again."""
        ...

    async def save_place(self, device: str, address: str, speed: int, time: float) -> None: ...

    async def bind(self, device: str, address: str, time: float) -> None:
        """From now on a power cut may bring it to that address. Raises AddressTaken where another one may go there."""
        ...

    async def save_secret(self, device: str, path: str, secret: str, *, user: str | None, level: str = "") -> None:
        """The secret behind this reference was written to the device. With a `user`, who may be nameless, it is how one
        gets in now at that level of access, which was proven by signing in."""
        ...

    async def expect_login(self, device: str, level: str, secret: str) -> None:
        """That secret was sent to be the code of that level: until one of that level is proven, it may be the one that
        lets in, whatever is decided meanwhile. An empty `secret` says that none that was sent so far is on the device.
        """
        ...

    async def fences(self, device: str) -> Mapping[str, str]:
        """Why what of it may not be driven now, for `why_fenced`."""
        ...

    async def locks(self, device: str) -> Sequence[Lock]:
        """What of it nobody changes from here."""
        ...

    async def forget_login(self, device: str) -> None:
        """What people gave to get into it is no more, and its factory's lets in: that was proven."""
        ...

    async def adopt(self, device: str, values: Mapping[str, Any]) -> None:
        """People want these values now, by path."""
        ...

    async def image(self, file: str) -> Image:
        """A firmware file that is kept. Raises NetloomError where it is not any more."""
        ...

    async def save_firmware(self, device: str, identity: Identity | None, time: float) -> None:
        """What it says of itself now; None where nobody knows any more which version it has."""
        ...

    async def became(self, device: str, profile: str) -> None:
        """It proved to be of another model from now on: what was decided for the former one is set aside."""
        ...

    async def save_backup(self, device: str, run: str, by: str, *, baseline: bool) -> str:
        """Keep what was last saved for the device as a backup; the same one where the run made it already."""
        ...


Search = Callable[[Target], Awaitable[Sequence[Target]]]


async def nowhere(target: Target) -> Sequence[Target]:
    """Of a host that cannot look along a line."""
    return ()


@dataclass
class StepContext:
    """`search` looks along the device's line for places where it may be; nothing that it gives is proven."""

    run: str
    by: str
    step: StepState
    target: Target
    profile: Profile
    sessions: Sessions
    records: Records
    clock: Clock
    answers: Answers
    library: Library
    open_intent: JournalEntry | None = None
    outcome: str = ""  # of the last intent that has one
    cut: str = "Netloom was cut off"  # why an intent has to be settled by a look
    search: Search = nowhere
    unreadable: Mapping[str, str] = field(default_factory=dict)  # of the last reading, by path: why
    earlier: Sequence[StepState] = ()  # the device's steps before this one
    first: Document = field(default_factory=dict)  # what ran before the first write of this run, for all its steps
    _rows: dict[str, Row] = field(default_factory=dict)
    consequences: list[dict[str, Any]] = field(default_factory=list)  # what it changed by itself
    unproven: list[str] = field(default_factory=list)  # reasons why the word at the end is not `done`

    @cached_property
    def changes(self) -> list[Change]:
        return [Change.from_dict(data) for data in self.step.params.get("changes", [])]

    async def talk(self) -> Talk:
        return await self.sessions.talk(self.target, f"run of {self.by}", Priority.RUN)

    def setting(self, path: str) -> Item:
        return self.profile.by_path[path]

    def called(self, path: str) -> str:
        return self.profile.called(path)

    def row(self, path: str) -> Row:
        """How this value is proven on the way that the device is reached."""
        known = self._rows.get(path)
        if known is None:
            setting = self.setting(path)
            sets = self.sessions.source.abilities(self.target.profile, self.target.line).sets
            known = row_for(setting.takes, setting.kept, frozenset() if setting.secret else sets)
            self._rows[path] = known
        return known

    # The journal

    async def intend(self, changes: Sequence[dict[str, Any]], action: str = "", said: str = "") -> None:
        """Say on record what is about to be written; only then may it be. Raises AddressTaken."""
        for change in changes:
            if self.setting(change["path"]).role == "address" and str(change["to"]) != self.target.address:
                await self.records.bind(self.target.device, str(change["to"]), self.clock.now())
        entry = JournalEntry(
            kind="intent",
            run=self.run,
            device=self.target.device,
            line=self.target.line.id,
            address=self.target.address,
            action=action or self.step.action,
            by=self.by,
            intent=secrets.token_hex(8),
            step=self.step.ordinal,
            message=said[:900],
            changes=tuple(changes),
        )
        if self.step.state != ACTING:
            self.step.state = ACTING
            await self.records.save_step(self.run, self.step)
        await self.records.intend(entry)
        self.open_intent = entry

    async def conclude(self, outcome: str, message: str = "", changes: Sequence[dict[str, Any]] | None = None) -> None:
        """The outcome of the open intent. Without an open one there is nothing to say."""
        entry = self.open_intent
        if entry is None:
            return
        await self.records.conclude(
            JournalEntry(
                kind="outcome",
                run=self.run,
                device=entry.device,
                line=self.target.line.id,
                address=self.target.address,
                action=entry.action,
                by=entry.by,
                intent=entry.intent,
                step=entry.step,
                outcome=outcome,
                message=message[:900],
                changes=tuple(changes if changes is not None else entry.changes),
            )
        )
        self.open_intent, self.outcome = None, outcome

    # Reading

    async def read(self, *which: str) -> dict[str, Document]:
        """These sets as they are now, saved with the time at which they were asked for."""
        talk, time = await self.talk(), self.clock.now()
        documents, known = await talk.read_sets(which), talk.known
        self.unreadable = known.unreadable
        await self.records.save_reading(self.target.device, known.told, known.identity, time, known.unreadable)
        return documents

    def read_back(self, changes: Sequence[Mapping[str, Any]], document: Document) -> list[dict[str, Any]]:
        """Changes with what the last reading shows of them, in one of its sets."""
        return read_back(changes, document, self.unreadable)

    def doubt(self, told: Sequence[dict[str, Any]]) -> None:
        """What of these the last reading did not show is not proven, and why."""
        self.unproven += [f"{self.called(row['path'])}: {row['untold']}" for row in untold(told)]

    async def patiently(
        self,
        ask: Callable[[], Awaitable[Result]],
        seconds: float = PATIENCE_S,
    ) -> Result:
        """Ask until it answers, at most `seconds`; then the last error stands. Others than those that may be passing
        stand at once. Once something was said to it, an adapter that was pulled out may be back in a moment, too; and
        after it was silent, what it says may be the answer to an earlier question for a while."""
        passing: tuple[type[NetloomError], ...] = PASSING if self.open_intent is None else (*PASSING, LinkError)
        begun = asyncio.get_running_loop().time()
        while True:
            try:
                return await ask()
            except passing as error:
                longer = UNCLEAR_S if isinstance(error, OutOfStep) else 0
                if asyncio.get_running_loop().time() >= begun + seconds + longer:
                    raise
                await asyncio.sleep(PAUSE_S)


def value_at(document: Document, path: str) -> Any:
    """The value, None where there is none."""
    value = get(document, path)
    return None if value is MISSING else value


def after_values(document: Document, step: StepState) -> Document:
    return merged(document, {change["path"]: change["to"] for change in step.params.get("changes", [])})


class Step(Protocol):
    """One kind of step. Raises NetloomError when it fails; its outcome tells what is known."""

    action: str
    writes: bool
    by_hand: bool  # whether it waits for a person at the device

    def sends_away(self, step: StepState) -> bool:
        """Whether the device goes by it for a while, and what came of it is seen by that."""
        ...

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        """The sets as they would be after it."""
        ...

    async def run(self, context: StepContext) -> None: ...

    async def settle(self, context: StepContext) -> None:
        """After a crash: look at the device, and say what came of the open intent. Writes nothing to it."""
        ...

    def back(self, step: StepState) -> list[Change]:
        """What would take it back, by the before-values; empty where nothing would."""
        ...


class WritingStep:
    """What all steps share that write something."""

    writes = True
    by_hand = False

    def sends_away(self, step: StepState) -> bool:
        return False


class ReadingStep:
    """What all steps share that write nothing."""

    writes = False
    by_hand = False

    def sends_away(self, step: StepState) -> bool:
        return False

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        return sets

    async def settle(self, context: StepContext) -> None:
        """Reading leaves no intent."""

    def back(self, step: StepState) -> list[Change]:
        return []


async def act_and_look(
    context: StepContext, act: Callable[[Talk], Awaitable[None]], *, silent: str, hint: str
) -> tuple[dict[str, Document], NetloomError | None]:
    """Act, and whatever came of that, look at the device: (its sets now, what it answered with if not with yes).

    The intent is said already. Where nothing was sent, or nobody can be asked afterwards, it is
    concluded and this raises; `silent` and `hint` are then what people are told.
    """
    trouble: NetloomError | None = None
    try:
        await act(await context.talk())
    except NetloomError as error:
        trouble = error
    if trouble is not None and trouble.outcome == "not_sent":
        await context.conclude("failed", trouble.message)
        raise trouble
    try:
        return await context.patiently(lambda: context.read("running", "startup")), trouble
    except CodeWanted as error:
        if trouble is None and all(context.setting(change.path).role == "password" for change in context.changes):
            return {"running": {}, "startup": {}}, None  # it may want another one, too; which it has, signing in shows
        # As before: what was sent to it, it did not take.
        said = trouble or error
        await context.conclude("failed", said.message)
        raise said from error
    except NetloomError as error:
        await context.conclude("unknown", (trouble or error).message)
        raise NoAnswer(silent, hint, target=context.target.device) from error


async def look_again(
    context: StepContext,
    sets: dict[str, Document],
    waiting: Callable[[Mapping[str, Document]], bool],
    seconds: float = LATE_S,
) -> dict[str, Document]:
    """What it said yes to may work and be told only a moment later: the sets as last read, after at most `seconds`."""
    deadline = asyncio.get_running_loop().time() + seconds
    while waiting(sets) and asyncio.get_running_loop().time() < deadline:
        await asyncio.sleep(LOOK_AGAIN_S)
        try:
            sets = await context.patiently(lambda: context.read("running", "startup"))
        except NetloomError:  # what it told when it last could counts
            return sets
    return sets


async def settled_by_looking(context: StepContext, which: str) -> None:
    """Settle an open intent by what a set shows now. Raises where the device cannot be asked."""
    entry = context.open_intent
    if entry is None:
        return
    try:
        document = (await context.patiently(lambda: context.read(which)))[which]
    except CodeWanted as error:
        several = len(context.profile.ladder.codes) > 1  # then one may be taken, and another still be wanted
        told = "what was taken, nobody can see" if several else "nothing was taken"
        await context.conclude("unknown" if several else "failed", f"{context.cut}, and {told}: {error.message}")
        return
    except NetloomError as error:
        await context.conclude("unknown", f"{context.cut}, and now: {error.message}")
        raise NoAnswer(
            f"{context.target.name}: {context.cut} in the middle of a {entry.action}, and what came of it cannot "
            f"be seen: {error.message}",
            "When it answers again, read it: what is left is then planned anew.",
            target=context.target.device,
        ) from error
    if not document:
        await context.conclude("unknown", f"{context.cut}, and the device cannot tell what it has.")
        return
    shown = read_back(entry.changes, document, context.unreadable)
    await context.conclude(word_of(shown), f"{context.cut}; this is what the device has now.", shown)


def undone(step: StepState) -> list[Change]:
    """Back to the before-values of a step that may have written, from what came of it where that was read."""
    came = {
        row["path"]: row["read_back"] for row in step.evidence.get("changes", []) if row.get("read_back") is not None
    }
    changes = [Change.from_dict(data) for data in step.params.get("changes", [])]
    return [Change(c.path, came.get(c.path, c.after), c.before) for c in changes if c.before is not None]
