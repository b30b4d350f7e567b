"""What a sweep method is given and what it gives back."""

from __future__ import annotations

import asyncio
import ipaddress
import logging
import socket
from collections.abc import Awaitable, Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.clock import Clock
from netloom_core.errors import Crowded, NetloomError
from netloom_core.library.load import Library
from netloom_core.links import neighbours
from netloom_core.links.udp import UdpLink
from netloom_core.live.sessions import Sessions
from netloom_core.model.access import Access
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import Line, host_of
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.pace import Share
from netloom_core.sweep.presence import Presence

MAX_FACT = 400
MAX_NOTES = 20
GREET_S = 8.0  # one greeting in all, whatever the peer sends
LOOK_AGAIN_S = 0.1
log = logging.getLogger("netloom.sweep")


@dataclass
class Look:
    """One look along one line by one method.

    `expected` are the places (address, speed) where devices of the line should be; they
    are looked at first. `saw` takes each sighting at once; `progress` takes steps done and
    in all; `note` takes a sentence about what was left out and why. Every packet is taken
    from `pace` before it is sent. `methods` are all that run on this line; `parent` leads a
    line behind a device, and is asked on its one session. `only` narrows the look to these
    addresses; `heard` holds those that any method saw so far, `bore` the keys that each told.
    `presence` says whom to ask first; `begun` is when the sweep began, by the event loop's clock.
    `beside` are the looks of the other methods on this line, by name; `answered` holds those that
    answered a question that was sent to their address alone, `claimed` the MAC addresses that ARP showed
    for an address. `profiles` are those of the devices on record here.
    """

    line: Line
    library: Library
    owners: Owners
    clock: Clock
    expected: tuple[tuple[str, int], ...]
    saw: Callable[[Sighting], None]
    progress: Callable[[int, int], None]
    note: Callable[[str], None]
    pace: Share
    access: Access = field(default_factory=Access)
    methods: tuple[Method, ...] = ()
    parent: Target | None = None
    sessions: Sessions | None = None
    heard: set[str] = field(default_factory=set)
    bore: dict[str, set[str]] = field(default_factory=dict)
    only: frozenset[str] = frozenset()
    presence: Presence = field(default_factory=lambda: Presence((), probing=False))
    begun: float = 0.0
    beside: dict[str, Look] = field(default_factory=dict)
    answered: set[str] = field(default_factory=set)
    claimed: dict[str, set[str]] = field(default_factory=dict)
    profiles: tuple[str, ...] = ()
    unasked: set[str] = field(default_factory=set)

    def wanted(self, address: str) -> bool:
        return not self.only or address in self.only or any(address == host_of(one) for one in self.only)

    def ways_on_record(self, protocol: str) -> list[Any]:
        """The channels of that protocol that devices on record here have."""
        return [way for ident in self.profiles for way in self.library.need(ident).of_protocol(protocol)]

    def hosts(self) -> list[str]:
        """Addresses of an IP line to ask, those where devices should be first."""
        expected = [host_of(address) for address, _ in self.expected if self.line.holds(address)]
        return [host for host in dict.fromkeys([*expected, *self.line.hosts()]) if self.wanted(host)]

    def sight(self, address: str, method: str, **facts: str) -> None:
        """Give a sighting; empty facts are left out, long ones cut."""
        if len(self.claimed.get(address, ())) > 1 and not facts.get("mac"):
            # Two have that address: whoever is in the system's table now is who it spoke with, unless that one
            # was not heard in this sweep: an entry may be of somebody who has left.
            mac = next((n.mac for n in neighbours.table("") if n.address == address), "")
            facts["mac"] = mac if mac in self.claimed[address] else ""
        kept = {name: value[:MAX_FACT] for name, value in facts.items() if value}
        self.saw(Sighting(self.line.id, address, method, self.clock.now(), kept))

    async def send(self, link: UdpLink, data: bytes, address: str, port: int) -> bool:
        """One datagram out of the allowance. Whether it left; when this computer is full the line goes slower."""
        await self.pace.take()
        before = link.crowded
        try:
            return await link.send(data, address, port)
        except Crowded:
            return False
        finally:
            if link.crowded > before:
                self.pace.slow()

    async def greeted(self, method: Method, address: str, port: int, sock: socket.socket) -> None:
        """One greeting by another method, in the time that there is for one. A fault of it is a note of that method."""
        theirs = self.beside.get(method.name, self)
        try:
            async with asyncio.timeout(GREET_S):
                await method.greet(theirs, address, port, sock)
        except TimeoutError:
            theirs.unasked.add(address)
            theirs.note(f"The talk with {address} on port {port} was cut off after {GREET_S:g} s.")
        except NetloomError as error:
            if isinstance(error, Crowded):
                self.pace.slow()
            theirs.unasked.add(address)
            theirs.note(f"{address} on port {port} could not be asked: {error.message}")
        except Exception as error:
            log.exception("%s broke on %s port %d", method.name, address, port)
            theirs.unasked.add(address)
            theirs.note(f"{address} on port {port} could not be asked: a mistake of Netloom's own, which the log has "
                        f"({type(error).__name__}).")  # fmt: skip

    async def all_of(self, asked: Iterable[Awaitable[None]]) -> None:
        """Until all are done. A fault in following one answer is a note on that one, and costs the others nothing."""
        for end in await asyncio.gather(*asked, return_exceptions=True):
            if isinstance(end, NetloomError):
                self.note(f"Not everybody could be asked: {end.message}")
            elif isinstance(end, Exception):
                log.error("an answer could not be followed", exc_info=end)
                self.note("One answer could not be followed: a mistake of Netloom's own, which the log has.")

    async def login(self, address: str, seconds: float = 0.0) -> Credentials | None:
        """The credentials for who is there, once it was proven in this sweep that it is the device they belong to.

        Waits at most `seconds` for another method to tell who it is.
        """
        login = self.access.logins.get(address)
        if login is None:
            return None
        loop = asyncio.get_running_loop()
        deadline = loop.time() + seconds
        while login.keys and not login.keys & self.bore.get(address, set()):
            if loop.time() >= deadline:
                return None
            await asyncio.sleep(LOOK_AGAIN_S)
        return login.credentials

    def accepts(self, address: str) -> bool:
        """Whether somebody who answers from there is on this line's wire.

        On a real interface an address outside of the network is welcome: it is somebody with
        another subnet on the same wire. On loopback all lines share one wire.
        """
        try:
            parsed = ipaddress.ip_address(address)
        except ValueError:
            return False
        if address == self.line.source or parsed.is_multicast or parsed.is_unspecified:
            return False
        return self.line.holds(address) or not self.line.loopback

    def outside(self, address: str) -> dict[str, str]:
        return {} if self.line.holds(address) else {"outside": "yes"}


class Method:
    """A way to find devices. Never writes to one; ends by itself; adds no waiting to others.

    `needs` and `sends` are sentences for people; `wait_s` is how long it listens where that is
    fixed, in seconds; `budget` is when it is cut off, whatever it still does. A method that speaks on connections which
    the connect scan opens names its `ports` and has a `greet`; one that goes its own way
    has a `run`.
    """

    name = ""
    title = ""
    needs = ""
    sends = ""
    wait_s = 0.0
    limit_s = 20.0  # over what it listens
    kinds: tuple[str, ...] = ("ip",)
    probes = False  # whether it finds out who is there at all, for the others to ask those first

    def budget(self, look: Look) -> float:
        """Seconds after which it is cut off."""
        return self.wait_s + self.limit_s

    def fits(self, line: Line, library: Library) -> bool:
        return line.kind in self.kinds

    async def run(self, look: Look) -> None:
        """Look along the line. Raises NetloomError when the line cannot be used that way."""

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset()

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        """Say what is needed to know who listens there. The socket is closed by the caller."""
