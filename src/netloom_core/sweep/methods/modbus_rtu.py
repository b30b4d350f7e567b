"""Scan of a Modbus RTU line: which units answer, at which speed, and who they are.

Each unit is asked for its identification; one that answers with an exception is there, too. Only reads.
"""

from __future__ import annotations

import asyncio
from collections.abc import Iterable, Sequence
from contextlib import suppress

from netloom_core.bus.late import surely
from netloom_core.bus.modbus import exchange, note
from netloom_core.bus.owner import SerialOwner
from netloom_core.errors import LinkError, NoAnswer, ProtocolError
from netloom_core.library.load import Library
from netloom_core.model.line import PARITIES, Line
from netloom_core.protocols import modbus
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.methods.modbus_tcp import serial_in, serial_text
from netloom_core.sweep.multidrop import Place, Walk, expected_on, seconds_for_missing
from netloom_core.sweep.noise import Noise

SCAN_S = 0.06  # for a unit of which nothing is known; slower ones are heard late
REPLY_S = 0.5  # for one that should be there, where its profile does not give it more
GARBLED_TRIES = 2
BUDGET_EACH_S = 0.5
QUIET_S = 0.05
QUIET_READS = 20
USUAL_SPEEDS = (9600, 19200, 38400, 57600, 115200)  # the first two every unit has, serial line guide clause 3.2
PARITIES_TRIED = ("E", "N", "O")  # in the order of likelihood: even is the usual one, clause 2.5.1
OTHER_SPEED_UNITS = 16  # at other speeds only the lowest numbers, where factories put units


class OtherParity(LinkError):
    """Units answer with another parity than the line has."""

    code = "other-parity"


def _speeds(look: Look) -> list[int]:
    """The line's own first."""
    theirs = {speed for p in look.library for way in p.of_protocol("modbus") for speed in way.speeds}
    return list(dict.fromkeys([look.line.speed, *USUAL_SPEEDS, *sorted(theirs)]))


def _full(look: Look) -> float:
    """The longest that a unit on record may take, by its profile."""
    return max([REPLY_S, *(way.answer_seconds for way in look.ways_on_record("modbus"))])


class Bus:
    """Modbus RTU on one line, as the walk needs it."""

    usual = SCAN_S

    def __init__(self, look: Look, owner: SerialOwner, noise: Noise) -> None:
        self.full = _full(look)
        self._look, self._owner, self._noise = look, owner, noise

    async def listen(self, seconds: float) -> None:
        heard: set[int] = set()
        async with self._owner.turn("sweep") as link:
            await asyncio.sleep(seconds)
            note(self._owner, link.take(), heard)
            self._note(heard, link.speed)

    def _note(self, units: set[int], speed: int) -> None:
        self._owner.strays |= {(unit, speed) for unit in units}

    async def ask(self, place: Place, seconds: float) -> bool:
        """Whether anything came back; sightings are made of it."""
        unit, speed = place
        spoiled: list[float] = []
        for attempt in range(GARBLED_TRIES + 1):
            strays: set[int] = set()
            try:
                facts = await self._facts(place, seconds, strays)
            except NoAnswer:
                self._owner.spoiled.extend(spoiled)  # that was not this one
                self._noise.silent(speed)
                return False
            except ProtocolError:
                spoiled.append(self._owner.garbled_at)
                await self._quiet()
                if attempt < GARBLED_TRIES:
                    continue
                self._noise.spoiled(str(unit), speed)
                return True
            finally:
                self._note(strays, speed)
            self._owner.spoiled.extend(spoiled)  # a late answer of another, that met this one's
            self._noise.sound(speed)
            self._look.sight(str(unit), ModbusRtuScan.name, speed=str(speed), **facts)
            return True
        return False

    async def speaks(self, places: Iterable[Place], parity: str) -> int:
        """The first unit that is heard with that parity; 0 where nobody is. The places have one speed."""
        heard: set[int] = set()
        for unit, speed in places:
            async with self._owner.turn("sweep") as link:
                await link.set_line(speed, parity)
                await self._look.pace.take()
                with suppress(NoAnswer, ProtocolError):
                    return (await exchange(self._owner, link, unit, modbus.identify(), self.usual, heard)).unit
            if heard:
                return min(heard)
        async with self._owner.turn("sweep") as link:
            await asyncio.sleep(self.full - self.usual)
            note(self._owner, link.take(), heard)
        return min(heard, default=0)

    async def _quiet(self) -> None:
        """Let everything that still comes go by, so that it is not taken for the next reply."""
        async with self._owner.turn("sweep") as link:
            for _ in range(QUIET_READS):
                if not await link.read(QUIET_S):
                    return

    async def _facts(self, place: Place, seconds: float, strays: set[int]) -> dict[str, str]:
        look, owner, (unit, speed) = self._look, self._owner, place
        async with owner.turn("sweep") as link:
            if speed != link.speed:
                earlier: set[int] = set()
                note(owner, link.take(), earlier)
                self._note(earlier, link.speed)
            await link.set_line(speed, look.line.parity)
            await look.pace.take()
            await owner.hear_out(unit, link)
            owed = owner.owed(unit)
            answer = await surely(
                lambda: exchange(owner, link, unit, modbus.identify(), seconds, strays), owed, link.read
            )
            if answer.exception:
                what = modbus.EXCEPTIONS.get(answer.exception, str(answer.exception))
                return {} if answer.exception in modbus.GATEWAY else {"refused": f"identification: {what}"}
            facts = modbus.identification(answer)
            if way := serial_in(look.library, facts):
                await look.pace.take()
                request = modbus.read_holding(way.register_, way.length)
                try:
                    serial = await surely(
                        lambda: exchange(owner, link, unit, request, self.full, strays), owed, link.read
                    )
                except (NoAnswer, ProtocolError):
                    owed.left_waiting(self.full)
                    raise
                if not serial.exception:
                    facts["serial"] = serial_text(serial)
            return facts


class ModbusRtuScan(Method):
    name = "modbus"
    title = "Modbus RTU unit scan"
    needs = "The line's turn."
    sends = "Read Device Identification to units 1 to 247, at other usual speeds to units 1 to 16 and those on record."
    kinds = ("serial",)

    def budget(self, look: Look) -> float:
        speeds = len(_speeds(look))
        others = (OTHER_SPEED_UNITS + len(look.expected)) * speeds
        missing = seconds_for_missing(look, _full(look), speeds)
        return 90.0 + BUDGET_EACH_S * (modbus.MAX_UNIT + others) + missing

    def fits(self, line: Line, library: Library) -> bool:
        return line.kind == "serial" and line.protocol == "modbus"

    async def run(self, look: Look) -> None:
        owner, noise = look.owners.serial(look.line), Noise(look, self.name)
        owner.listen_anew()
        own, *others = _speeds(look)
        expected = expected_on(look)
        factory = {int(a) for p in look.library for _ in p.of_protocol("modbus")
                   for a in p.factory.addresses if a.isdecimal()}  # fmt: skip
        places = [*expected, *(Place(unit, own) for unit in range(modbus.MIN_UNIT, modbus.MAX_UNIT + 1))]
        lowest = range(modbus.MIN_UNIT, OTHER_SPEED_UNITS + 1)
        units = dict.fromkeys([*(place.address for place in expected), *lowest])
        places += [Place(unit, speed) for speed in others for unit in units]
        walk = Walk(look, bus := Bus(look, owner, noise), noise, expected, factory)
        await walk.walk(places, [own, *others])
        noise.end()
        if not walk.heard:
            await self._other_parity(look, bus, [unit for unit in units if look.wanted(str(unit))])

    async def _other_parity(self, look: Look, bus: Bus, units: Sequence[int]) -> None:
        """Nobody answers at all: perhaps they speak with another parity. Raises OtherParity where one does."""
        own = look.line.parity
        for parity in PARITIES_TRIED:
            for speed in dict.fromkeys([look.line.speed, *USUAL_SPEEDS[:2]]) if parity != own else ():
                if unit := await bus.speaks([Place(unit, speed) for unit in units], parity):
                    raise OtherParity(
                        f"Unit {unit} on {look.line.name} answers at {speed} baud with {PARITIES[parity]} parity; "
                        f"nobody answers with {PARITIES.get(own, own)} parity, to which the line is set.",
                        "Set the line's parity on its bench, under Port, or with `netloom line set`. Then sweep again.",
                        target=look.line.name,
                    )
