"""What carries the bytes of a talk with one device: its serial line, in turns, or a stream of its own."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Hashable
from contextlib import asynccontextmanager
from typing import Protocol

from netloom_core.bus.late import Owed
from netloom_core.bus.owner import ALONE, DRIVE_WAIT_S, WAIT_S, SerialOwner
from netloom_core.bus.turns import Priority
from netloom_core.errors import LinkError, NoAnswer, NobodyThere
from netloom_core.links.serial import ByteLink
from netloom_core.links.stream import Stream

OFFLINE_S = 8.0  # of silence on a cable: whoever is at its end afterwards may be another one
TOLD_S = 2.0  # between datagrams: who answered a moment ago is still there


class Presence:
    """What stands for a connection where there is none: a far end that was heard a moment ago.

    `mark` is another one after each loss, and None while nobody was heard for `seconds`.
    """

    def __init__(self, seconds: float) -> None:
        self._seconds = seconds
        self._heard_at = float("-inf")
        self._number = 0

    @property
    def mark(self) -> int | None:
        fresh = asyncio.get_running_loop().time() - self._heard_at <= self._seconds
        return self._number if fresh else None

    def heard(self) -> None:
        self._heard_at = asyncio.get_running_loop().time()

    def lose(self) -> None:
        self._heard_at = float("-inf")
        self._number += 1


class Port(Protocol):
    """Bytes, for the length of one turn. `fresh` is set where the far end has heard nothing yet; `owed` is what
    it may still say to earlier questions; `echoes` where an adapter gives back what is sent."""

    fresh: bool
    owed: Owed
    echoes: bool

    async def read(self, seconds: float) -> bytes: ...

    async def write(self, data: bytes) -> None: ...


class Carrier(Protocol):
    @property
    def mark(self) -> Hashable | None:
        """Equal as long as it is the same talk with the same far end; None where there is none."""
        ...

    @asynccontextmanager
    def turn(self, who: str, priority: Priority) -> AsyncIterator[Port]: ...

    def heard(self) -> None:
        """Somebody is there."""
        ...

    def drop(self, *, asked: bool = False) -> None:
        """The talk is over; `asked` where something was that may still be answered."""
        ...


def as_heard(error: NoAnswer, carrier: object, answered: bool) -> NoAnswer:
    """Where a serial line gave no byte at all, nobody is there; on a stream somebody took the connection."""
    if answered or not isinstance(carrier, SerialCarrier) or isinstance(error, NobodyThere):
        return error
    return NobodyThere(error.message, error.hint, target=error.target, outcome=error.outcome)


class SerialPort:
    """A serial link as a port, for whoever has the line's turn."""

    fresh = True  # others have had the line meanwhile

    def __init__(self, link: ByteLink, owner: SerialOwner) -> None:
        self._link, self._owner = link, owner
        self.owed = owner.owed(ALONE)

    @property
    def echoes(self) -> bool:
        return self._owner.echoes

    @echoes.setter
    def echoes(self, seen: bool) -> None:
        self._owner.echoes = seen

    async def read(self, seconds: float) -> bytes:
        return await self._link.read(seconds)

    async def write(self, data: bytes) -> None:
        self._link.write(data)

    def take(self) -> bytes:
        """What has come in so far, without waiting."""
        return self._link.take()


class SerialCarrier:
    """The device at the end of a point-to-point line."""

    def __init__(self, owner: SerialOwner, speed: int, parity: str, seconds: float) -> None:
        """Its answers usually come within `seconds`."""
        self._owner, self._speed, self._parity, self._seconds = owner, speed, parity, seconds
        self._presence = Presence(OFFLINE_S)

    @property
    def mark(self) -> Hashable | None:
        talk = self._presence.mark
        return None if talk is None else (self._owner.openings, talk)

    @asynccontextmanager
    async def turn(self, who: str, priority: Priority) -> AsyncIterator[Port]:
        wait = DRIVE_WAIT_S if priority is Priority.DRIVE else WAIT_S
        async with self._owner.turn(who, priority, wait) as link:
            await link.set_line(self._speed, self._parity)
            await self._owner.hear_out(ALONE, link)
            link.take()
            try:
                yield SerialPort(link, self._owner)
            except LinkError:  # what was asked until then may be answered when the port is open again
                self.drop(asked=True)
                raise

    def heard(self) -> None:
        self._presence.heard()

    def drop(self, *, asked: bool = False) -> None:
        self._presence.lose()
        if asked:
            self._owner.owed(ALONE).left_waiting(self._seconds)


class StreamPort:
    echoes = False

    def __init__(self, far: Stream, owed: Owed, *, fresh: bool) -> None:
        self._far = far
        self.owed = owed
        self.fresh = fresh

    async def read(self, seconds: float) -> bytes:
        return await self._far.read(seconds)

    async def write(self, data: bytes) -> None:
        await self._far.write(data)


class StreamCarrier:
    """A connection that is opened at need and kept between calls."""

    def __init__(
        self, connect: Callable[[], Awaitable[Stream]], owed: Owed | None = None, seconds: float = 0.0
    ) -> None:
        """`owed` is what the far end still says on the next connection, if answers that usually come within `seconds`
        bear nothing by which a late one could be told."""
        self._connect = connect
        self._owed = owed or Owed()
        self._seconds = seconds
        self._far: Stream | None = None
        self._number = 0

    @property
    def mark(self) -> Hashable | None:
        return self._number if self._far is not None and not self._far.ended else None

    @asynccontextmanager
    async def turn(self, who: str, priority: Priority) -> AsyncIterator[Port]:
        if self._far is not None and self._far.ended:
            self.drop()
        fresh = self._far is None
        if self._far is None:
            self._far = await self._connect()
            self._number += 1
        yield StreamPort(self._far, self._owed, fresh=fresh)

    def heard(self) -> None:
        """A connection stands for itself."""

    def drop(self, *, asked: bool = False) -> None:
        """What still comes on it nobody hears."""
        if self._far is not None:
            if asked and self._seconds:
                self._owed.left_waiting(self._seconds)
            self._far.close()
            self._far = None
