"""A port and the device behind it, in virtual time: it answers late, or never."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterator

from netloom_core.errors import PortMissing

Reply = Callable[[bytes], tuple[bytes, bytes | None]]  # what was asked so far; what is left of it, and one answer


class Port:
    """What the owner of a line needs of its port."""

    path, speed, broken = "made up", 9600, False

    def __init__(self) -> None:
        self._came, self._arrived = b"", asyncio.Event()

    async def set_line(self, speed: int, framing: str = "8N1", flow: str = "none") -> None: ...

    def close(self) -> None: ...

    def errors(self) -> dict[str, int]:
        return {}

    def _come(self, data: bytes) -> None:
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


class FarEnd(Port):
    """Answers in the order in which it is asked, each after a time of its own, that is a multiple of `usual` seconds.
    Those that are None it loses."""

    breaks = False  # the port goes away with the next question

    def __init__(self, reply: Reply, delays: Iterator[float | None], usual: float) -> None:
        self._reply, self._delays, self._usual = reply, delays, usual
        super().__init__()
        self._asked, self._last = b"", 0.0

    def write(self, data: bytes) -> None:
        loop = asyncio.get_running_loop()
        self._asked += data
        while True:
            self._asked, said = self._reply(self._asked)
            if said is None:
                return
            if (delay := next(self._delays)) is not None:
                self._last = max(self._last + 0.02, loop.time() + delay * self._usual)  # one after the other
                loop.call_at(self._last, self._come, said)

    async def read(self, timeout: float) -> bytes:
        if self.breaks:
            self.breaks, self.broken = False, True
            raise PortMissing("The port is gone.")
        return await super().read(timeout)


class Converted:
    """The same behind a TCP port: what comes goes to whoever is connected then."""

    ended = False

    def __init__(self, far: FarEnd) -> None:
        self._far = far

    async def connect(self) -> Converted:
        self._far.take()
        return self

    async def read(self, seconds: float) -> bytes:
        return await self._far.read(seconds)

    async def write(self, data: bytes) -> None:
        self._far.write(data)

    async def send_break(self) -> None: ...

    def close(self) -> None: ...
