"""Serial lines with described units: one that is talked with in lines, or several on a Modbus bus."""

from __future__ import annotations

import asyncio
import os
from functools import partial
from pathlib import Path
from typing import Any

from netloom_core.bus.timing import line_time
from netloom_standins.described.binary import BinaryForm, BinaryTalk
from netloom_standins.described.registers import RegisterForm, Registers, crc, request_length
from netloom_standins.described.talk import Talk, TalkForm
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.pty_port import PtyPort, mixed

TURNAROUND_S = 0.004
NOISE_BYTES = 9


def form_of(unit: DescribedUnit, face: str) -> dict[str, Any]:
    return next(one for one in unit.description.faces if one.get("face") == face)


class TalkLine(PtyPort):
    """At another speed than its own the unit hears noise, and its answers are noise."""

    def __init__(self, link: Path, unit: DescribedUnit, **adapter: Any) -> None:
        super().__init__(link, **adapter)
        self.unit = unit
        self._out = b""
        self._sending: asyncio.Task[None] | None = None
        self._away = False  # its own port, with its power
        self.talk: Talk | BinaryTalk = self._talk(unit)
        if unit.description.own_port:
            unit.on_power = self._with_its_power

    def _talk(self, unit: DescribedUnit) -> Talk | BinaryTalk:
        binary = [face for face in unit.description.faces if face.get("face") == "binary-serial"]
        if binary:
            return BinaryTalk(unit, BinaryForm.model_validate(binary[0]), self._say)
        return Talk(unit, TalkForm.model_validate(form_of(unit, "serial")), self._say, lambda: None)

    def _with_its_power(self, on: bool) -> None:
        """What somebody pulled out meanwhile, or before, stays out."""
        if on and self._away:
            self._away = False
            self.plug_in()
        elif not on:
            away, self._out = self.plugged, b""
            self.unplug()
            self._away = away

    def unplug(self) -> None:
        self._away = False
        super().unplug()

    def _say(self, data: bytes) -> None:
        """One after the other, with line time."""
        self._out += data
        if self._sending is None or self._sending.done():
            self._sending = asyncio.ensure_future(self._pour())
            self._busy.add(self._sending)
            self._sending.add_done_callback(self._busy.discard)

    async def _pour(self) -> None:
        while self._out:
            data, self._out = self._out, b""
            await self.send(data, self.unit.speed)

    def received(self, data: bytes) -> None:
        unit = self.unit
        if not unit.up or unit.faults.silent:
            return
        speed = self.speed()
        if speed != unit.speed:
            self.work(self.send(bytes(b | 0x80 for b in os.urandom(NOISE_BYTES)), speed or 9600))
            return
        self.talk.feed(data)


class RegisterLine(PtyPort):
    """Modbus RTU on RS-485."""

    def __init__(self, link: Path, units: list[DescribedUnit], **adapter: Any) -> None:
        super().__init__(link, **adapter)
        self.units = units
        self._faces = {id(u): Registers(u, RegisterForm.model_validate(form_of(u, "modbus-rtu"))) for u in units}
        self._heard = b""

    def received(self, data: bytes) -> None:
        self._heard += data
        while (size := request_length(self._heard)) and len(self._heard) >= size:
            frame, self._heard = self._heard[:size], self._heard[size:]
            if crc(frame[:-2]) != frame[-2:]:
                self._heard = b""
                return
            speed = self.speed()
            self.in_turn(partial(self._answer, frame, speed), line_time(len(frame), speed or 9600) + TURNAROUND_S)
        if len(self._heard) > 300:
            self._heard = b""

    async def _answer(self, frame: bytes, speed: int) -> None:
        hearing = [
            u for u in self.units if u.bus_address == frame[0] and u.speed == speed and u.up and not u.faults.silent
        ]
        replies = []
        for unit in hearing:
            body = bytes((unit.bus_address,)) + self._faces[id(unit)].answer(frame[1:-2])
            if not unit.faults.silent:
                replies.append(body + crc(body))
        if replies:
            await self.send(mixed(replies), speed)
