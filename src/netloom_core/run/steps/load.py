"""Firmware: checked before, sent with its progress, awaited, found again as itself wherever it comes up, and proven.

That a device said yes is nothing: the version that it tells afterwards is what counts, on all its parts. After a crash
nothing is sent again by itself: who is there is looked at, and what it has is told.
"""

from __future__ import annotations

import asyncio
import contextlib
import hashlib
from collections import Counter
from typing import Any

from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.errors import LinkError, NetloomError, NoAnswer, NotDone, ReadBackMismatch, RequestError, WrongModel
from netloom_core.model.change import Change
from netloom_core.model.device import Identity
from netloom_core.model.image import Image
from netloom_core.model.work import ACTING, StepState
from netloom_core.profiles.abilities import Ability
from netloom_core.profiles.firmware import Firmware
from netloom_core.profiles.values import value_of_state
from netloom_core.run.steps.base import PAUSE_S, StepContext, WritingStep, value_at
from netloom_core.run.steps.by_hand import ask
from netloom_core.run.steps.places import LATE, Looked, arrived, factory_places, find, find_anywhere, spoken
from netloom_core.run.steps.restart import GONE_S

SAVED_EVERY_S = 0.5
RESUMED = 3  # times that one goes on by itself after it was cut off
BY_HAND_S = 300.0
MOST_SHOWN = 200
NOT_READ = "not read"
LINGERS_S = 20.0  # how long one that still answers may only be about to go, at most
AGAIN = "Load it again when its power and cable are good: it is sent from its beginning."
DIGEST_PIECE = 1 << 18


class LoadFirmware(WritingStep):
    """`file`, `name`, `version`, `size`, `digest`, `away` (s) are in the step's params."""

    action = "load"

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        return sets

    def back(self, step: StepState) -> list[Change]:
        return []  # the former file is loaded by a plan of its own, where it is kept

    async def settle(self, context: StepContext) -> None:
        if context.open_intent is None:
            return
        known = _firmware(context)
        seen = await _awaited(context, known, known.away)
        await _noted(context, seen)
        new = seen.identity is not None and _has(seen.identity, context)
        changed = new and context.step.params["version"] != context.step.evidence.get("from")
        said = f"{context.cut} while firmware went over. {seen.words(context)}"
        await context.conclude("done" if changed else "unknown", said)

    async def run(self, context: StepContext) -> None:
        known, step = _firmware(context), context.step
        image = await context.records.image(str(step.params["file"]))
        await _unspoilt(context, image)
        if "before" in step.evidence:
            await self._after_a_crash(context, known, image)
            return
        identity, waits = await _who(context, known)
        _fits(context, known, identity, image)
        if image.code in known.becomes:
            context.library.need(known.becomes[image.code])  # what it is to become has to be known before
        await _good_enough(context, known, waits)
        before: Document = {}
        if Ability.READ in (await context.talk()).abilities and not waits:
            with contextlib.suppress(NetloomError):  # the backup before it says what could not be read
                before = (await context.read("running"))["running"]
        step.evidence = {"before": before, "from": identity.firmware, "parts_before": _parts(known, identity)}
        await self._send(context, known, image, identity)
        seen = await self._come_back(context, known, image)
        await self._prove(context, known, image, seen, identity)

    async def _after_a_crash(self, context: StepContext, known: Firmware, image: Image) -> None:
        """It is not sent again: what it has now is proven or told, and a new plan decides."""
        evidence = context.step.evidence
        seen = await _awaited(context, known, known.away)
        if seen.here is not None and seen.identity is not None and _has(seen.identity, context):
            await arrived(context, seen.here)
            await self._prove(context, known, image, seen, Identity(firmware=str(evidence["from"])))
            return
        await _noted(context, seen)
        raise NotDone(
            f"Netloom was cut off while firmware went to {context.target.name}. {seen.words(context)}",
            "Make a new plan: it loads the file from its beginning.",
            target=context.target.device,
            outcome="refused" if seen.identity is not None else "unknown",
        )

    # Sending

    async def _send(self, context: StepContext, known: Firmware, image: Image, identity: Identity) -> None:
        step = context.step
        step.state = ACTING
        file = f"{image.name}, SHA-256 {image.digest[:16]}…"
        await context.intend([], said=f"firmware {image.version} ({file}) over {identity.firmware or 'none'}")
        await _told(context, None)
        progress = _Progress(context, image)
        for attempt in range(RESUMED + 1):
            talk = await context.talk()
            try:
                async with progress:
                    await talk.load(image, progress.told)
                break
            except NetloomError as error:
                if error.outcome == "not_sent" and not attempt and not progress.begun:
                    await _told(context, identity)
                    await context.conclude("failed", error.message)
                    raise
                await talk.drop()
                if attempt < RESUMED and await self._may_go_on(context, known, image, error, progress):
                    progress.again()
                    step.evidence = {**step.evidence, "resumed": attempt + 1}
                    continue
                await self._broken_off(context, known, image, error)
                break
            finally:
                await talk.drop()

    async def _may_go_on(
        self, context: StepContext, known: Firmware, image: Image, error: NetloomError, progress: _Progress
    ) -> bool:
        """Cut off in the middle of one that knows how much it has: whether it is there again, itself, without the new
        version, so that the rest may follow. One that started anew says no to a piece in the middle, too."""
        if Ability.RESUME not in (await context.talk()).abilities or progress.all_there:
            return False
        if not (isinstance(error, NoAnswer | LinkError) or progress.moved):
            return False
        seen = await _awaited(context, known, max(known.away * LATE, GONE_S))
        if seen.here is None or (seen.identity is not None and _has(seen.identity, context)):
            return False
        await _noted(context, seen)
        return True

    async def _broken_off(self, context: StepContext, known: Firmware, image: Image, error: NetloomError) -> None:
        """Whatever came back, what is there now is told. Raises NotDone unless it took the file all the same."""
        seen = await _awaited(context, known, known.away)
        await _noted(context, seen)
        new = seen.identity is not None and _has(seen.identity, context)
        if new and image.version != context.step.evidence["from"]:
            return
        refused = error.outcome == "refused" or error.code == "refused"
        words = seen.words(context)
        await context.conclude("failed" if seen.identity is not None else "unknown", f"{error.message} {words}"[:900])
        raise NotDone(
            f"{error.message} {words}",
            AGAIN if seen.waits or not refused else error.hint or "Choose another file.",
            target=context.target.device,
            outcome="refused" if seen.identity is not None else "unknown",
        ) from error

    # Waiting

    async def _come_back(self, context: StepContext, known: Firmware, image: Image) -> _Seen:
        step = context.step
        step.evidence = {
            **{key: value for key, value in step.evidence.items() if key != "sends"},
            "waits": {"since": context.clock.now(), "usual": known.away},
        }
        await context.records.save_step(context.run, step)
        loop = asyncio.get_running_loop()
        begun, went = loop.time(), False
        # One that tells the new version may only be about to start with it.
        lingers = min(max(known.away, GONE_S), LINGERS_S) if known.away else 0.0
        while True:
            seen = await _awaited(context, known, 0)
            went = went or seen.nobody
            late = loop.time() > begun + lingers
            moved = seen.here is not None and seen.here.place != context.target.place
            if seen.here is not None and (late or ((went or moved) and not seen.waits)):
                break
            if loop.time() > begun + max(known.away * LATE, known.away + 2 * GONE_S):
                seen = await self._elsewhere(context, known)
                break
            await asyncio.sleep(PAUSE_S)
        seen.went = went
        await _noted(context, seen)
        return seen

    async def _elsewhere(self, context: StepContext, known: Firmware) -> _Seen:
        looked = await find_anywhere(context)
        if looked.here is not None:
            return _Seen(looked, known)
        await context.conclude("unknown", "it did not come back after it took the file")
        raise NoAnswer(
            f"{context.target.name} took all of {context.step.params['name']} and did not come back, which usually "
            f"takes {known.away:g} s. Whether it has the new version is not known.",
            "Look at its lights, and ask why it is not there: this computer's own network first. Do not take its power "
            "before its lights say that it rests.",
            target=context.target.device,
        )

    # Proof

    async def _prove(self, context: StepContext, known: Firmware, image: Image, seen: _Seen, was: Identity) -> None:
        step, name = context.step, context.target.name
        if seen.waits:
            words = seen.words(context)
            await context.conclude("failed", words)
            raise NotDone(words, AGAIN, target=context.target.device, outcome="applied")
        identity = await context.patiently(lambda: _identity(context))
        if known.power_cycle and not _has(identity, context):
            identity = await self._without_power(context, identity)
        await _told(context, identity)
        parts = _parts(known, identity)
        step.evidence = {
            "from": step.evidence["from"],
            "to": identity.firmware,
            "parts": parts,
            "address": context.target.address,
            "before": step.evidence["before"],
            **({"resumed": step.evidence["resumed"]} if "resumed" in step.evidence else {}),
        }
        if not _same(known, identity.firmware, image.version):
            has = identity.firmware or "none"
            text = f"{name} took {image.name} and still tells version {has}, not {image.version}."
            await context.conclude("failed", text)
            raise ReadBackMismatch(
                text,
                "Some work with a new version only after a power cut: take its power, and read it again.",
                target=context.target.device,
                outcome="applied",
            )
        odd = {label: has for label, has in parts.items() if not _same(known, has, image.version)}
        behind = [f"{label} has {has or 'told none'}" for label, has in odd.items()]
        if behind:
            text = f"{name} has {image.version} on one side only: {'; '.join(behind)}."
            await context.conclude("failed", text)
            raise NotDone(
                text,
                "Load it once more, with both halves on their link.",
                target=context.target.device,
                outcome="applied",
            )
        if _same(known, was.firmware, image.version) and not seen.went:
            context.unproven.append(f"it had {image.version} before, and was not seen to go")
        if image.code in known.becomes:
            await self._another(context, identity, known.becomes[image.code])
        else:
            await self._settings(context, known)
        word = "unproven" if context.unproven else "done"
        now = f"{was.firmware or 'none'} before, {image.version} now"
        await context.conclude(word, "; ".join(context.unproven) or now)

    async def _another(self, context: StepContext, identity: Identity, ident: str) -> None:
        """The application decides what it is: its identity stays, and the record follows. Raises ReadBackMismatch."""
        profile = context.library.need(ident)
        if identity.model.casefold() not in {name.casefold() for name in (profile.model, *profile.aliases)}:
            text = (
                f"{context.target.name} tells the new version and calls itself {identity.model}, not {profile.model}."
            )
            await context.conclude("failed", text)
            raise ReadBackMismatch(text, "Sweep its line.", target=context.target.device, outcome="applied")
        await context.records.became(context.target.device, ident)
        context.step.message = (
            f"Version {identity.firmware}. It is a {profile.model} now: what was decided for a {context.profile.model} "
            "is set aside, for review on its bench under Protect."
        )

    async def _without_power(self, context: StepContext, identity: Identity) -> Identity:
        words = f"Take the power of {context.target.name} for a few seconds, and give it back."
        answer, _ = await ask(context, words, BY_HAND_S, "restart")
        if answer is not None and not answer.came:
            context.step.message = f"{answer.words()}."
            return identity
        await (await context.talk()).drop()
        return await context.patiently(lambda: _identity(context), context.profile.away_seconds + GONE_S)

    async def _settings(self, context: StepContext, known: Firmware) -> None:
        """What the new version renamed, dropped or set back, beside what it had."""
        step = context.step
        before = step.evidence["before"]
        where = f" It answers at {spoken(context.target)}."
        step.message = f"Version {step.evidence['to']}, {step.evidence['from'] or 'none'} before.{where}"
        if times := step.evidence.get("resumed"):
            often = "once" if times == 1 else f"{times} times"
            step.message += f" It was cut off {often} on the way, and went on from there."
        if not before:
            return
        try:
            now = (await context.patiently(lambda: context.read("running", "startup")))["running"]
        except NetloomError as error:
            context.unproven.append(f"its settings could not be read: {error.message}")
            return
        moved = {one.old: one.new for one in known.renames if _from_then_on(known, one.since, step.evidence)}
        changes = _changed(context, before, now, moved)
        if unread := [change for change in changes if change["what"] == NOT_READ]:
            context.unproven.append(f"{len(unread)} of its settings could not be read")
        step.evidence = {**step.evidence, "settings": changes[:MOST_SHOWN]}
        if changes:
            counts = Counter(change["what"] for change in changes)
            kinds = ", ".join(f"{count} {what}" for what, count in counts.items())
            step.message += (
                f" Of its settings: {kinds}. The backup before it has them all; what was set back can be put "
            )
            step.message += "back by a plan of its own."


class _Seen:
    """Who is at the places where it may be. `waits` is set where its loader is all that answers."""

    def __init__(self, looked: Looked, known: Firmware) -> None:
        self.here, self.identity, self.nobody, self._why = looked.here, looked.identity, looked.gone, looked.why
        self.waits = known.waits(looked.identity.facts if looked.identity is not None else {})
        self.went = False

    def words(self, context: StepContext) -> str:
        if self.here is None:
            return f"It does not answer now: what it has is not known.{self._why}"
        where = spoken(self.here)
        if self.waits:
            return f"It answers at {where} in its loader, without an application: a file can be loaded again."
        has = self.identity.firmware if self.identity else ""
        return f"It answers at {where} with version {has or 'not told'}."


class _Progress:
    """Bytes so far, on record now and then."""

    def __init__(self, context: StepContext, image: Image) -> None:
        self._context, self._image = context, image
        self._sent, self._begun, self._first = 0, 0.0, -1
        self._task: asyncio.Task[None] | None = None

    def told(self, sent: int) -> None:
        if self._first < 0:
            self._first = sent
        self._sent = max(self._sent, sent)

    @property
    def begun(self) -> bool:
        """Whether the device took the beginning of it: what is not sent after that is no nothing."""
        return self._first >= 0

    @property
    def all_there(self) -> bool:
        return self._sent >= self._image.size

    @property
    def moved(self) -> bool:
        """Whether anything was taken since it began, or went on."""
        return 0 <= self._first < self._sent

    def again(self) -> None:
        """It goes on, from where the device says."""
        self._sent, self._first = 0, -1

    async def __aenter__(self) -> _Progress:
        self._begun = asyncio.get_running_loop().time()
        self._task = asyncio.ensure_future(self._save())
        return self

    async def __aexit__(self, *details: object) -> None:
        assert self._task is not None
        self._task.cancel()
        await asyncio.gather(self._task, return_exceptions=True)
        self._note()

    def _note(self) -> None:
        gone = asyncio.get_running_loop().time() - self._begun
        left = gone / self._sent * (self._image.size - self._sent) if self._sent else None
        sends = {
            "sent": self._sent,
            "total": self._image.size,
            "left": None if left is None else round(left, 1),
            "unplug": not self._context.step.params["unplug"],
        }
        self._context.step.evidence = {**self._context.step.evidence, "sends": sends}

    async def _save(self) -> None:
        while True:
            self._note()
            await self._context.records.save_step(self._context.run, self._context.step)
            await asyncio.sleep(SAVED_EVERY_S)


def _firmware(context: StepContext) -> Firmware:
    known = context.profile.firmware
    if known is None:
        raise RequestError(f"Nothing is known of the firmware of a {context.profile.model}.", "Nothing was sent.")
    return known


async def _unspoilt(context: StepContext, image: Image) -> None:
    """The file is, byte for byte, the one that the plan showed."""
    if image.refused:
        raise RequestError(f"{image.name} was marked as not to be used: {image.refused}", "Nothing was sent.")
    whole = hashlib.sha256()
    for piece in image.chunks(DIGEST_PIECE):
        whole.update(piece)
        await asyncio.sleep(0)  # a large file keeps nobody waiting
    if whole.hexdigest() != context.step.params["digest"]:
        raise RequestError(
            f"{image.name} is not what it was when the plan was made: its digest is another one.",
            "Import it again. Nothing was sent.",
            target=context.target.device,
        )


async def _identity(context: StepContext) -> Identity:
    return await (await context.talk()).identify()


async def _who(context: StepContext, known: Firmware) -> tuple[Identity, bool]:
    identity = await context.patiently(lambda: _identity(context))
    return identity, known.waits(identity.facts)


def _fits(context: StepContext, known: Firmware, identity: Identity, image: Image) -> None:
    """The right product and hardware revision, by what is inside the file. Raises WrongModel."""
    if image.code and not known.takes(image.code):
        raise WrongModel(
            f"{image.name} is for {image.code}; {context.target.name} takes {' or '.join(known.codes)}.",
            "Nothing was sent to it.",
            target=context.target.device,
        )
    revision = identity.facts.get(known.hardware, "") if known.hardware else ""
    if image.hardware and revision and revision not in image.hardware:
        raise WrongModel(
            f"{image.name} is for hardware {', '.join(image.hardware)}; {context.target.name} is {revision}.",
            "Nothing was sent to it. Look for the file of its revision.",
            target=context.target.device,
        )


async def _good_enough(context: StepContext, known: Firmware, waits: bool) -> None:
    """What has to hold before the first byte, as it tells it now; its loader tells nothing. Raises NotDone."""
    if not known.before or waits:
        return
    states = await context.patiently(lambda: _states(context))
    points = context.profile.points_by_path
    facts = {one.path: value_of_state(points[one.path], states.get(points[one.path].id, ""))
             for one in known.before if one.path in points}  # fmt: skip
    if decided := [one.path for one in known.before if one.path not in points]:
        running = (await context.patiently(lambda: context.read("running")))["running"]
        facts |= {path: value_at(running, path) for path in decided}
    for wanted in known.before:
        value = facts[wanted.path]
        if value is not None and wanted.holds(value):
            continue
        item = points.get(wanted.path) or context.profile.by_path[wanted.path]
        told = "it does not tell that" if value is None else f"it tells {item.type.show(value)} {item.unit}".rstrip()
        raise NotDone(
            f"{context.target.name} got nothing: {wanted.why}, and {told}.",
            "Put that right first, and load it again.",
            target=context.target.device,
            outcome="not_sent",
        )


async def _states(context: StepContext) -> dict[str, str]:
    return await (await context.talk()).states()


def _parts(known: Firmware, identity: Identity) -> dict[str, str]:
    return {part.label: identity.facts.get(part.fact, "") for part in known.parts}


def _same(known: Firmware, one: str, other: str) -> bool:
    return bool(one) and (one == other or known.compare(one, other) == 0)


def _has(identity: Identity, context: StepContext) -> bool:
    return _same(_firmware(context), identity.firmware, str(context.step.params["version"]))


async def _awaited(context: StepContext, known: Firmware, seconds: float) -> _Seen:
    """Where it was, or where its factory would put it, within so long; one that answers at once may only be about to
    go."""
    return _Seen(await find(context, [context.target, *factory_places(context)], seconds), known)


async def _noted(context: StepContext, seen: _Seen) -> None:
    """Where it is and what it tells of itself, on its record: its loader, too, or that nobody knows."""
    if seen.here is not None and seen.identity is not None:
        await arrived(context, seen.here)
    await _told(context, seen.identity)


async def _told(context: StepContext, identity: Identity | None) -> None:
    await context.records.save_firmware(context.target.device, identity, context.clock.now())


def _from_then_on(known: Firmware, since: str, evidence: dict[str, Any]) -> bool:
    """Whether that version lies between the one before and the one now."""
    before, now = known.compare(evidence["from"], since), known.compare(evidence["to"], since)
    return before == -1 and now in (0, 1)


def _changed(context: StepContext, before: Document, now: Document, moved: dict[str, str]) -> list[dict[str, Any]]:
    found = []
    for path, item in context.profile.by_path.items():
        was = get(before, path)
        if was is MISSING or item.secret:
            continue
        there = moved.get(path, path)
        has = get(now, there)
        if has is MISSING and there in context.unreadable:
            found.append({"path": there, "what": NOT_READ, "from": was, "to": None})
        elif has is MISSING:
            found.append({"path": path, "what": "dropped", "from": was, "to": None})
        elif has != was:
            found.append({"path": there, "what": "set back", "from": was, "to": value_at(now, there)})
    return found
