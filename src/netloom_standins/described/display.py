"""A PJLink display as a description tells it (PJLink Specifications 2.00): one greeting, then commands and answers."""

from __future__ import annotations

import asyncio
import hashlib
import os
from typing import Any

from pydantic import BaseModel, ConfigDict

from netloom_standins.described.memory import Wrong
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.services.base import TcpService


class Place(BaseModel):
    """A command's value: where it is, its words, and whether several make it up."""

    model_config = ConfigDict(extra="forbid")

    at: str = ""
    words: dict[str, str] = {}
    parts: list[str] = []
    letters: bool = False
    constant: str = ""
    settable: bool = False
    needs_power: bool = False
    sets: dict[str, dict[str, str]] = {}


class DisplayForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    port: int = 4352
    password: str = ""
    level: int = 2
    power_at: str = ""
    commands: dict[str, Place]


class Display(TcpService):
    port = 4352

    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = DisplayForm.model_validate(options)

    @property
    def described(self) -> DescribedUnit:
        return self.unit  # type: ignore[return-value]

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        wanted = ""
        if self.form.password:
            random = os.urandom(4).hex()
            wanted = hashlib.md5((random + self.form.password).encode()).hexdigest()  # noqa: S324 - the standard's
            writer.write(f"PJLINK 1 {random}\r".encode())
        else:
            writer.write(b"PJLINK 0\r")
        while True:
            line = (await reader.readuntil(b"\r")).decode("utf-8", "replace").rstrip("\r")
            if wanted:
                if not line.startswith(wanted):
                    writer.write(b"PJLINK ERRA\r")
                    await writer.drain()
                    return
                line, wanted = line[len(wanted) :], ""
            if self.deaf:
                continue
            command, _, parameter = line.partition(" ")
            answer = self._answer(command.upper(), parameter)
            if not self.deaf:
                writer.write(f"{command}={answer}\r".encode())
                await writer.drain()

    def _answer(self, command: str, parameter: str) -> str:
        place = self.form.commands.get(command)
        if place is None or (command.startswith("%2") and self.form.level < 2):
            return "ERR1"
        off = self.form.power_at and self.described.memory.value(self.form.power_at) != "on"
        if place.needs_power and off:
            return "ERR3"
        try:
            return self._told(place) if parameter.startswith("?") else self._set(place, parameter)
        except Wrong as error:
            return "ERR3" if str(error) == "refused" else "ERR2"

    def _told(self, place: Place) -> str:
        unit = self.described
        if place.constant:
            return unit.words.get(place.constant, place.constant)
        if place.parts:
            said = [self._word(place, unit.memory.value(path)) for path in place.parts]
            return ("" if place.letters else " ").join(said)
        return self._word(place, unit.memory.value(place.at))

    @staticmethod
    def _word(place: Place, value: Any) -> str:
        return place.words.get(str(value), str(value))

    def _set(self, place: Place, parameter: str) -> str:
        if not place.settable:
            return "ERR2"
        unit = self.described
        if unit.pulled():
            return "OK"
        said = next((word for word, text in place.words.items() if text == parameter), parameter)
        if place.words and parameter not in place.words.values():
            raise Wrong("value")
        unit.written(place.at, said)
        return "OK"
