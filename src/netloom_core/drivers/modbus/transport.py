"""How requests reach one unit: RTU on its bus in turns, or TCP on a connection of its own. A request, its answer."""

from __future__ import annotations

from collections.abc import AsyncIterator, Hashable
from contextlib import asynccontextmanager
from typing import Protocol

from netloom_core.bus.late import Owed, surely
from netloom_core.bus.modbus import exchange, late_answer
from netloom_core.bus.owner import DRIVE_WAIT_S, WAIT_S, SerialOwner
from netloom_core.bus.turns import Priority
from netloom_core.drivers.carrier import OFFLINE_S, Port, Presence, StreamCarrier
from netloom_core.errors import LinkError, NetloomError, NoAnswer, ProtocolError
from netloom_core.links.serial import ByteLink
from netloom_core.patience import Patience, heard
from netloom_core.protocols import modbus

PAUSE_S = 0.05
MOST_LATE_S = 1.0  # waited for a late answer before it is asked again


class Asks(Protocol):
    async def ask(self, pdu: bytes) -> modbus.Answer:
        """Raises NoAnswer and ProtocolError. What only reads may be asked twice, what writes never is."""
        ...


class Transport(Protocol):
    @property
    def mark(self) -> Hashable | None: ...

    @asynccontextmanager
    def turn(self, who: str, priority: Priority) -> AsyncIterator[Asks]: ...

    def drop(self, *, asked: bool = False) -> None:
        """As of a carrier."""
        ...


class _OnBus:
    def __init__(self, bus: OnBus, link: ByteLink) -> None:
        self._bus, self._link = bus, link

    async def ask(self, pdu: bytes) -> modbus.Answer:
        await self._bus.owner.hear_out(self._bus.unit, self._link)
        writes = pdu[0] in modbus.WRITES
        answer = await (self._once(pdu) if writes else surely(lambda: self._ask(pdu), self._bus.owed, self._link.read))
        self._bus.heard()
        return answer

    async def _ask(self, pdu: bytes) -> modbus.Answer:
        try:
            return await self._once(pdu)
        except (NoAnswer, ProtocolError) as error:
            # What it says late is the answer to this, and nothing has to be asked twice.
            late = await late_answer(self._bus.owner, self._link, self._bus.unit, pdu, self._late(error))
            if late is not None:
                return late
        try:
            return await self._once(pdu)
        finally:  # it was asked twice, and one answer is missing; whoever called gives up the other one
            self._bus.owed.left_waiting(self._bus.seconds)

    def _late(self, error: NetloomError) -> float:
        """For how long: after bytes that were no frame, only the rest of them can come."""
        return min(self._bus.seconds, MOST_LATE_S) if isinstance(error, NoAnswer) else PAUSE_S

    async def _once(self, pdu: bytes) -> modbus.Answer:
        return await exchange(self._bus.owner, self._link, self._bus.unit, pdu, self._bus.seconds, set())


class OnBus:
    """A unit on a serial line. What stands for a connection is that it was heard a moment ago."""

    def __init__(self, owner: SerialOwner, unit: int, speed: int, seconds: float) -> None:
        self.owner, self.unit, self._speed, self.seconds = owner, unit, speed, seconds
        self._presence = Presence(OFFLINE_S)

    @property
    def mark(self) -> Hashable | None:
        talk = self._presence.mark
        return None if talk is None else (self.owner.openings, talk)

    @asynccontextmanager
    async def turn(self, who: str, priority: Priority) -> AsyncIterator[Asks]:
        wait = DRIVE_WAIT_S if priority is Priority.DRIVE else WAIT_S
        async with self.owner.turn(who, priority, wait) as link:
            await link.set_line(self._speed, self.owner.line.parity)
            try:
                yield _OnBus(self, link)
            except LinkError:  # what was asked until then may be answered when the port is open again
                self.drop(asked=True)
                raise

    @property
    def owed(self) -> Owed:
        return self.owner.owed(self.unit)

    def heard(self) -> None:
        self._presence.heard()

    def drop(self, *, asked: bool = False) -> None:
        self._presence.lose()
        if asked:
            self.owed.left_waiting(self.seconds)


class _OnTcp:
    def __init__(self, on: OnTcp, port: Port) -> None:
        self._on, self._port = on, port

    async def ask(self, pdu: bytes) -> modbus.Answer:
        """A late answer to an earlier transaction is passed over."""
        number = self._on.next_number()
        await self._port.write(modbus.tcp(number, self._on.unit, pdu))
        patience, came = Patience(self._on.seconds), b""
        while data := await heard(self._port.read, patience):
            came += data
            while (size := modbus.tcp_length(came)) and len(came) >= size:
                frame, came = came[:size], came[size:]
                if int.from_bytes(frame[:2], "big") == number:
                    return modbus.parse_tcp(frame, number)
        raise NoAnswer(
            f"Unit {self._on.unit} at {self._on.host} does not answer.", "Look at its power and its unit number."
        )


class OnTcp:
    """A unit at a host, or behind a gateway there."""

    def __init__(self, carrier: StreamCarrier, host: str, unit: int, seconds: float) -> None:
        self._carrier, self.host, self.unit, self.seconds = carrier, host, unit, seconds
        self._number = 0

    def next_number(self) -> int:
        self._number = self._number % 0xFFFF + 1
        return self._number

    @property
    def mark(self) -> Hashable | None:
        return self._carrier.mark

    @asynccontextmanager
    async def turn(self, who: str, priority: Priority) -> AsyncIterator[Asks]:
        async with self._carrier.turn(who, priority) as port:
            yield _OnTcp(self, port)

    def drop(self, *, asked: bool = False) -> None:
        self._carrier.drop(asked=asked)
