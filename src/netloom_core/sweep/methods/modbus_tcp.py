"""Modbus/TCP: who a device is, and which units are behind it when it is a gateway.

A gateway answers for units that are not there with an exception, and a device that is none answers for
every unit number with itself: both are told apart from units that are there.
"""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Sequence

from netloom_core.drivers.modbus.form import Told
from netloom_core.errors import NoAnswer, ProtocolError
from netloom_core.library.load import Library
from netloom_core.links.talk import Talk
from netloom_core.model.line import UNIT_MARK
from netloom_core.protocols import modbus
from netloom_core.protocols.xml import clean
from netloom_core.sweep.base import Look, Method

ANSWER_S = 1.5
TALK_S = 7.5  # in all; a greeting has not more
UNITS_S = 6.0  # for the scan of units; what is not asked by then is told
UNIT_S = 1.2  # until a unit's place in the queue is given to another; a later answer counts all the same
ALONE_S = 0.4
AT_ONCE = 8  # questions under way: the guide lets servers take 1 to 16
SELF = 255  # the device itself, messaging guide clause 4.4.2.1
ABSENT = frozenset({4, 6, *modbus.GATEWAY})  # what servers say for a unit that they do not have
UNLIKELY = (247, 246)  # whoever answers for these as for itself does not look at unit numbers
GIVE_UP = 32  # units in a row of whom nothing is heard
MAX_PARTS = 4
MAX_UNITS_TOLD = 64


class ModbusTcp(Method):
    name = "modbus-tcp"
    title = "Modbus/TCP identification"
    needs = "A connection of the connect scan on port 502."
    sends = "Read Device Identification to the device and to units 1 to 247 behind it; reads of serial numbers."

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset({modbus.PORT} | {way.port for p in library for way in p.of_protocol("modbus")})

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        talk = Exchange(Talk(sock, TALK_S, look.pace.take))
        own = (await talk.scan([SELF, *UNLIKELY], modbus.identify(), ANSWER_S))[0]
        if SELF in own:
            await tell(look, talk, address, SELF, own[SELF], port)
        question, nobody = modbus.identify(), frozenset(modbus.GATEWAY)
        if _alike(own):
            # It identifies itself for every number. What a unit has in its registers is only that unit's.
            question = modbus.read_holding(0, 1)
            registers = (await talk.scan([SELF, *UNLIKELY], question, ANSWER_S))[0]
            nobody |= {registers[unit].exception for unit in UNLIKELY if unit in registers} & ABSENT
            if any(unit in registers and registers[unit].exception not in nobody for unit in UNLIKELY):
                return  # it does not look at unit numbers: there is nobody behind it
        await self._behind(look, talk, address, port, question, nobody)

    async def _behind(
        self, look: Look, talk: Exchange, address: str, port: int, question: bytes, nobody: frozenset[int]
    ) -> None:
        """Asks each unit; `nobody` are the exceptions with which it answers for one that is not there."""
        first = [int(a.rpartition(UNIT_MARK)[2]) for a, _ in look.expected if a.startswith(address + UNIT_MARK)]
        order = list(dict.fromkeys([*first, *range(modbus.MIN_UNIT, modbus.MAX_UNIT + 1)]))
        answers, asked = await talk.scan(order, question, UNITS_S)
        there = {unit: a for unit, a in answers.items() if a.exception not in nobody}
        if not talk.heard:
            return
        if asked < len(order):
            look.note(f"{address}: {asked} of {len(order)} unit numbers were asked in {UNITS_S:g} s.")
            look.unasked.update(f"{address}{UNIT_MARK}{unit}" for unit in order[asked:])
        if not there or len(there) > MAX_UNITS_TOLD:  # nobody, or one that answers for all in a way of its own
            return
        units = " ".join(map(str, sorted(there)))
        look.sight(address, self.name, ports=str(port), gateway="Modbus", units=units)
        for unit, answer in sorted(there.items()):
            if question != modbus.identify():
                answer = await talk.ask(unit, modbus.identify()) or answer
            await tell(look, talk, f"{address}{UNIT_MARK}{unit}", unit, answer, port)


def _alike(answers: dict[int, modbus.Answer]) -> bool:
    """Whether every number got the same answer, and it is not that nobody is there."""
    if len(answers) < 1 + len(UNLIKELY) or any(answer.exception in modbus.GATEWAY for answer in answers.values()):
        return False
    own = answers[SELF]
    return all(_same(answers[unit], own) for unit in UNLIKELY)


def _same(one: modbus.Answer, other: modbus.Answer) -> bool:
    return (one.function, one.data, one.exception) == (other.function, other.data, other.exception)


async def tell(look: Look, talk: Exchange, address: str, unit: int, answer: modbus.Answer, port: int) -> None:
    """A sighting of a unit that answered, with its serial number where its model's profile says how to read it."""
    facts: dict[str, str] = {"unit": str(unit)} if unit != SELF else {}
    try:
        if answer.exception:
            if answer.exception in modbus.GATEWAY:
                return
            what = modbus.EXCEPTIONS.get(answer.exception, str(answer.exception))
            look.sight(address, ModbusTcp.name, ports=str(port), refused=f"identification: {what}", **facts)
            return
        if answer.function == modbus.ENCAPSULATED:
            facts |= await talk.identification(unit, answer)
        if way := serial_in(look.library, facts):
            request = modbus.read_holding(way.register_, way.length)
            serial = await talk.ask(unit, request)
            if serial is not None and not serial.exception:
                facts["serial"] = serial_text(serial)
    except ProtocolError:
        pass  # what was understood before stays
    look.sight(address, ModbusTcp.name, ports=str(port), **facts)


def serial_in(library: Library, facts: dict[str, str]) -> Told | None:
    """The holding registers where the model's profile says its serial number is; None where it says nothing."""
    profile = library.best(facts)
    told = [way.identity.get("serial") for way in profile.of_protocol("modbus")] if profile else []
    return next((one for one in told if one is not None and (one.table, one.kind) == ("holding", "text")), None)


def serial_text(answer: modbus.Answer) -> str:
    return clean(modbus.registers(answer).decode("latin-1").replace("\x00", " "), 60)


class Exchange:
    """Questions on one connection, told apart by their transaction numbers, however late they are answered."""

    def __init__(self, talk: Talk) -> None:
        self._talk = talk
        self._data = b""
        self._next = 1
        self._asked: dict[int, int] = {}
        self.heard = False  # whether anything came that is Modbus

    async def ask(self, unit: int, pdu: bytes) -> modbus.Answer | None:
        """None after silence, and when the peer broke off or the protocol."""
        number = await self._say(unit, pdu)
        loop = asyncio.get_running_loop()
        until = loop.time() + ANSWER_S
        try:
            while True:
                told, answer = await self._hear(until - loop.time())
                if told == number:
                    return answer
        except (NoAnswer, ProtocolError):
            return None

    async def identification(self, unit: int, answer: modbus.Answer) -> dict[str, str]:
        """Of all parts of the answer. Raises ProtocolError for a first part that is none."""
        facts = modbus.identification(answer)
        for _ in range(MAX_PARTS):
            part = modbus.follows(answer)
            following = await self.ask(unit, modbus.identify(part)) if part else None
            if following is None or following.exception:
                break
            answer = following
            facts = {**modbus.identification(answer), **facts}
        return facts

    async def scan(self, units: Sequence[int], question: bytes, seconds: float) -> tuple[dict[int, modbus.Answer], int]:
        """(answers by unit, how many were asked), several at once; then the mute ones again, one by one.

        Some servers lose questions that come together. Ends early when the peer breaks off.
        """
        until = asyncio.get_running_loop().time() + seconds
        answers: dict[int, modbus.Answer] = {}
        asked = await self._together(units, question, until, answers, AT_ONCE, UNIT_S)
        mute = [unit for unit in units[:asked] if unit not in answers]
        if self.heard:
            await self._together(mute, question, until, answers, 1, ALONE_S)
        return answers, asked

    async def _together(
        self,
        units: Sequence[int],
        question: bytes,
        until: float,
        answers: dict[int, modbus.Answer],
        at_once: int,
        patience: float,
    ) -> int:
        """How many were asked; what comes for any of them is put into `answers`."""
        loop = asyncio.get_running_loop()
        waiting: dict[int, float] = {}
        left, asked = list(reversed(units)), 0
        while (left or waiting) and loop.time() < until and not self._talk.closed:
            if asked >= GIVE_UP and not waiting and not self.heard:
                break
            while left and len(waiting) < at_once:
                waiting[await self._say(left.pop(), question)] = loop.time() + patience
                asked += 1
            try:
                number, answer = await self._hear(min(until, *waiting.values()) - loop.time())
            except NoAnswer:
                waiting = {number: end for number, end in waiting.items() if end > loop.time()}
                continue
            except ProtocolError:
                break
            waiting.pop(number, None)
            answers[self._asked[number]] = answer
        return asked

    async def _say(self, unit: int, pdu: bytes) -> int:
        number, self._next = self._next, self._next + 1
        self._asked[number] = unit
        await self._talk.say(modbus.tcp(number, unit, pdu))
        return number

    async def _hear(self, within: float) -> tuple[int, modbus.Answer]:
        """The next answer to anything that was asked. Raises NoAnswer after silence, ProtocolError."""
        loop = asyncio.get_running_loop()
        until = loop.time() + within
        while True:
            length = modbus.tcp_length(self._data)
            if length and len(self._data) >= length:
                frame, self._data = self._data[:length], self._data[length:]
                number = int.from_bytes(frame[:2], "big")
                answer = modbus.parse_tcp(frame, number)
                # Some devices answer as unit 0 or 1 to the number that means themselves.
                if number in self._asked and self._asked[number] in (answer.unit, SELF):
                    self.heard = True
                    return number, answer
                continue
            more = await self._talk.read(max(until - loop.time(), 0.0))
            if not more:
                if self._talk.closed:
                    raise ProtocolError("the connection was closed")
                raise NoAnswer("No Modbus answer.")
            self._data += more
