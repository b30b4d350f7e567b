"""Points that are held: while somebody holds them, or for the length of a pulse. Each is let go whatever happens.

A hold has a lease. Who holds it asks for it again and again; a browser that goes away does not, and the point is let go
when its lease is over. The journal's intent stays open as long as it is held, so that the next start lets go what a
crash left on.
"""

from __future__ import annotations

import asyncio
import logging
import math
import secrets
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field

from netloom_core.errors import Busy, NetloomError, RequestError
from netloom_core.model.said import Of, Seen, word
from netloom_core.model.work import JournalEntry
from netloom_core.run.insist import insist
from netloom_core.run.steps.base import Records

log = logging.getLogger("netloom.hold")
ACTION = "hold"
LONGEST_S = 60.0  # of one lease, and of a pulse
IN_ALL_S = 600.0  # a hand that stays on a button for longer is none
PAUSE_S = 2.0  # for which nobody has to have asked before that hand counts again
AGAIN_S = (0.5, 1.0, 2.0, 4.0)  # between tries to let go; then every eight seconds
TRIES = 20
LOOK_S = 0.05  # between looks whether all is let go

Drive = Callable[[str, str, str, str], Awaitable[dict[str, str]]]  # device, point, state, by whom: the states after it
Look = Callable[[str], Awaitable[dict[str, str]]]  # states of a device; empty where it does not answer
Tell = Callable[[str], None]


@dataclass
class Held:
    device: str
    name: str
    point: str
    state: str
    rest: str
    by: str
    intent: JournalEntry
    until: float
    at_most: float
    changed: asyncio.Event = field(default_factory=asyncio.Event)
    letting_go: bool = False
    over_to: str = ""  # who took it over: then it is not let go from here
    left_over: bool = False  # by an earlier process: somebody else may have driven it since

    def let_go(self) -> None:
        """From now on nobody holds it longer, whatever is still on its way."""
        self.letting_go, self.until = True, 0
        self.changed.set()


class Holding:
    """`drive` does one drive with its own journal; `tell` says in words what people must know."""

    def __init__(self, drive: Drive, look: Look, records: Records, tell: Tell) -> None:
        self._drive, self._look, self._records, self._tell = drive, look, records, tell
        self._over = False
        self._held: dict[tuple[str, str], Held] = {}
        self._worn: dict[tuple[str, str], float] = {}  # who was held too long, and until when it is not held anew
        self._tasks: set[asyncio.Task[None]] = set()

    async def hold(
        self, entry: JournalEntry, name: str, point: str, state: str, rest: str, seconds: float
    ) -> dict[str, str]:
        """Drive to `state`, and to `rest` when nobody asked again for `seconds`. States after it; none when it was
        held already. `entry` is the intent, without its id, `name` the device's.

        Raises Busy where another person holds it, or it is being let go: what is asked then is not done.
        """
        if not 0 < seconds <= LONGEST_S:
            raise RequestError(f"A point is held for at most {LONGEST_S:g} s at a time.", "Give fewer seconds.")
        loop = asyncio.get_running_loop()
        key = entry.device, point
        if (held := self._held.get(key)) is not None:
            if held.by != entry.by or held.state != state:
                raise Busy(f"{held.by} holds {point} {held.state}.", "It is let go when they let it go.")
            if held.letting_go:
                raise Busy(f"{point} of {name} is just being let go. Nothing was driven.", "Press again in a moment.")
            held.until = min(loop.time() + seconds, held.at_most)
            held.changed.set()
            return {}
        now = loop.time()
        if now < self._worn.get(key, now):
            self._worn[key] = now + PAUSE_S
            raise Busy(f"{point} was held for {IN_ALL_S / 60:g} minutes and let go.", "Let go of the button, too.")
        self._worn.pop(key, None)
        intent = entry._replace(
            intent=secrets.token_hex(8), changes=({"path": f"point:{point}", "from": rest, "to": state},)
        )
        held = Held(entry.device, name, point, state, rest, entry.by, intent, now + seconds, now + IN_ALL_S)
        self._held[key] = held
        try:
            await self._records.intend(intent)
        except BaseException:
            del self._held[key]
            raise
        try:
            states = await self._drive(held.device, point, state, held.by)
        except BaseException as error:
            held.let_go()
            if isinstance(error, NetloomError) and error.outcome == "not_sent":
                await self._ended(held, "failed", error.message)
            else:
                self._keep(held)  # whether it followed is not known
            raise
        if not held.letting_go:
            held.until = max(held.until, loop.time() + seconds)  # a slow device has its pulse, too
        self._keep(held)
        return states

    def why_held(self, device: str, point: str, by: str) -> str:
        """Why somebody else may not drive that point now, by short name; empty where they may."""
        held = self._held.get((device, point))
        if held is None or held.by == by or held.over_to:
            return ""
        left = max(held.until - asyncio.get_running_loop().time(), 0)
        still = f" for {math.ceil(left)} s more" if left else ""
        return f"{held.by} holds {point} of {held.name} {held.state}{still}."

    def take_over(self, device: str, point: str, by: str) -> None:
        """Whoever drives it from now on has it: it is not let go from here, and who held it is told."""
        held = self._held.get((device, point))
        if held is None or held.over_to:
            return
        if held.by != by:
            self._tell(f"{by} took {point} of {held.name} over from {held.by}, who held it {held.state}.")
        held.over_to = by
        held.let_go()

    def let_go(self, device: str, point: str) -> None:
        """Soon, and without waiting for it. Whoever stands there may let go what another one holds."""
        if (held := self._held.get((device, point))) is not None:
            held.let_go()

    def resume(self, intent: JournalEntry, name: str) -> None:
        """What an earlier process left held is let go, if it is still as it was held."""
        [change] = intent.changes
        point = str(change["path"]).removeprefix("point:")
        held = Held(intent.device, name, point, str(change["to"]), str(change["from"]), intent.by, intent, 0, 0)
        held.letting_go = held.left_over = True
        self._held[held.device, point] = held
        self._keep(held)

    async def stop(self, seconds: float) -> None:
        """Let go of everything; what does not follow in time stays open in the journal, for the next start."""
        loop = asyncio.get_running_loop()
        deadline = loop.time() + seconds
        while self._held and loop.time() < deadline:  # also those that are still being driven
            for held in self._held.values():
                held.let_go()
            await asyncio.sleep(LOOK_S)
        self._over = True
        for task in self._tasks:
            task.cancel()
        await asyncio.gather(*self._tasks, return_exceptions=True)

    def _keep(self, held: Held) -> None:
        if self._over:
            return  # its intent is open: the next start lets it go
        task = asyncio.ensure_future(self._until_let_go(held))
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)

    async def _until_let_go(self, held: Held) -> None:
        loop = asyncio.get_running_loop()
        while (left := held.until - loop.time()) > 0:
            held.changed.clear()
            try:
                async with asyncio.timeout(left):
                    await held.changed.wait()
            except TimeoutError:
                continue
        held.letting_go = True
        if loop.time() >= held.at_most > 0:
            self._worn[held.device, held.point] = loop.time() + PAUSE_S
        await self._ended(held, *await self._release(held))

    async def _ended(self, held: Held, what: str, said: str, now: str | None = None) -> None:
        """`now` is the state that was last told, None where none was."""
        await insist(lambda: self._records.conclude(_outcome(held.intent, what, said, now)), "what came of a hold")
        self._held.pop((held.device, held.point), None)

    async def _release(self, held: Held) -> tuple[str, str, str | None]:
        """(outcome, what there is to say, the state as told). It is tried for some minutes: a point that stays on is a
        danger."""
        error, what = "", f"{held.point} of {held.name}"
        for number in range(TRIES):
            if held.over_to:
                return word(Of.STEP, Seen.NOT_TOLD), f"{held.over_to} took it over; it was not let go from here.", None
            try:
                if held.left_over:
                    now = (await self._look(held.device)).get(held.point)
                    if now not in (None, held.state):
                        return "done", "It was let go already.", now
                now = (await self._drive(held.device, held.point, held.rest, held.by)).get(held.point)
                if now is None:
                    text = f"It was told to let go; {held.name} does not tell the state of {held.point}."
                    return word(Of.STEP, Seen.NOT_TOLD), text, None
                return word(Of.STEP, Seen.AS_WANTED), "", now
            except NetloomError as trouble:
                error = trouble.message
            except Exception:
                log.exception("letting go of %s of %s broke", held.point, held.device)
                error = "Netloom made a mistake of its own; its log has it."
            if number == 0:
                self._tell(f"{what} is held {held.state} and could not be let go: {error} It is tried again.")
            await asyncio.sleep(AGAIN_S[number] if number < len(AGAIN_S) else 8.0)
        self._tell(f"{what} could not be let go and may still be {held.state}: {error} Look at it there.")
        return "failed", error, None


def _outcome(intent: JournalEntry, what: str, said: str, now: str | None) -> JournalEntry:
    changes = tuple({**change, "read_back": now} for change in intent.changes)
    return intent._replace(kind="outcome", outcome=what, message=said, changes=changes)
