"""The one conversation with a device, used by all who want something of it.

Nothing is read from it, written to it or told to it before it has proven who it is on the
present connection. Who wants something takes turns, the most urgent first; each turn is bounded
in total time. Being cancelled is an ordinary way out: the connection is thrown away, the next
one begins anew.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncGenerator, AsyncIterator, Awaitable, Callable, Hashable, Sequence
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from typing import Any, TypeVar

from netloom_core.bus.limit import Limit
from netloom_core.bus.turns import Priority, Turns
from netloom_core.clock import Clock
from netloom_core.documents.tree import Document
from netloom_core.drivers.abilities import DriverSource
from netloom_core.errors import CannotDo, NetloomError, NoAnswer, ProtocolError, UnknownDevice, Unproven, WrongDevice
from netloom_core.identity.keys import Makers
from netloom_core.identity.proof import Verdict, judge
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.image import Image
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.record import Told, set_on_ours

Result = TypeVar("Result")
TURN_S = 25.0  # one call with its proof and sign-in, whatever arrives
VALUE_S = 0.25  # besides, for each value that it reads or writes
WAIT_S = 40.0  # for the turn
DRIVE_WAIT_S = 8.0  # somebody stands before it: what comes later than that is not wanted any more
FRESH_S = 1.0  # a proof so young is good enough to write on where the connection itself proves nothing
POLL_S = 0.5  # how often states are asked for where a device does not tell them by itself
HINTED_S = 5.0  # the same where it says that something changed: what it says may be lost on the way
LOAD_S = 600.0  # for a firmware file, besides its bytes
SLOWEST = 200.0  # bytes of it a second, as on a bus of 9600 baud that others use, too
TRIES = 3  # a connection that is lost again and again between proof and call is a trouble of its own


@dataclass
class Known:
    """What was last read, and when (Unix time in seconds)."""

    documents: dict[str, tuple[Document, float]] = field(default_factory=dict)
    told: dict[str, Document] = field(default_factory=dict)  # of that reading; empty is a set of which it told nothing
    unreadable: dict[str, str] = field(default_factory=dict)  # of that reading, by path: why
    states: dict[str, str] = field(default_factory=dict)
    states_at: float = 0.0
    identity: Identity | None = None


class Session:
    def __init__(self, target: Target, source: DriverSource, makers: Makers, clock: Clock) -> None:
        self.target = target
        self.known = Known()
        self._source = source
        self._makers = makers
        self._clock = clock
        self._turns = Turns(target.name or target.device)
        self._limit = Limit()
        self._driver: Any = None
        self._mark: Hashable | None = None  # of the connection on which it was proven who is there
        self._stale = False
        self._proven_at = 0.0

    @property
    def clock(self) -> Clock:
        return self._clock

    @property
    def idle(self) -> bool:
        return self._turns.free

    @property
    def driver(self) -> Any:
        """The present talk with it, if there is one."""
        return self._driver

    @property
    def abilities(self) -> Abilities:
        return self._source.abilities(self.target.profile, self.target.line)

    def talk(self, who: str, priority: Priority) -> Talk:
        return Talk(self, who, priority)

    def aim(self, target: Target) -> None:
        """The record says where and who it is now. A call under way ends as it began; the next one connects anew."""
        self.target = target

    async def drop(self) -> None:
        """Let the connection go: now, or after the call that is under way."""
        if self.idle:
            await self._discard()
        else:
            self._stale = True

    async def _discard(self) -> None:
        driver, self._driver, self._mark, self._stale = self._driver, None, None, False
        if driver is not None:
            await driver.close()

    async def call(
        self,
        who: str,
        priority: Priority,
        ask: Callable[[Any], Awaitable[Result]],
        *,
        acts: bool = False,
        seconds: float = TURN_S,
        spread: bool = False,
    ) -> Result:
        """One call in one turn, after the proof. `acts` is set where it changes something: the proof is fresh then.

        A line that it shares with others is had from the proof to the end of the call: others' trouble is no part of
        its time, and nobody gets between. A `spread` one takes turns for its pieces instead.

        Raises WrongDevice where somebody else answers, UnknownDevice where it cannot be told,
        Busy where the turn does not come, and what the driver raises.
        """
        if not self._turns.take_free(who):
            await self._turns.take(priority, who, DRIVE_WAIT_S if priority is Priority.DRIVE else WAIT_S)
        try:
            shared = None if spread else self._source.shared(self.target)
            if shared is None or shared.mine:
                return await self._bounded(who, priority, ask, acts, seconds)
            await shared.hold(priority, who, DRIVE_WAIT_S if priority is Priority.DRIVE else WAIT_S)
            try:
                return await self._bounded(who, priority, ask, acts, seconds)
            finally:
                shared.give()
        finally:
            self._turns.give()

    async def _bounded(
        self, who: str, priority: Priority, ask: Callable[[Any], Awaitable[Result]], acts: bool, seconds: float
    ) -> Result:
        clean = False
        self._limit.begin(seconds)
        try:
            result = await self._proven(who, priority, ask, acts)
            clean = True
            return result
        except NetloomError:
            clean = True
            raise
        except asyncio.CancelledError:
            if not self._limit.end():
                raise
            raise NoAnswer(
                f"{self.target.name or self.target.address} did not finish its answer within {seconds:g} s.",
                "Look at its power and cable. Read it again before anything else is written.",
                target=self.target.device,
            ) from None
        finally:
            self._limit.end()
            if not clean:  # cancelled, or a mistake of ours: what is left on the connection belongs to nobody
                await self._discard()

    async def _proven(
        self, who: str, priority: Priority, ask: Callable[[Any], Awaitable[Result]], acts: bool
    ) -> Result:
        for attempt in range(TRIES):
            driver = self._driver
            # Mostly it is the very same record to which the connection was made.
            if driver is None or self._stale or not (driver.target is self.target or driver.target == self.target):
                driver = await self._open()
            driver.speak_for(who, priority)
            mark = driver.connection
            if mark is None or mark != self._mark or (acts and not self._fresh()):
                await self.prove(driver)
            try:
                return await ask(driver)
            except Unproven:
                self._mark = None
                if attempt == TRIES - 1:
                    raise
        raise AssertionError("the loop above returns or raises")

    def _fresh(self) -> bool:
        return asyncio.get_running_loop().time() - self._proven_at < FRESH_S

    async def _open(self) -> Any:
        await self._discard()
        self._driver = await self._source.open(self.target)
        return self._driver

    async def prove(self, driver: Any) -> Identity:
        """Ask who is there; only the device on record may be told or asked anything else."""
        self._mark = None
        identity: Identity = await driver.identify()
        self._admit(driver.target, identity)
        self.known.identity = identity
        mark = driver.connection
        driver.trust(mark)
        if driver is self._driver:
            self._mark, self._proven_at = mark, asyncio.get_running_loop().time()
        return identity

    def _admit(self, target: Target, identity: Identity) -> None:
        verdict = judge(target, identity, self._makers)
        if verdict is Verdict.SAME:
            return
        told = f"{identity.maker} {identity.model}".strip() or "somebody"
        number = f", serial number {identity.serial}" if identity.serial else ""
        if verdict is Verdict.OTHER:
            raise WrongDevice(
                f"At {target.address} answers {told}{number}: not {target.name}. Nothing was written.",
                "Sweep the line to see who is where.",
                target=target.device,
            )
        why = "the record was never found by a sweep" if not target.found else "it tells nothing that would prove it"
        raise UnknownDevice(
            f"{told}{number} answers at {target.address}, but whether it is {target.name} is not known: {why}. "
            "Nothing was read or written.",
            "Sweep the line first, and take the device in.",
            target=target.device,
        )

    async def watch(self, who: str) -> AsyncGenerator[dict[str, str], None]:
        """States as they change: told by the device where it can, else asked for now and then."""
        if Ability.WATCH in self.abilities:
            async for states in self._stream():
                yield states
            return
        self.abilities.need(Ability.STATES, self.target.name)
        last: dict[str, str] = {}
        async with self._hints() as wait:
            while True:
                now = await self.talk(who, Priority.WATCH).states()
                if changed := {name: state for name, state in now.items() if last.get(name) != state}:
                    yield changed
                last = now
                await wait()

    @asynccontextmanager
    async def _hints(self) -> AsyncIterator[Callable[[], Awaitable[None]]]:
        """How to wait for the next look: a while, or until the device says that something changed."""
        if Ability.HINT not in self.abilities:
            yield lambda: asyncio.sleep(POLL_S)
            return
        driver = await self._source.open(self.target)
        try:
            async with driver.hints() as wait:
                yield lambda: wait(HINTED_S)
        finally:
            await driver.close()

    async def _stream(self) -> AsyncIterator[dict[str, str]]:
        """A stream needs a connection of its own; it is proven like any other."""
        driver = await self._source.open(self.target)
        try:
            async with asyncio.timeout(TURN_S):
                await self.prove(driver)
            async with contextlib.aclosing(driver.watch()) as changes:
                async for states in changes:
                    self.note_states(states, whole=False)
                    yield states
        except TimeoutError:
            raise NoAnswer(f"{self.target.name} did not say who it is in time.", target=self.target.device) from None
        finally:
            await driver.close()

    def note_states(self, states: dict[str, str], *, whole: bool = True) -> None:
        self.known.states = states if whole else {**self.known.states, **states}
        self.known.states_at = self._clock.now()

    def note_document(self, which: str, document: Document) -> None:
        self.known.documents[which] = (document, self._clock.now())


class Talk:
    """A session as one user of it has it: who asks, and how urgent that is."""

    def __init__(self, session: Session, who: str, priority: Priority) -> None:
        self._session = session
        self._who = who
        self._priority = priority

    @property
    def target(self) -> Target:
        return self._session.target

    @property
    def known(self) -> Known:
        """What was last read by anybody."""
        return self._session.known

    @property
    def abilities(self) -> Abilities:
        return self._session.abilities

    @property
    def user(self) -> str:
        """As whom it is signed in; empty where it is not, or nobody has a name there."""
        driver = self._session.driver
        return getattr(driver, "user", "") if driver is not None else ""

    async def _call(self, ask: Callable[[Any], Awaitable[Result]], seconds: float = TURN_S) -> Result:
        return await self._session.call(self._who, self._priority, ask, seconds=seconds)

    async def _act(
        self,
        ask: Callable[[Any], Awaitable[None]],
        *,
        again: bool = False,
        seconds: float = TURN_S,
        spread: bool = False,
        so_far: Callable[[], str] = lambda: "a part of that",
    ) -> None:
        """What changes something. That nothing was sent is said only where nothing was; and where a part of it was, it
        is not begun once more by itself, unless it may be said `again`."""
        acted = False

        async def act(driver: Any) -> None:
            nonlocal acted
            driver.acted = False
            try:
                await ask(driver)
            except Unproven as error:
                if again or not driver.acted:
                    raise
                text = f"{self.target.name} began its talk anew after {so_far()}."
                raise NoAnswer(text, "Did its power go? Look what it has now.") from error
            finally:
                acted = acted or driver.acted

        try:
            await self._session.call(self._who, self._priority, act, acts=True, seconds=seconds, spread=spread)
        except NetloomError as error:
            if acted and error.outcome == "not_sent":
                error.outcome = "unknown"
            raise

    async def identify(self) -> Identity:
        """Asked anew, and proven."""
        return await self._call(self._session.prove)

    async def read(self, which: str) -> Document:
        """Empty where the device cannot tell that set."""
        return (await self.read_sets([which]))[which]

    async def read_sets(self, names: Sequence[str]) -> dict[str, Document]:
        """Several sets in one turn; empty documents for those that it cannot tell. Raises ProtocolError where
        nothing of what it does now is a value: what was read before is not what it has now."""
        sets = self.abilities.sets
        told = [name for name in names if name in sets]
        unreadable: dict[str, str] = {}

        async def all_of_them(driver: Any) -> dict[str, Document]:
            documents = {}
            for name in told:
                documents[name] = await driver.read(name)
                if driver.unreadable:
                    # What it does now counts more than what it keeps, where neither can be read.
                    unreadable.update({p: why for p, why in driver.unreadable.items() if p not in unreadable})
            return documents

        seconds = TURN_S + VALUE_S * self.abilities.values * len(told)
        found: dict[str, Document] = await self._call(all_of_them, seconds) if told else {}
        known = self._session.known
        known.told, known.unreadable = found, unreadable
        if unreadable and "running" in found and not found["running"]:
            raise ProtocolError(
                f"{self.target.name} told none of its values: {next(iter(unreadable.values()))}",
                "Look at its codes, and whether that is the right profile for it.",
                target=self.target.device,
            )
        for name, document in found.items():
            self._session.note_document(name, document)
        return {name: found.get(name, {}) for name in names}

    async def write(self, changes: Sequence[Change]) -> None:
        self.abilities.need(Ability.WRITE, self.target.name)
        await self._act(lambda driver: driver.write(changes), again=True, seconds=TURN_S + VALUE_S * len(changes))

    async def store(self) -> None:
        self.abilities.need(Ability.STORE, self.target.name)
        await self._act(lambda driver: driver.store())

    async def restart(self) -> None:
        self.abilities.need(Ability.RESTART, self.target.name)
        await self._act(lambda driver: driver.restart())

    async def procedure(self, name: str) -> None:
        if name not in self.abilities.procedures:
            raise CannotDo(f"{self.target.name} cannot be told to {name} from here.", "Nothing was sent to it.")
        await self._act(lambda driver: driver.procedure(name))

    async def readdress(self, changes: Sequence[Change]) -> None:
        self.abilities.need(Ability.READDRESS, self.target.name)
        await self._act(lambda driver: driver.readdress(changes))

    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        """Send a firmware file: the turn is as long as it takes on the slowest of lines."""
        self.abilities.need(Ability.LOAD, self.target.name)
        seconds = LOAD_S + image.size / SLOWEST
        sent = 0

        async def load(driver: Any) -> None:
            def so_far(count: int) -> None:
                nonlocal sent
                sent, driver.acted = count, driver.acted or count > 0
                told(count)

            await driver.load(image, so_far)

        await self._act(load, seconds=seconds, spread=True, so_far=lambda: f"{sent} of {image.size} bytes")

    async def states(self) -> dict[str, str]:
        if Ability.STATES not in self.abilities:
            return {}
        states: dict[str, str] = await self._call(lambda driver: driver.states())
        self._session.note_states(states)
        return states

    async def drive(self, point: str, state: str) -> None:
        self.abilities.need(Ability.DRIVE, self.target.name)
        await self._act(lambda driver: driver.drive(point, state), again=True)

    async def record(self) -> Told:
        """Its own event record, set on our time."""
        self.abilities.need(Ability.RECORD, self.target.name)

        async def ask(driver: Any) -> Told:
            before = self._session.clock.now()
            own, events = await driver.record()
            ours = (before + self._session.clock.now()) / 2
            return set_on_ours(events, own, ours, driver.record_time)

        told: Told = await self._call(ask)
        return told

    async def subordinates(self) -> list[dict[str, str]]:
        self.abilities.need(Ability.LIST, self.target.name)
        found: list[dict[str, str]] = await self._call(lambda driver: driver.subordinates())
        return found

    async def sign_in_as(self, credentials: Credentials) -> bool:
        self.abilities.need(Ability.SIGN_IN, self.target.name)
        good: bool = await self._call(lambda driver: driver.sign_in_as(credentials))
        return good

    async def drop(self) -> None:
        """The next call connects anew; after a restart of the device."""
        await self._session.drop()
