"""What all drivers do with a profile's items: from values that came by one channel to documents, states and readings.

A driver says how it asks (`fetch`), tells (`assign`) and acts (`perform`); what of which item that is,
is the same for all.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Hashable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

from netloom_core.bus.turns import Priority
from netloom_core.documents.tree import Document, put
from netloom_core.drivers.wire import Unreadable
from netloom_core.errors import CannotDo, KeyLost, LevelWanted, Unproven, WrongCredentials
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.types.base import BadValue

MAX_FACT = 120
RUNNING, STARTUP = "running", "startup"
NAMED = ("maker", "model", "serial", "firmware")
Told = Mapping[str, Any]  # by path: a value, or Unreadable; what the device has not is not in it


def identity_from(facts: Mapping[str, str]) -> Identity:
    """Identity from facts by their names; values are cut to a sane length."""
    cut = {name: value.strip()[:MAX_FACT] for name, value in facts.items() if value.strip()}
    return Identity(**{name: cut.pop(name, "") for name in NAMED}, facts=cut)


class BoundDriver:
    """One device over one channel of its profile. Subclasses speak the protocol."""

    def __init__(self, target: Target, profile: Profile, name: str) -> None:
        self.target = target
        self.profile = profile
        self.name = name
        self.unreadable: dict[str, str] = {}  # of the last reading, by path: why
        self._trusted: Hashable | None = None
        self._level = ""  # of access, at which it is entered
        self.acted = False  # whether something that acts was sent since the session last set it so
        self._who, self._priority = target.name, Priority.RUN

    @property
    def logins(self) -> tuple[Credentials, ...]:
        """By which it may be entered at the present level, the likeliest first; a nameless one where none is known."""
        return self.target.logins(self._level) or (Credentials(),)

    def refused_login(self) -> WrongCredentials:
        """None of its logins lets in: what to say of that."""
        wrong = next((one.user for one in self.logins if self.profile.factory.other_case(one.user)), "")
        case = f" Its names count by case: its factory's is {self.profile.factory.user}, not {wrong}." if wrong else ""
        named = any(one.user for one in self.logins)
        code = self.profile.ladder.called(self._level)
        what = "user name and password" if named or not self.profile.levels else f"{code} that is known here"
        return WrongCredentials(
            f"{self.target.name or self.target.address} does not take the {what}.{case}",
            "Enter the right ones on the bench under Address, Access; nothing was changed on the device.",
            target=self.target.device,
        )

    # What a protocol says for itself

    async def identify(self) -> Identity:
        raise NotImplementedError

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        """Values of items from set `which`, in as few requests as can be."""
        raise NotImplementedError

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        """Send values; that no error comes proves nothing. `acted` is set once the first of them may have left: after
        that no error means that nothing was sent."""
        raise NotImplementedError

    async def perform(self, calls: Sequence[Any]) -> None:
        """Send the calls of a procedure; `acted` as in `assign`."""
        raise NotImplementedError

    @property
    def record_time(self) -> str:
        """How times are written in its event record."""
        record = getattr(self.profile.channels[self.name], "record", None)
        return record.time if record is not None else ""

    def tells_startup(self, bound: Bound) -> bool:
        """Whether the kept value of an item can be read by a way of its own."""
        return False

    @property
    def connection(self) -> Hashable | None:
        return None

    def sign_out(self) -> None:
        """The next call enters anew, at the level that is set then."""

    # What is the same for all

    @contextmanager
    def at_level(self, level: str) -> Iterator[None]:
        """What is asked in here is asked by whoever has that level of access. Raises LevelWanted where nobody has.

        Where the connection has to be proven anew first, the level stays: the same is asked again after that.
        """
        if level and not self.target.logins(level):
            code = self.profile.ladder.called(level)
            raise LevelWanted(self.target.name or self.target.address, code, self.target.device)
        self._rise(level)
        again = False
        try:
            yield
        except Unproven:
            again = True
            raise
        finally:
            if not again:
                self._rise("")

    def _rise(self, level: str) -> None:
        if level != self._level:
            self._level = level
            self.sign_out()

    def trust(self, connection: Hashable | None) -> None:
        self._trusted = connection

    def need_proof(self) -> None:
        """Raises Unproven where it was not proven on the present connection who is there."""
        if self._trusted is None or self._trusted != self.connection:
            raise Unproven(f"The talk with {self.target.address} has begun anew.", "It is asked again who it is.")

    def speak_for(self, who: str, priority: int) -> None:
        """For whom the next turns of a line are taken, and how urgent they are."""
        self._who, self._priority = who, Priority(priority)

    async def close(self) -> None:
        """Let go of what is open."""

    async def read(self, which: str) -> Document:
        self._rise("")
        wanted = []
        for bound in self.profile.bound(self.name):
            if not bound.item.decided or bound.item.secret or not bound.binding.reads:
                continue
            if which == RUNNING or self.tells_startup(bound) or bound.item.kept == "always":
                wanted.append(bound)
        if which == STARTUP and not any(self.tells_startup(bound) for bound in wanted):
            return {}
        return self.document(await self.fetch(which, wanted))

    def document(self, told: Told) -> Document:
        document: Document = {}
        self.unreadable = {}
        for path, value in told.items():
            if isinstance(value, Unreadable):
                self.unreadable[path] = str(value)
            else:
                put(document, path, value)
        return document

    async def write(self, changes: Sequence[Change]) -> None:
        by_path = self.profile.bound_by_path(self.name)
        values = []
        for change in changes:
            bound = by_path.get(change.path)
            if bound is None or not bound.binding.writes:
                raise CannotDo(f"{change.path} of {self.target.name} cannot be written by {self.name}.")
            values.append((bound, self.plain(bound.item, change.after)))
        with self.at_level(self.profile.level_for(change.path for change in changes)):
            await self.assign(values)

    def plain(self, item: Item, value: Any) -> Any:
        """The value to send: the text itself behind a reference to a secret."""
        if not item.secret:
            return value
        text = self.target.secrets.get(str(value))
        if text is None:
            raise KeyLost(
                f"The secret for {item.path} of {self.target.name} is not to be had.",
                "Enter it again. Nothing was written.",
                target=self.target.device,
            )
        return text

    async def store(self) -> None:
        await self.procedure("store")

    async def restart(self) -> None:
        await self.procedure("restart")
        self.went()

    async def procedure(self, name: str) -> None:
        calls = self.profile.calls(name, self.name)
        if not calls:
            raise CannotDo(f"{self.profile.model} has no way to {name}.", "Nothing was sent to it.")
        described = self.profile.procedure(name)
        with self.at_level(self.profile.ladder.of(described.level) if described is not None else ""):
            await self.perform(calls)
        if described is not None and described.away and name != "restart":
            self.went()

    def went(self) -> None:
        """It starts anew: nothing of the present talk lasts."""

    async def states(self) -> dict[str, str]:
        self._rise("")
        wanted = [one for one in self.profile.bound_live(self.name) if one.binding.reads]
        return self.states_of(await self.fetch(RUNNING, wanted))

    def states_of(self, told: Told) -> dict[str, str]:
        points = self.profile.points_by_path
        return {
            points[path].id: points[path].state_of(value)
            for path, value in told.items()
            if path in points and not isinstance(value, Unreadable)
        }

    async def drive(self, point: str, state: str) -> None:
        item = self.profile.by_point[point]
        bound = self.profile.bound_by_path(self.name).get(item.path)
        if bound is None or not item.drive:
            raise CannotDo(f"{item.label} of {self.profile.model} cannot be driven by {self.name}.")
        try:
            value = item.type.check(state)
        except BadValue as error:
            raise CannotDo(f"{item.label} cannot be driven to {state!r}.", f"Give {item.type.want()}.") from error
        with self.at_level(self.profile.ladder.of(item.level)):
            await self.assign([(bound, value)])

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        raise CannotDo(f"{self.profile.model} does not tell changes by itself.")
        yield {}

    async def sign_in_as(self, credentials: Credentials) -> bool:
        raise CannotDo(f"{self.profile.model} has no sign-in by {self.name}.")
