"""A two-wire line and who hangs on it, in virtual time: what overlaps on it is spoiled, and so is what comes in while
the port is set to another speed."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from netloom_core.bus.timing import line_time
from netloom_core.testing.far_end import Port


@dataclass
class Unit:
    """`answer` takes what is on the line and gives an answer or nothing; it comes after `delay` seconds.

    `on` and `off` is what its driver leaves on the line when it is switched.
    """

    speed: int
    delay: float
    answer: Callable[[bytes], bytes]
    on: bytes = b""
    off: bytes = b""
    parity: str = "N"


class Wire(Port):
    """The port at one end of it. `on` and `off` is what its own driver leaves on the line; where it `echoes`, it hears
    what it says."""

    def __init__(
        self, units: Iterable[Unit], speed: int = 9600, *, on: bytes = b"", off: bytes = b"", echoes: bool = False
    ) -> None:
        super().__init__()
        self.speed, self.parity, self._on, self._off, self._echoes = speed, "N", on, off, echoes
        self._units = tuple(units)
        self._on_it: list[list[float]] = []  # begin, end and whether it was spoiled, of each answer

    async def set_line(self, speed: int, framing: str = "8N1", flow: str = "none") -> None:
        self.speed, self.parity = speed, framing[-2:-1] or framing

    async def talk(self, data: bytes, pause: float) -> None:
        """Somebody speaks on it all the time, with so many seconds of silence between."""
        while True:
            self._say(data, self.speed)
            await asyncio.sleep(line_time(len(data), self.speed) + pause)

    def write(self, data: bytes) -> None:
        loop, took = asyncio.get_running_loop(), line_time(len(data), self.speed)
        overlapped = self._spoils(loop.time(), loop.time() + took)
        if self._echoes:
            loop.call_later(took / 2, self._come, self._on + data[:2])
            loop.call_later(took, self._come, data[2:])
        loop.call_later(took, self._come, self._off)
        for unit in self._units:
            if (unit.speed, unit.parity) != (self.speed, self.parity) or overlapped:
                continue
            if said := unit.answer(data):
                begin = loop.time() + took + unit.delay
                loop.call_at(begin, self._say, unit.on + said + unit.off, unit.speed)

    def _say(self, data: bytes, speed: int) -> None:
        now = asyncio.get_running_loop().time()
        end = now + line_time(len(data), speed)
        mine = [now, end, float(self._spoils(now, end))]
        self._on_it.append(mine)
        first = now + line_time(1, speed)
        asyncio.get_running_loop().call_at(first, self._heard, data[:1], speed, mine)
        asyncio.get_running_loop().call_at(end, self._heard, data[1:], speed, mine)

    def _spoils(self, begin: float, end: float) -> bool:
        """Whether something else is on the line in that time; then that is spoiled, too."""
        over = [one for one in self._on_it if one[0] < end and begin < one[1]]
        for one in over:
            one[2] = 1.0
        return bool(over)

    def _heard(self, data: bytes, speed: int, mine: list[float]) -> None:
        whole = not mine[2] and speed == self.speed
        self._come(data if whole else bytes(byte ^ 0xA5 for byte in data))
