"""A unit with a description: its power, its memory, its faces."""

from __future__ import annotations

import asyncio
import time
import weakref
from collections import deque
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Any, ClassVar

from netloom_core.model.line import UNIT_MARK
from netloom_standins.described.description import Description, Fed
from netloom_standins.described.loading import Loading
from netloom_standins.described.memory import Memory, Wrong
from netloom_standins.net_unit import NetUnit
from netloom_standins.services.base import Service
from netloom_standins.services.registry import SERVICES

UNSET = "0.0.0.0"  # noqa: S104 - nothing is bound to it
MOST_LOGGED = 400
RESTART_S = 0.2  # before it goes down after it was told to restart


ON_THE_AIR: weakref.WeakValueDictionary[int, DescribedUnit] = weakref.WeakValueDictionary()
GROW_S = 0.5


@dataclass
class DescribedUnit(NetUnit):
    """Its values are in `memory`; on a serial line `bus_address` and `speed` are where it is reached."""

    faces: ClassVar[dict[str, type[Service]]] = {}

    description: Description = field(default_factory=lambda: Description(model="", memory={}))
    memory: Memory = field(default_factory=lambda: Memory({}))
    bus_address: int = 0
    speed: int = 0
    talks: list[Any] = field(default_factory=list)  # open talks, which hear of changes
    log: deque[tuple[float, str]] = field(default_factory=lambda: deque(maxlen=MOST_LOGGED))
    new_certificate: Callable[[], None] = lambda: None
    alone: asyncio.TimerHandle | None = None  # when it goes on by itself
    announce: Callable[[Any, bool], Awaitable[None]] | None = None

    def __post_init__(self) -> None:
        self.memory = Memory(self.description.memory, self.description.forbids)
        self.memory.changed.append(self._told)
        self.faults.boot_seconds = self.description.boot
        form = self.description.firmware
        self.loading = Loading(self, form) if form is not None else None

    def begin(self, values: dict[str, Any]) -> None:
        for path, value in values.items():
            self.memory.begin(path, value)
        self._place()
        self._mirror()

    def _place(self) -> None:
        """Where it is reached, as its memory says."""
        what = self.description
        if what.address_at and self.faults.leased:
            self.memory.overrule(what.address_at, self.faults.leased)
        if what.address_at:
            address = str(self.memory.value(what.address_at))
            self.address = "" if address == UNSET else address or self.address
        if what.speed_at:
            self.speed = int(self.memory.value(what.speed_at)) or self.speed
        if what.unit_at:
            self.bus_address = int(self.memory.value(what.unit_at)) or self.bus_address

    def _mirror(self) -> None:
        """What it has in mind, as the other stand-ins name it."""
        self.running, self.startup = self.memory.running, self.memory.startup

    @property
    def usual_boot(self) -> float:
        return self.description.boot

    def set_point(self, point: str, state: str) -> None:
        known = self.profile.by_point.get(point)
        if known is None or known.path not in self.memory.cells:
            raise Wrong(f"It has no point {point}.")
        self.memory.set(known.path, self.memory.cells[known.path].parsed(state))

    def change(self, path: str, value: Any, stored: bool) -> None:
        cell = self.memory.cells.get(path)
        if cell is None:
            raise Wrong(f"It has no {path}.")
        self.take(path, cell.parsed(value))
        if stored:
            self.keep()

    def announced(self, up: bool) -> None:
        """By mDNS, where it announces itself and somebody speaks for it."""
        if self.announce is not None and self.description.announces:
            self._job(self.announce(self, up))

    def take(self, path: str, value: Any) -> None:
        if path != self.faults.liar:
            self.memory.set(path, value)

    def written(self, path: str, said: Any) -> Any:
        """A value from the wire. Raises Wrong."""
        if self.faults.refuse_writes:
            raise Wrong("refused")
        self.memory.liar = self.faults.liar
        if path in self.description.follows:
            self._follow(path, said)
            return said
        taken = self.memory.take(path, said)
        if (fed := self.description.fed) is not None and path == fed.text != self.faults.liar:
            self._fed(fed)
        elif fed is not None and path == fed.own and self.alone is None:
            self.take(fed.text, taken)
        return taken

    def _fed(self, fed: Fed) -> None:
        if self.alone is not None:
            self.alone.cancel()
        for state, value in ((fed.source, "outside"), (fed.keys, "off")):
            if self.memory.value(state) != value:
                self.take(state, value)
        self.alone = asyncio.get_running_loop().call_later(fed.after, self._by_itself, fed)

    def _by_itself(self, fed: Fed) -> None:
        """Nobody told it for a while."""
        self.alone = None
        self.take(fed.source, "own")
        self.take(fed.keys, "on")
        self.take(fed.text, self.memory.value(fed.own))

    def _follow(self, path: str, said: Any) -> None:
        """States that it passes by itself: `[state, seconds]` one after the other."""
        cell = self.memory.cells[path]
        steps = self.description.follows[path].get(str(said))
        if steps is None:
            raise Wrong("value")
        if str(self.memory.value(path)) == str(said):
            return
        if path == self.faults.liar:
            return

        async def pass_on() -> None:
            for state, seconds in steps:
                self.memory.set(path, cell.parsed(state))
                await asyncio.sleep(float(seconds))

        self.memory.set(path, cell.parsed(steps[0][0]))
        self._job(pass_on())

    def keep(self) -> None:
        self.memory.keep()
        self._mirror()
        self.factory = False
        self.on_change()

    def lose_unkept(self) -> None:
        if self.loading is not None:
            self.loading.power_went()
        self.memory.restart()
        self._mirror()
        self._place()

    def _join(self) -> None:
        """Those that join find the one that makes a network of their name and passphrase, if it is on."""
        if not self.description.wireless:
            return
        ON_THE_AIR[id(self)] = self
        for one in list(ON_THE_AIR.values()):
            one.look_for_network()

    def _air(self) -> tuple[str, str, str]:
        where = self.description.wireless
        mode, name, phrase = (str(self.memory.value(where[what])) for what in ("mode", "name", "passphrase"))
        return mode, name, phrase

    def look_for_network(self) -> None:
        mode, *mine = self._air()
        made = [
            list(one._air()[1:])
            for one in ON_THE_AIR.values()
            if one is not self and one.up and one._air()[0] == "make"
        ]
        link = "up" if mode == "join" and mine in made else "down"
        if self.memory.value(self.description.wireless["link"]) != link:
            self.memory.set(self.description.wireless["link"], link)

    @property
    def now(self) -> float:
        """What time it has."""
        return time.time() + self.faults.clock_ahead

    def noted(self, text: str) -> None:
        """It writes into its own record."""
        self.log.append((self.now, text))

    def _told(self, path: str, value: Any) -> None:
        self.noted(f"{path.strip('/').replace('/', ' ')} is {value}")
        if self.memory.cells[path].kept == "always":
            self.on_change()
        for talk in list(self.talks):
            talk.tell(path, value)
        presets = self.description.presets
        if presets is not None and path in (presets.recall, presets.save) and int(value):
            for cell, kept in presets.pairs(int(value)):
                start, end = (kept, cell) if path == presets.recall else (cell, kept)
                self.memory.set(end, self.memory.value(start))

    async def plug(self, into: str, port: int) -> None:
        """Its DMX cable goes to a port of the node at `into`."""
        _, mark, uid = self.address.partition(UNIT_MARK)
        if not mark or not any(face["face"] == "rdm" for face in self.description.faces):
            raise Wrong("It hangs on no DMX line.")
        for service in self.services:
            await service.stop()
        self.address = f"{into}{UNIT_MARK}{uid}"
        self.answers = {**self.answers, "rdm": {**(self.answers.get("rdm") or {}), "port": port}}
        if self.up:
            await self.start()

    # Power

    async def start(self) -> None:
        self._place()
        if (fed := self.description.fed) is not None:
            self.memory.begin(fed.text, self.memory.value(fed.own))
        self.services = []
        for face in self.description.faces:
            # Where the site tells more of a face than its model does, as of a switch who is behind its ports.
            service = self._service(
                {**face, "site": self.answers[name]} if (name := face["face"]) in self.answers else face
            )
            if service is not None and await service.begin():
                self.services.append(service)
        faces = {face["face"] for face in self.description.faces}
        for name, options in self.answers.items():
            if name in faces:
                continue
            other = SERVICES[name](self, options or {})
            if await other.begin():
                self.services.append(other)
        self.up = True
        if self.description.grows:
            self._job(self._grow())
        self.noted("power on")
        self.on_power(True)
        self._join()
        for talk in list(self.talks):
            talk.started()

    async def _grow(self) -> None:
        """Its counters go up while it is on."""
        while self.up:
            await asyncio.sleep(GROW_S)
            for path, growth in self.description.grows.items():
                for one, other in growth.pairs(path):
                    if self.memory.value(other) == growth.word:
                        grown = self.memory.value(one) + int(growth.per_second * GROW_S)
                        self.memory.overrule(one, grown)  # nobody is told of each byte

    def _service(self, face: dict[str, Any]) -> Service | None:
        kind = self.faces.get(str(face.get("face")))
        return kind(self, face) if kind is not None and self.address else None

    def do(self, what: str) -> None:
        """What it is told to do as a whole, by whichever face."""
        if what == "keep":
            self.keep()
        elif what in ("restart", "reset"):
            if what == "reset" and not self.faults.refuse_writes:
                self.memory.reset(self.description.stays, {})
                self.factory = True
                self.on_change()
            self.restart_soon()

    async def factory_reset(self) -> None:
        self.memory.reset(self.description.stays, {})
        self.factory = True
        self.on_change()
        await self.power_cut()

    def restart_soon(self) -> None:
        async def restart() -> None:
            await asyncio.sleep(RESTART_S)
            await self.power_cut()

        self._job(restart())

    def pulled(self) -> bool:
        """Whether the cable is pulled by this very write: what comes after it is not heard."""
        seconds, self.faults.pull_on_write = self.faults.pull_on_write, 0.0
        if not seconds:
            return False
        self.faults.silent = True

        async def plug_in() -> None:
            await asyncio.sleep(seconds)
            self.faults.silent = False

        self._job(plug_in())
        return True

    @property
    def words(self) -> dict[str, str]:
        """What its faces may tell of it by name."""
        return {"serial": self.serial, "firmware": self.firmware, "mac": self.mac,
                "host": self.host, "mac_dashed": self.mac.replace(":", "-").upper(), "maker": self.profile.maker,
                "model": self.reported_model, **(self.loading.words() if self.loading is not None else {}),
                **self.description.calls_itself}  # fmt: skip

    def where(self) -> str:
        return self.address or (f"unit {self.bus_address}" if self.bus_address else f"direct at {self.speed} baud")

    def state(self) -> dict[str, Any]:
        loaded = {"loaded": self.loading.state()} if self.loading is not None else {}
        return {"startup": self.memory.startup, "factory": self.factory, **loaded}

    def load(self, state: dict[str, Any]) -> None:
        self.memory.load(state.get("startup", {}))
        self.factory = bool(state.get("factory"))
        if self.loading is not None:
            self.loading.load(state.get("loaded", {}))
        self.lose_unkept()
