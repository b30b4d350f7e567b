"""Serial lines besides OSDP: Modbus RTU units on RS-485, one dialogue device, and one that only makes noise."""

from __future__ import annotations

import asyncio
import os
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from netloom_core.bus.timing import line_time
from netloom_core.protocols import modbus
from netloom_standins.pty_port import PtyPort, mixed
from netloom_standins.services.talks import modbus_answer
from netloom_standins.units import Unit

TURNAROUND_S = 0.004
NOISE_BYTES = 9
REQUEST_BYTES = {modbus.READ_HOLDING: 8, modbus.ENCAPSULATED: 7}


@dataclass
class ModbusUnit(Unit):
    address: int = 1
    speed: int = 9600
    up: bool = True

    def where(self) -> str:
        return f"unit {self.address} at {self.speed} baud"

    async def power_cut(self) -> None:
        self.up = False
        await asyncio.sleep(0)
        asyncio.get_running_loop().call_later(self.faults.boot_seconds, self._boot)

    def _boot(self) -> None:
        self.up = True


class ModbusLine(PtyPort):
    def __init__(self, link: Path, units: list[ModbusUnit], **adapter: Any) -> None:
        super().__init__(link, **adapter)
        self.units = units

    def received(self, data: bytes) -> None:
        # On a busy computer two requests may come in one piece.
        while data:
            size = REQUEST_BYTES.get(data[1] if len(data) > 1 else 0, len(data))
            self.work(self._serve(data[:size], self.speed()))
            data = data[size:]

    async def _serve(self, data: bytes, speed: int) -> None:
        if len(data) < 4 or modbus.crc16(data[:-2]) != int.from_bytes(data[-2:], "little"):
            return
        hearing = [u for u in self.units if u.address == data[0] and u.speed == speed and u.up and not u.faults.silent]
        if hearing:
            await asyncio.sleep(line_time(len(data), speed) + TURNAROUND_S)
            replies = [modbus.rtu(unit.address, modbus_answer(unit, data[1:-2])) for unit in hearing]
            await self.send(mixed(replies), speed)


@dataclass
class DialogueUnit(Unit):
    """Speaks when spoken to at its speed. `enter` opens its dialogue, `leave` closes it.

    `answers` are words by command; {serial}, {model} and {firmware} are filled in. At another
    speed it hears noise, and its answers are noise.
    """

    speed: int = 9600
    enter: str = ""
    leave: str = ""
    greeting: str = ""
    answers: dict[str, str] = field(default_factory=dict)
    model_reported: str = ""
    open: bool = False
    up: bool = True

    def where(self) -> str:
        return f"direct at {self.speed} baud"

    async def power_cut(self) -> None:
        self.open = False
        self.lose_unkept()

    def reply(self, words: str) -> str:
        if words == self.enter:
            self.open = True
            return self.greeting
        if not self.open:
            return ""
        if words == self.leave:
            self.open = False
            return "bye\r\n"
        answer = self.answers.get(words.strip("\r\n"), "what?")
        model = self.model_reported or self.profile.model
        return answer.format(serial=self.serial, model=model, firmware=self.firmware) + "\r\n"


class DialogueLine(PtyPort):
    def __init__(self, link: Path, unit: DialogueUnit | None, *, noisy: bool = False, **adapter: Any) -> None:
        """`noisy`: whatever is said, bytes without sense come back, at any speed."""
        super().__init__(link, **adapter)
        self.unit = unit
        self._noisy = noisy
        self._heard = b""

    def received(self, data: bytes) -> None:
        speed = self.speed()
        if self._noisy or (self.unit and self.unit.up and not self.unit.faults.silent and speed != self.unit.speed):
            self.work(self.send(bytes(b | 0x80 for b in os.urandom(NOISE_BYTES)), speed or 9600))
        elif self.unit and self.unit.up and not self.unit.faults.silent:
            self._heard += data
            whole = self._heard
            if whole == self.unit.enter.encode() or whole.endswith((b"\r", b"\n")):
                self._heard = b""
                if words := self.unit.reply(whole.decode("latin-1")):
                    self.work(self.send(words.encode(), speed))
            elif len(whole) > 200:
                self._heard = b""
