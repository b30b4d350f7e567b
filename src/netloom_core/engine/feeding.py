"""Feeds: a point that is said again and again at a rate, as a source outside does, and what the device tells of it.

None goes on without an end: each has its time, and ends with this process. What a device shows of it is asked of the
device; an answer to what was said proves nothing yet. When a feed has ended, the device is looked at until it tells
that it went on by itself.
"""

from __future__ import annotations

import asyncio
import logging
import secrets
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from netloom_core.bus.turns import Priority
from netloom_core.clock import Clock
from netloom_core.engine.ports import EventSink
from netloom_core.errors import FENCED_HINT, Busy, CannotDo, Fenced, Locked, NetloomError, OutOfRange, UnknownSetting
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Target
from netloom_core.model.fence import why_fenced
from netloom_core.model.lock import FREE_IT
from netloom_core.model.work import DONE, FAILED, UNPROVEN, JournalEntry
from netloom_core.profiles.feed import Feed
from netloom_core.profiles.item import Need
from netloom_core.profiles.profile import Profile
from netloom_core.run.drive import checked_point, short_name
from netloom_core.run.insist import insist, own_fault
from netloom_core.run.locks import kept_from
from netloom_core.run.steps.base import Records

log = logging.getLogger("netloom.engine")
ACTION = "feed"
LOOK_S = 2.0  # between looks at what the device tells of it
TROUBLE_S = 2.0  # between tries while it does not take what is said
SPARE_S = 5.0  # that it may take longer than its profile says to go on by itself
LOOK_AGAIN_S = 0.5
LONGEST = 900  # letters of what the journal has of it
MOST = 64  # at a time, and ended ones that are still told of


@dataclass
class Saying:
    """One feed. `told` is, of each thing that shows it, what the device told last: None where it did not tell."""

    feed: Feed
    device: str
    name: str
    profile: Profile
    text: str
    every: float
    by: str
    began: float
    until: float
    said: int = 0
    failed: int = 0
    late: int = 0  # that went out more than half of `every` after their time
    looks: int = 0
    shown: int = 0  # looks at which all of it was told
    told: dict[str, bool | None] = field(default_factory=dict)
    trouble: str = ""  # now
    failed_by: str = ""  # the last one that there was
    ended_by: str = ""
    phase: str = "saying"  # then "ending" while it is looked at, "over"
    ended: float = 0.0
    account: str = ""
    alone_after: float | None = None
    overdue: bool = False  # it was looked at long enough for that
    enough: asyncio.Event = field(default_factory=asyncio.Event)

    def __post_init__(self) -> None:
        self.told = dict.fromkeys(self.proof)

    @property
    def proof(self) -> list[str]:
        """What it has to tell, in words."""
        return list(self._told_by({}))

    def _told_by(self, states: dict[str, str]) -> dict[str, bool | None]:
        now = states.get(self.feed.point)
        told = {f"it shows {self.text!r}": None if now is None else now == self.text}
        if not self.profile.by_point[self.feed.point].live:
            told = {}
        return told | {need.why: _holds(self.profile, states, need) for need in self.feed.driven}

    def look(self, states: dict[str, str]) -> None:
        """What its states tell of it, while it is said."""
        self.told = self._told_by(states)
        self.looks += 1
        self.shown += all(self.told.values())

    def is_alone(self, states: dict[str, str]) -> bool:
        self.told = {need.why: _holds(self.profile, states, need) for need in self.feed.alone}
        return all(self.told.values())

    def as_dict(self) -> dict[str, Any]:
        return {
            "point": self.feed.point, "text": self.text, "every": self.every, "by": self.by, "phase": self.phase,
            "began": self.began, "until": self.until, "ended": self.ended or None, "said": self.said,
            "failed": self.failed, "late": self.late, "looks": self.looks, "shown": self.shown,
            "told": [{"what": what, "holds": holds} for what, holds in self.told.items()],
            "trouble": self.trouble, "account": self.account, "alone_after": self.alone_after,
        }  # fmt: skip


def _holds(profile: Profile, states: dict[str, str], need: Need) -> bool | None:
    item = profile.points_by_path[need.path]
    state = states.get(item.id)
    return None if state is None else state in {item.state_of(value) for value in need.one_of}


def _feed_of(profile: Profile, point: str) -> Feed:
    """Raises UnknownSetting where the device has no such feed."""
    short = short_name(profile, point)
    found = next((feed for feed in profile.feeds if feed.point == short), None)
    if found is None:
        there = ", ".join(feed.point for feed in profile.feeds) or "none"
        raise UnknownSetting(
            f"{profile.model} has no feed of {point}.", f"It has: {there}. Nothing was sent.", target=point
        )
    return found


class Feeding:
    """`tell` gives a device's states to whoever looks at it."""

    def __init__(
        self,
        records: Records,
        sessions: Sessions,
        events: EventSink,
        clock: Clock,
        tell: Callable[[str, dict[str, str], str], None],
    ) -> None:
        self._records, self._sessions, self._events, self._clock = records, sessions, events, clock
        self._tell = tell
        self._under_way: dict[str, tuple[Saying, asyncio.Task[None]]] = {}
        self._beginning: set[str] = set()
        self._over: OrderedDict[str, Saying] = OrderedDict()

    def shown(self, device: str) -> dict[str, Any] | None:
        """The feed that is under way on that device, else the last one that ended."""
        if device in self._under_way:
            return self._under_way[device][0].as_dict()
        return self._over[device].as_dict() if device in self._over else None

    async def begin(
        self, target: Target, profile: Profile, point: str, text: str, every: float | None, minutes: float, by: str
    ) -> dict[str, Any]:
        """Raises UnknownSetting where that is nothing to feed, OutOfRange, Busy where one is under way, Fenced,
        Locked."""
        feed = _feed_of(profile, point)
        text = checked_point(profile, feed.point, text)
        every = feed.every if every is None else every
        if not feed.quickest <= every <= feed.slowest:
            raise OutOfRange(
                f"{feed.label} is said every {feed.quickest:g} to {feed.slowest:g} s, not every {every:g}.",
                "Nothing was sent.",
            )
        device = target.device
        if device in self._under_way or device in self._beginning:
            raise Busy(f"{target.name} is being fed already.", "End that first. Nothing was sent.")
        if len(self._under_way) + len(self._beginning) >= MOST:
            raise Busy(f"{MOST} devices are being fed already.", "End one of them first. Nothing was sent.")
        self._beginning.add(device)
        try:
            now = self._clock.now()
            saying = Saying(feed, device, target.name, profile, text, every, by, now, now + minutes * 60)
            await self._may(saying)
            change = {"path": f"point:{feed.point}", "from": None, "to": text}
            entry = JournalEntry(
                "intent", "", device, target.line.id, target.address, ACTION, by, secrets.token_hex(8),
                message=f"Said every {every:g} s for at most {minutes:g} min.", changes=(change,),
            )  # fmt: skip
            await self._records.intend(entry)
            self._over.pop(device, None)
            self._under_way[device] = saying, asyncio.ensure_future(self._run(saying, entry, minutes * 60))
            await asyncio.sleep(0)  # it has begun before anybody can end it
        finally:
            self._beginning.discard(device)
        self._changed(device)
        return saying.as_dict()

    def end(self, device: str, by: str) -> None:
        """Say it no more. What the device does then is looked at, and keeps nobody waiting."""
        if device in self._under_way:
            saying = self._under_way[device][0]
            saying.ended_by = saying.ended_by or by
            saying.enough.set()

    async def forget(self, device: str) -> None:
        self._over.pop(device, None)
        await self._cut_off([device] if device in self._under_way else [])

    async def stop(self) -> None:
        await self._cut_off(list(self._under_way))

    async def _cut_off(self, devices: list[str]) -> None:
        tasks = [self._under_way[device][1] for device in devices]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)

    async def _may(self, saying: Saying) -> None:
        """Raises Fenced and Locked: what may not be driven once may not be driven again and again."""
        if fence := why_fenced(await self._records.fences(saying.device), saying.feed.point):
            raise Fenced(fence, FENCED_HINT, target=saying.device)
        locks = await self._records.locks(saying.device)
        if why := kept_from(locks, saying.profile, {}, saying.feed.point, saying.text):
            raise Locked(why, FREE_IT, target=saying.device)

    async def _talk(self, saying: Saying) -> Talk:
        """With the device wherever its record says that it is by now. Raises NetloomError."""
        target = (await self._records.targets([saying.device])).get(saying.device)
        if target is None:
            raise CannotDo(f"{saying.name} is on record no more.", "Nothing more was sent to it.")
        if isinstance(target, NetloomError):
            raise target
        return await self._sessions.talk(target, f"{saying.by} feeds", Priority.WATCH)

    def _changed(self, device: str) -> None:
        self._events.put("feed", {"device": device}, latest=f"feed:{device}")

    async def _run(self, saying: Saying, entry: JournalEntry, seconds: float) -> None:
        outcome, end = UNPROVEN, "It was cut off by Netloom's own end."
        try:
            end = await self._say(saying, seconds)
            saying.phase, saying.ended = "ending", self._clock.now()
            self._changed(saying.device)
            if saying.said or saying.failed:  # what was not answered may have come all the same
                await self._until_alone(saying)
            outcome = _outcome(saying)
        except asyncio.CancelledError:
            pass  # an ordinary way out: what came of it so far is written down below
        except Exception as error:
            log.exception("the feed of %s broke", saying.name)
            outcome, end = FAILED, own_fault(error).message
        finally:
            saying.phase = "over"
            saying.ended = saying.ended or self._clock.now()
            saying.account = f"{end} {_account(saying)}".strip()
            self._under_way.pop(saying.device, None)
            self._over[saying.device] = saying
            while len(self._over) > MOST:
                self._over.popitem(last=False)
            self._changed(saying.device)
        changes = tuple({**change, "read_back": saying.text if saying.shown else None} for change in entry.changes)
        concluded = entry._replace(kind="outcome", outcome=outcome, message=saying.account[:LONGEST], changes=changes)
        await insist(lambda: self._records.conclude(concluded), "what came of a feed")

    async def _say(self, saying: Saying, seconds: float) -> str:
        """Until it is ended, its time is over or it may not be said any more: which of them, in words."""
        loop = asyncio.get_running_loop()
        until, looked = loop.time() + seconds, float("-inf")
        due = loop.time()
        while loop.time() < until:
            pause = saying.every
            try:
                if loop.time() - looked >= LOOK_S:
                    await self._may(saying)
                talk = await self._talk(saying)
                saying.late += loop.time() - due > saying.every / 2
                await talk.drive(saying.feed.point, saying.text)
                saying.said += 1
                saying.trouble = ""
                if loop.time() - looked >= LOOK_S:
                    looked = loop.time()
                    await self._look(saying, talk)
            except (Fenced, Locked) as error:
                return f"It was ended: {error.message}"
            except NetloomError as error:
                saying.failed += error.outcome != "applied"
                saying.trouble = saying.failed_by = error.message
                saying.told = dict.fromkeys(saying.told)
                pause = max(pause, TROUBLE_S)
            # What was missed is not made up for: it would come in a burst.
            due = max(due + pause, loop.time())
            if await _came(saying.enough, min(due, until) - loop.time()):
                return f"{saying.ended_by} ended it."
        return "Its time was over."

    async def _look(self, saying: Saying, talk: Talk) -> None:
        """What it tells of it; that it tells nothing says nothing of what was said to it."""
        try:
            states = await talk.states()
        except NetloomError as error:
            saying.trouble = error.message
            saying.told = dict.fromkeys(saying.told)
            return
        saying.look(states)
        self._tell(saying.device, states, "")

    async def _until_alone(self, saying: Saying) -> None:
        """Look until it tells that it went on by itself, or until that is overdue."""
        loop = asyncio.get_running_loop()
        began = loop.time()
        saying.told = {need.why: None for need in saying.feed.alone}
        while loop.time() - began < saying.feed.after + SPARE_S:
            try:
                states = await (await self._talk(saying)).states()
                self._tell(saying.device, states, "")
                if saying.is_alone(states):
                    saying.alone_after = loop.time() - began
                    return
            except NetloomError as error:
                saying.trouble = error.message
            await asyncio.sleep(LOOK_AGAIN_S)
        saying.overdue = True


async def _came(event: asyncio.Event, seconds: float) -> bool:
    try:
        async with asyncio.timeout(max(seconds, 0)):
            await event.wait()
    except TimeoutError:
        return event.is_set()
    return True


def _outcome(saying: Saying) -> str:
    if not saying.said or (saying.looks and not saying.shown) or saying.alone_after is None:
        return FAILED
    return DONE if saying.shown else UNPROVEN


def _account(saying: Saying) -> str:
    """What came of it, in words."""
    what = f"It was said {saying.said} times"
    what += f", {saying.failed} more times without success ({saying.failed_by})." if saying.failed else "."
    if not saying.said and not saying.overdue:
        return what
    proof = ", ".join(saying.proof)
    told = (
        f" The device was looked at {saying.looks} times, and told each time: {proof}."
        if saying.shown == saying.looks and saying.looks
        else f" At {saying.shown} of {saying.looks} looks it told: {proof}."
        if saying.looks
        else " What it shows of it could not be looked at."
    )
    alone = ", ".join(need.why for need in saying.feed.alone)
    if saying.alone_after is not None:
        return f"{what}{told} {saying.alone_after:.1f} s after the end it told: {alone}."
    if not saying.overdue:
        return f"{what}{told} What it did afterwards was not looked at."
    return f"{what}{told} That {alone} it did not tell within {saying.feed.after + SPARE_S:g} s after the end."
