"""Scan of a Modbus RTU line: which units answer, at which speed, and who they are.

Each unit is asked for its identification; one that answers with an exception is there,
too. Late answers name their unit and are asked again in peace. Only reads.
"""

from __future__ import annotations

from netloom_core.bus.late import surely
from netloom_core.bus.modbus import exchange
from netloom_core.bus.owner import SerialOwner
from netloom_core.errors import NoAnswer, ProtocolError
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.protocols import modbus
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.methods.modbus_tcp import serial_in, serial_text
from netloom_core.sweep.noise import Noise

SCAN_S = 0.06  # for a unit of which nothing is known; slower ones are heard late
REPLY_S = 0.5  # for one that should be there
GARBLED_TRIES = 2
BUDGET_EACH_S = 0.5
QUIET_S = 0.05
QUIET_READS = 20
OTHER_SPEED_UNITS = 16  # at other speeds only the lowest numbers, where factories put units


def _speeds(look: Look) -> set[int]:
    return {speed for p in look.library for way in p.of_protocol("modbus") for speed in way.speeds}


class ModbusRtuScan(Method):
    name = "modbus"
    title = "Modbus RTU unit scan"
    needs = "The line's turn."
    sends = "Read Device Identification to units 1 to 247, at other usual speeds to units 1 to 16."
    kinds = ("serial",)

    def budget(self, look: Look) -> float:
        return 60.0 + BUDGET_EACH_S * (modbus.MAX_UNIT + OTHER_SPEED_UNITS * len(_speeds(look)))

    def fits(self, line: Line, library: Library) -> bool:
        return line.kind == "serial" and line.protocol == "modbus"

    async def run(self, look: Look) -> None:
        owner = look.owners.serial(look.line)
        expected = [(int(a), s or look.line.speed) for a, s in look.expected if look.line.holds(a)]
        speeds = _speeds(look)
        places = [*expected, *((unit, look.line.speed) for unit in range(modbus.MIN_UNIT, modbus.MAX_UNIT + 1))]
        places += [(u, s) for s in sorted(speeds - {look.line.speed}) for u in range(1, OTHER_SPEED_UNITS + 1)]
        places = [place for place in dict.fromkeys(places) if look.wanted(str(place[0]))]
        answered: set[tuple[int, int]] = set()
        strays: set[int] = set()
        noise = Noise(look, self.name)
        for count, (unit, speed) in enumerate(places, 1):
            if not noise.at(speed) and await self._ask(look, owner, noise, unit, speed, SCAN_S, strays):
                answered.add((unit, speed))
            while strays:
                late = strays.pop()
                if (late, speed) in answered or noise.at(speed):
                    continue
                if await self._ask(look, owner, noise, late, speed, REPLY_S, set()):
                    answered.add((late, speed))
            if count % 8 == 0 or count == len(places):
                look.progress(count, len(places))
        for unit, speed in expected:
            if (unit, speed) not in answered and not noise.at(speed):
                await self._ask(look, owner, noise, unit, speed, REPLY_S, set())
        noise.end()

    async def _ask(
        self, look: Look, owner: SerialOwner, noise: Noise, unit: int, speed: int, timeout: float, strays: set[int]
    ) -> bool:
        """Whether anything came back; sightings are made of it."""
        for attempt in range(GARBLED_TRIES + 1):
            try:
                facts = await self._facts(look, owner, unit, speed, timeout, strays)
            except NoAnswer:
                noise.silent(speed)
                return False
            except ProtocolError:
                await self._quiet(owner)
                if attempt < GARBLED_TRIES:
                    continue
                noise.spoiled(str(unit), speed)
                return True
            noise.sound(speed)
            look.sight(str(unit), self.name, speed=str(speed), **facts)
            return True
        return False

    async def _quiet(self, owner: SerialOwner) -> None:
        """Let everything that still comes go by, so that it is not taken for the next reply."""
        async with owner.turn("sweep") as link:
            for _ in range(QUIET_READS):
                if not await link.read(QUIET_S):
                    return

    async def _facts(
        self, look: Look, owner: SerialOwner, unit: int, speed: int, timeout: float, strays: set[int]
    ) -> dict[str, str]:
        async with owner.turn("sweep") as link:
            await link.set_line(speed, look.line.parity)
            await look.pace.take()
            await owner.hear_out(unit, link)
            owed = owner.owed(unit)
            answer = await surely(
                lambda: exchange(owner, link, unit, modbus.identify(), timeout, strays), owed, link.read
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
                        lambda: exchange(owner, link, unit, request, REPLY_S, strays), owed, link.read
                    )
                except (NoAnswer, ProtocolError):
                    owed.left_waiting(REPLY_S)
                    raise
                if not serial.exception:
                    facts["serial"] = serial_text(serial)
            return facts
