"""A unit on a node's DMX line as a description tells it: answers RDM by the offsets of E1.20."""

from __future__ import annotations

import asyncio
from collections import Counter
from typing import Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict

from netloom_standins.described.memory import Wrong
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.services.base import Service

GET, SET, DISCOVERY = 0x20, 0x30, 0x10
ACK, TIMER, NACK = 0, 1, 2
UNKNOWN, FORMAT, PROTECTED, NOT_SO, RANGE = 0, 1, 4, 5, 6


class Parameter(BaseModel):
    """`head` in hex stands before the value in an answer, `tail` after it; `slow` are tenths until a set is done."""

    model_config = ConfigDict(extra="forbid")

    path: str = ""
    text: str = ""
    size: int = 0  # bytes of a number; 0 is text
    signed: bool = False
    times: float = 1
    head: str = ""
    tail: str = ""
    writable: bool = False
    slow: int = 0
    does: Literal["", "restart", "reset", "keep"] = ""
    words: dict[str, int] = {}


class FixtureForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: Literal["rdm"]
    model: int = 1
    category: int = 0x0101
    personality: str = ""  # the path of it
    start: str = "/dmx/start"
    footprints: dict[str, int] = {}  # by personality
    parameters: dict[int, Parameter] = {}
    sensors: list[Parameter] = []
    site: dict[str, Any] = {}


class Fixture(Service):
    lines: ClassVar[dict[str, list[Fixture]]] = {}  # by the node that leads them
    came: ClassVar[Counter[tuple[str, int]]] = Counter()  # how often one was plugged in, by node and port

    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = FixtureForm.model_validate(options)
        self.host, _, uid = self.unit.address.partition("#")
        self.uid = bytes.fromhex(uid)
        self.port = int(self.form.site.get("port", 1))
        self.muted = False
        self._queue: list[tuple[int, int, bytes]] = []
        self._busy_until = 0.0

    async def start(self) -> None:
        self.lines.setdefault(self.host, []).append(self)
        self.came[self.host, self.port] += 1

    async def stop(self) -> None:
        self.lines[self.host].remove(self)

    @property
    def described(self) -> DescribedUnit:
        return self.unit  # type: ignore[return-value]

    def heard(self, frame: bytes) -> bytes:
        """What it puts on the line; nothing where it is not meant."""
        if self.deaf or len(frame) < 26 or frame[:2] != b"\xcc\x01":
            return b""
        if sum(frame[:-2]) & 0xFFFF != int.from_bytes(frame[-2:]):
            return b""
        to, source, command = frame[3:9], frame[9:15], frame[20]
        parameter, data = int.from_bytes(frame[21:23]), frame[24:-2]
        if command == DISCOVERY:
            return self._searched(to, source, frame[15], parameter, data)
        if to != self.uid:
            return b""
        kind, number, told = self._answer(command, parameter, data)
        return self._frame(source, frame[15], kind, command + 1, number, told)

    def _frame(self, to: bytes, number: int, kind: int, command: int, parameter: int, data: bytes) -> bytes:
        body = bytes((0xCC, 1, 24 + len(data))) + to + self.uid + bytes((number, kind, len(self._queue), 0, 0, command))
        body += parameter.to_bytes(2) + bytes((len(data),)) + data
        return body + (sum(body) & 0xFFFF).to_bytes(2)

    def _searched(self, to: bytes, source: bytes, number: int, parameter: int, data: bytes) -> bytes:
        if parameter == 1:
            if self.muted or not data[:6] <= self.uid <= data[6:12]:
                return b""
            coded = b"".join(bytes((byte | 0xAA, byte | 0x55)) for byte in self.uid)
            total = (sum(coded) & 0xFFFF).to_bytes(2)
            return b"\xfe" * 7 + b"\xaa" + coded + b"".join(bytes((byte | 0xAA, byte | 0x55)) for byte in total)
        if to not in (self.uid, b"\xff" * 6):
            return b""
        self.muted = parameter == 2
        return self._frame(source, number, ACK, DISCOVERY + 1, parameter, b"\0\0") if to == self.uid else b""

    def _answer(self, command: int, parameter: int, data: bytes) -> tuple[int, int, bytes]:
        """(type of the answer, parameter, data)"""
        if parameter == 0x0020:  # QUEUED_MESSAGE
            return self._waiting()
        try:
            if command == GET:
                return ACK, parameter, self._told(parameter, data)
            return self._taken(parameter, data)
        except Wrong as error:
            reasons = {"unknown": UNKNOWN, "format": FORMAT, "fixed": PROTECTED, "refused": PROTECTED, "set": NOT_SO}
            return NACK, parameter, reasons.get(str(error), RANGE).to_bytes(2)

    def _waiting(self) -> tuple[int, int, bytes]:
        left = self._busy_until - asyncio.get_running_loop().time()
        if left > 0:
            return TIMER, 0x0020, (int(left * 10) + 1).to_bytes(2)
        if self._queue:
            return self._queue.pop(0)
        return ACK, 0x0030, b""  # STATUS_MESSAGES: nothing waits

    def _told(self, parameter: int, data: bytes) -> bytes:
        if parameter == 0x0060:
            return self._info()
        if parameter == 0x0201 and data and data[0] < len(self.form.sensors):
            sensor = self.form.sensors[data[0]]
            return data[:1] + self._number(sensor) * 3 + b"\0\0"
        what = self.form.parameters.get(parameter)
        if what is None:
            raise Wrong("unknown")
        if what.text:
            return what.text.format(**self.described.words).encode()[:32]
        if not what.path:
            raise Wrong("set")
        if what.size:
            return bytes.fromhex(what.head) + self._number(what) + bytes.fromhex(what.tail)
        return str(self.described.memory.value(what.path)).encode()[:32]

    def _number(self, what: Parameter) -> bytes:
        value = self.described.memory.value(what.path)
        number = what.words[str(value)] if what.words else round(float(value) * what.times)
        return number.to_bytes(what.size, signed=what.signed)

    def _taken(self, parameter: int, data: bytes) -> tuple[int, int, bytes]:
        what = self.form.parameters.get(parameter)
        if what is None:
            raise Wrong("unknown")
        if not what.writable:
            raise Wrong("set")
        if what.does in ("restart", "reset"):
            self.described.do(what.does)
            return ACK, parameter, b""
        if self.described.pulled():
            return ACK, parameter, b""
        if what.does == "keep":
            self.described.do("keep")
            return ACK, parameter, b""
        if what.size and len(data) != what.size:
            raise Wrong("format")
        said: Any = data.decode("utf-8", "replace")
        if what.size:
            number = int.from_bytes(data, signed=what.signed)
            said = next((w for w, n in what.words.items() if n == number), None) if what.words else number / what.times
            if said is None:
                raise Wrong("range")
            said = int(said) if isinstance(said, float) and said.is_integer() else said
        self.described.written(what.path, said)
        if what.slow:
            self._busy_until = asyncio.get_running_loop().time() + what.slow / 10
            self._queue.append((ACK, parameter, b""))
            return TIMER, parameter, what.slow.to_bytes(2)
        return ACK, parameter, b""

    def _info(self) -> bytes:
        memory = self.described.memory
        names = list(self.form.footprints)
        now = str(memory.value(self.form.personality)) if self.form.personality else ""
        slots = self.form.footprints.get(now, int(memory.value("/dmx/footprint")))
        memory.set("/dmx/footprint", slots)
        digits = "".join(c for c in self.described.firmware if c.isdigit()) or "0"
        return b"".join((
            b"\x01\x00", self.form.model.to_bytes(2), self.form.category.to_bytes(2), int(digits).to_bytes(4),
            slots.to_bytes(2), bytes((names.index(now) + 1 if now in names else 1, len(names) or 1)),
            int(memory.value(self.form.start)).to_bytes(2), b"\0\0", bytes((len(self.form.sensors),)),
        ))  # fmt: skip
