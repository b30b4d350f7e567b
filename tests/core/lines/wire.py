"""A two-wire line and who hangs on it, in virtual time: what overlaps on it is spoiled, and so is what comes in while
the port is set to another speed."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from netloom_core.bus.timing import line_time


@dataclass
class Unit:
    """`answer` takes what is on the line and gives an answer or nothing; it comes after `delay` seconds."""

    speed: int
    delay: float
    answer: Callable[[bytes], bytes]
    asked: int = 0


class Wire:
    """The port at one end of it."""

    path, broken = "made up", False

    def __init__(self, units: Iterable[Unit], speed: int = 9600) -> None:
        self.speed = speed
        self.spoiled = 0
        self._units = tuple(units)
        self._on_it: list[list[float]] = []  # begin, end and whether it was spoiled, of each answer
        self._came, self._arrived = b"", asyncio.Event()

    async def set_line(self, speed: int, framing: str = "8N1", flow: str = "none") -> None:
        self.speed = speed

    def close(self) -> None: ...

    def errors(self) -> dict[str, int]:
        return {}

    async def talk(self, data: bytes, pause: float) -> None:
        """Somebody speaks on it all the time, with so many seconds of silence between."""
        while True:
            self._say(data, self.speed)
            await asyncio.sleep(line_time(len(data), self.speed) + pause)

    def write(self, data: bytes) -> None:
        loop, took = asyncio.get_running_loop(), line_time(len(data), self.speed)
        overlapped = self._spoils(loop.time(), loop.time() + took)
        for unit in self._units:
            if unit.speed != self.speed or overlapped:
                continue
            if said := unit.answer(data):
                unit.asked += 1
                begin = loop.time() + took + unit.delay
                loop.call_at(begin, self._say, said, unit.speed)

    def _say(self, data: bytes, speed: int) -> None:
        now = asyncio.get_running_loop().time()
        end = now + line_time(len(data), speed)
        mine = [now, end, float(self._spoils(now, end))]
        self._on_it.append(mine)
        first = now + line_time(1, speed)
        asyncio.get_running_loop().call_at(first, self._come, data[:1], speed, mine)
        asyncio.get_running_loop().call_at(end, self._come, data[1:], speed, mine)

    def _spoils(self, begin: float, end: float) -> bool:
        """Whether something else is on the line in that time; then that is spoiled, too."""
        over = [one for one in self._on_it if one[0] < end and begin < one[1]]
        for one in over:
            one[2] = 1.0
        return bool(over)

    def _come(self, data: bytes, speed: int, mine: list[float]) -> None:
        if mine[2] or speed != self.speed:
            self.spoiled += 1
            data = bytes(byte ^ 0xA5 for byte in data)
        self._came += data
        self._arrived.set()

    def take(self) -> bytes:
        data, self._came = self._came, b""
        self._arrived.clear()
        return data

    async def read(self, timeout: float) -> bytes:
        try:
            async with asyncio.timeout(timeout):
                await self._arrived.wait()
        except TimeoutError:
            pass
        return self.take()
