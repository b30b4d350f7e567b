"""Devices in memory, for tests that need no wire.

They keep values as real ones do: what was written goes at a power cut unless it was stored,
values that wait for a restart work after it, what nothing keeps goes. What the device can do and
tell is its `abilities`. Its troubles are plain attributes; `before` is called before each call and
may raise, wait or cancel.
"""

from __future__ import annotations

import asyncio
import copy
from collections.abc import AsyncIterator, Awaitable, Callable, Hashable, Sequence
from dataclasses import dataclass, field
from typing import Any

from netloom_core.bus.turns import Priority, Turns
from netloom_core.documents.tree import MISSING, Document, get, put, remove
from netloom_core.errors import (
    CodeWanted,
    LevelWanted,
    NetloomError,
    NoAnswer,
    NobodyThere,
    PortMissing,
    PromisedElsewhere,
    Refused,
    Unproven,
    WrongCredentials,
)
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.image import Image
from netloom_core.model.line import Line
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.defaults import default_document, rest_of
from netloom_core.profiles.profile import Profile

ALL = Abilities(
    frozenset(Ability) - {Ability.LIST, Ability.READDRESS, Ability.RESUME}, frozenset({"running", "startup"})
)


async def _nothing(name: str) -> None:
    """What happens before a call when nothing does."""


@dataclass
class MemoryDevice:
    profile: Profile
    address: str
    running: Document = field(default_factory=dict)
    identity: Identity = field(default_factory=Identity)
    startup: Document = field(default_factory=dict)
    abilities: Abilities = ALL
    speed: int = 0
    boots_in: float = 0.0  # seconds; at once without
    password: str = ""
    passwords: dict[str, str] = field(default_factory=dict)  # by level of access, where it has several and is guarded
    strict: dict[str, str] = field(default_factory=dict)  # its factory's: while one of them counts it does nothing else
    before: Callable[[str], Awaitable[None]] = _nothing
    line: str = ""  # on which it hangs, where several have devices at the same address

    follows: dict[str, tuple[str, Any]] = field(default_factory=dict)  # by a path that is written: what it changes, too

    limits: dict[str, tuple[Any, Any]] = field(default_factory=dict)  # by path: least and most that it really takes
    late_s: float = 0.0  # after which what it said yes to works
    starts_with: dict[str, Any] = field(default_factory=dict)  # by path: what it has after each power cut, kept or not
    forgets: frozenset[str] = frozenset()  # paths that it never keeps, whatever it is told

    silent: bool = False
    lies_about: str = ""
    untold: dict[str, frozenset[str]] = field(default_factory=dict)  # by set: paths of which it tells no value
    refuses: bool = False
    half_of_write: bool = False
    silent_after: str = ""  # the call after which it says nothing any more: write, store, restart
    error_after: dict[str, NetloomError] = field(default_factory=dict)  # what it answers though it did it
    comes_up_at: str = ""  # where it is after a change of address, if not where it was told
    promises: str = ""  # the address that it says it will have
    stores: bool = True
    piece: int = 1000  # bytes of a firmware file at once
    held: int = 0  # bytes of one that it has, where it can go on with it
    taken_by: Callable[[Image], None] | None = None  # what a firmware file that came whole does
    log: list[str] = field(default_factory=list)
    points: dict[str, str] = field(default_factory=dict)

    _buffer: Document = field(default_factory=dict)  # written, and works after a store or a restart
    connection: int = 1
    up: bool = True

    def __post_init__(self) -> None:
        if not self.running:
            self.running = default_document(self.profile)
        self.startup = self.startup or copy.deepcopy(self.running)
        self.points = rest_of(self.profile)
        self.secret_paths = [path for path, setting in self.profile.by_path.items() if setting.secret]

    def _setting(self, path: str) -> Any:
        return self.profile.by_path[path]

    def take(self, path: str, value: Any) -> None:
        """A value written from outside or at its own front."""
        setting = self._setting(path)
        if path in self.limits:
            least, most = self.limits[path]
            value = min(max(value, least), most)
        if setting.takes == "at-once" and self.late_s:
            asyncio.get_running_loop().call_later(self.late_s, put, self.running, path, value)
        elif setting.takes == "at-once":
            self._check(path, value)
            put(self.running, path, value)
        else:
            put(self._buffer, path, value)
        if setting.kept == "always" and path not in self.forgets:
            put(self.startup, path, value)
        if path in self.follows:
            put(self.running, *self.follows[path])

    def _check(self, path: str, value: Any) -> None:
        """Raises Refused for what may not stand together, of what stands now."""
        rules = self.profile.allowed
        if path not in rules.by_path:
            return
        now = {one: found for one in rules.by_path if (found := get(self.running, one)) is not MISSING}
        if rules.breaks({**now, path: value}, [path]) - rules.breaks(now, [path]):
            raise Refused(f"It does not take {path} as things are.")

    def keep(self) -> None:
        for path, setting in self.profile.by_path.items():
            value = get(self._buffer, path)
            if setting.takes == "on-store" and value is not MISSING:
                put(self.running, path, value)
                remove(self._buffer, path)
            if setting.kept == "never" or path in self.forgets:
                continue
            now = value if setting.takes == "on-restart" and value is not MISSING else get(self.running, path)
            if setting.takes == "on-restart" and value is MISSING:
                continue  # what waits for a restart is there already
            if now is not MISSING:
                put(self.startup, path, now)

    def perform(self, procedure: str) -> None:
        """What it is told to do as a whole; a reset forgets all but what survives, and the place with it."""
        self.log.append(f"did {procedure}")
        if procedure == "restart":
            self.power_cut()
        if procedure in ("factory-reset", "initialise"):
            described = self.profile.procedure(procedure)
            survives = described.survives if described else []
            fresh, role = default_document(self.profile), self.profile.with_role("address")
            for path, item in self.profile.by_path.items():
                if (item.role or "settings") in survives and (value := get(self.running, path)) is not MISSING:
                    put(fresh, path, value)
            if role is not None and "address" not in survives and self.profile.factory.addresses:
                put(fresh, role.path, self.profile.factory.addresses[0])
            self.startup = fresh
            self.power_cut()

    def power_cut(self) -> None:
        """It starts with what it kept; what nothing keeps is as its factory made it."""
        self.connection += 1
        fresh = copy.deepcopy(self.startup)
        for path, setting in self.profile.by_path.items():
            if setting.kept != "never":
                continue
            waiting = get(self._buffer, path)
            if setting.takes == "on-restart" and waiting is not MISSING:
                put(fresh, path, waiting)
            else:
                value = get(default_document(self.profile), path)
                remove(fresh, path) if value is MISSING else put(fresh, path, value)
        for path, value in self.starts_with.items():
            put(fresh, path, value)
        self.running, self._buffer = fresh, {}
        self.points = rest_of(self.profile)
        address = self.profile.with_role("address")
        if address is not None and address.takes == "on-restart":
            self.address = self.comes_up_at or str(get(self.running, address.path))
        self.up = False
        if self.boots_in:
            asyncio.get_running_loop().call_later(self.boots_in, self._is_up)
        else:
            self._is_up()

    def _is_up(self) -> None:
        self.up = True


class MemoryDriver:
    """A connection to whoever is at the target's place, as a real one would be."""

    def __init__(
        self, target: Target, devices: Sequence[MemoryDevice], in_vain: Callable[[], Awaitable[None]] | None = None
    ) -> None:
        """`in_vain` is waited for where nobody is there to answer."""
        self.target = target
        self._devices = devices
        self._in_vain = in_vain
        self.unreadable: dict[str, str] = {}
        self.acted = False
        self._trusted: Hashable | None = None
        self._to: tuple[int, int] | None = None

    def _who(self) -> MemoryDevice | None:
        target = self.target
        for one in self._devices:
            there = one.address == target.address and one.line in ("", target.line.id)
            if one.up and not one.silent and there and one.speed in (0, target.speed):
                return one
        return None

    @property
    def connection(self) -> Hashable | None:
        device = self._who()
        mark = (id(device), device.connection) if device is not None else None
        return mark if mark == self._to else None

    def trust(self, connection: Hashable | None) -> None:
        self._trusted = connection

    def speak_for(self, who: str, priority: int) -> None:
        return None

    async def close(self) -> None:
        self._to = None

    async def _there(self, what: str, *, proves: bool = False) -> MemoryDevice:
        device = self._who()
        if device is not None:
            await device.before(what)
        elif self._in_vain is not None:
            await self._in_vain()
        if not proves and (self._trusted is None or self._trusted != self.connection):
            raise Unproven(f"{self.target.address} is a new connection.")
        if device is None and any(one.abilities.own_port and not one.up for one in self._devices):
            raise PortMissing("The port does not exist.")
        if device is None or device is not self._who():
            refused = self.target.line.kind == "ip"
            raise NobodyThere(f"{self.target.address} does not answer.", outcome="not_sent", refused=refused)
        device.log.append(what)
        self._to = (id(device), device.connection)
        return device

    async def _after(self, device: MemoryDevice, what: str) -> None:
        self.acted = True
        if device.silent_after == what:
            device.silent = True
            raise NoAnswer("It fell silent.")
        if what in device.error_after:
            raise device.error_after.pop(what)
        await device.before(f"after {what}")

    async def identify(self) -> Identity:
        return (await self._there("identify", proves=True)).identity

    def _enter(self, device: MemoryDevice, level: str = "", *, codes: bool = False) -> None:
        """Whether it lets in at that level, and does anything before it has new `codes`."""
        if not device.passwords:
            return
        logins = self.target.logins(level)
        if not logins:
            raise LevelWanted(self.target.name, level)
        if all(one.password != device.passwords[level] for one in logins):
            raise WrongCredentials(f"{self.target.name} does not take that code.")
        if not codes and any(device.passwords[one] == factory for one, factory in device.strict.items()):
            raise CodeWanted(self.target.name)

    async def read(self, which: str) -> Document:
        device = await self._there(f"read {which}")
        self._enter(device)
        if which not in device.abilities.sets:
            return {}
        document = copy.deepcopy(device.startup if which == "startup" else device.running)
        for path in device.secret_paths:
            remove(document, path)
        self.unreadable = dict.fromkeys(device.untold.get(which, ()), "it is no value")
        for path in self.unreadable:
            remove(document, path)
        return document

    async def write(self, changes: Sequence[Change]) -> None:
        device = await self._there("write")
        if device.refuses:
            raise Refused("It said no.")
        paths = [change.path for change in changes]
        codes = all(device.profile.by_path[path].role == "password" for path in paths)
        self._enter(device, device.profile.level_for(paths), codes=codes)
        taken = changes[: len(changes) // 2] if device.half_of_write else changes
        for change in taken:
            if change.path == device.lies_about:
                continue
            secret = device.profile.by_path[change.path].secret
            value = self.target.secrets[change.after] if secret else change.after
            device.take(change.path, value)
            if secret and device.profile.by_path[change.path].role == "password":
                device.password = value
                level = device.profile.ladder.named(device.profile.by_path[change.path].opens) or ""
                if device.passwords:
                    device.passwords[level] = value
        await self._after(device, "write")

    async def store(self) -> None:
        device = await self._there("store")
        if device.stores:
            device.keep()
        await self._after(device, "store")

    async def procedure(self, name: str) -> None:
        device = await self._there(name)
        if not device.refuses:
            device.perform(name)
        await self._after(device, name)

    async def restart(self) -> None:
        device = await self._there("restart")
        device.power_cut()
        await self._after(device, "restart")

    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        """Piece by piece; it starts anew when it has it all, as what the file makes of it."""
        device = await self._there("load")
        resumes = Ability.RESUME in device.abilities
        told(device.held)
        for offset in range(device.held if resumes else 0, image.size, device.piece):
            await device.before(f"piece {offset}")
            if device.refuses:
                raise Refused("It said no.")
            if self._who() is not device:
                raise NoAnswer("It fell silent in the middle.")
            device.held = min(offset + device.piece, image.size) if resumes else 0
            told(min(offset + device.piece, image.size))
        device.held = 0
        if device.taken_by is not None:
            device.taken_by(image)
        device.power_cut()
        await self._after(device, "load")

    async def readdress(self, changes: Sequence[Change]) -> None:
        device = await self._there("readdress")
        address = device.address
        for change in changes:
            role = device.profile.by_path[change.path].role
            put(device.running, change.path, change.after)
            put(device.startup, change.path, change.after)
            if role == "address":
                address = device.comes_up_at or device.promises or str(change.after)
            elif role == "speed":
                device.speed = int(change.after)
        device.address = address
        device.connection += 1
        if device.promises:
            raise PromisedElsewhere("It will be elsewhere.", "", address=device.promises, speed=device.speed)
        await self._after(device, "readdress")

    async def states(self) -> dict[str, str]:
        return dict((await self._there("states")).points)

    async def drive(self, point: str, state: str) -> None:
        device = await self._there(f"drive {point}")
        if not device.refuses and point != device.lies_about:
            device.points[point] = state
        await self._after(device, "drive")

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        yield await self.states()

    async def sign_in_as(self, credentials: Credentials) -> bool:
        device = await self._there("sign in")
        return credentials.password == device.passwords.get(credentials.level, device.password)


class MemoryDrivers:
    """Opens drivers to whichever device is at the target's place."""

    def __init__(self, devices: list[MemoryDevice]) -> None:
        self.devices = devices
        self.line: Turns | None = None  # that those on a serial line share
        self.vain_s = 0.0  # of that line's time, for each question that nobody answers

    def abilities(self, profile: str, line: Line) -> Abilities:
        return next((d.abilities for d in self.devices if d.profile.id == profile), ALL)

    def shared(self, target: Target) -> Turns | None:
        return self.line if target.line.kind == "serial" else None

    async def open(self, target: Target) -> MemoryDriver:
        return MemoryDriver(target, self.devices, self._in_vain if self.vain_s else None)

    async def _in_vain(self) -> None:
        assert self.line is not None
        async with self.line.turn(Priority.RUN, "a driver", self.vain_s * len(self.devices)):
            await asyncio.sleep(self.vain_s)
