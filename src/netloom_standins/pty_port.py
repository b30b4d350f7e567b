"""A serial line's pseudo-terminal, with true line time and its adapter's description.

The far end of a pseudo-terminal shows which speed the port is set to, so a unit at another
speed hears nothing, or noise.
"""

from __future__ import annotations

import asyncio
import contextlib
import fcntl
import json
import os
import pty
import termios
import tty
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

from netloom_core.bus.timing import line_time

ON, OFF = b"\xfe", b"\xf0"  # what a driver leaves on a line that nothing polarises
PIECE = 8  # bytes written at once while a reply goes out
SPEEDS = {
    getattr(termios, f"B{speed}"): speed for speed in (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200, 230400)
}


class PtyPort:
    """`link` is the port's name; `adapter` what a description file says of it, for the server to list."""

    def __init__(self, link: Path, adapter: dict[str, str] | None = None, described: Path | None = None) -> None:
        self.link = link
        self._adapter = adapter
        self._described = described
        self._busy: set[asyncio.Task[None]] = set()
        self._turn = asyncio.Lock()
        self.plugged = False
        self.crackles = False  # whether drivers leave bytes on it as they are switched
        self._plug_in()

    def _plug_in(self) -> None:
        self.master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self.master, False)
        self.plugged = True

    def start(self) -> None:
        self._name(self.link)
        asyncio.get_running_loop().add_reader(self.master, self._readable)

    def _name(self, link: Path) -> None:
        self.link = link
        link.unlink(missing_ok=True)
        link.symlink_to(os.ttyname(self._slave))
        if self._adapter and self._described:
            self._described.mkdir(parents=True, exist_ok=True)
            self._file.write_text(json.dumps({**self._adapter, "path": str(link)}))

    @property
    def _file(self) -> Path:
        assert self._adapter is not None
        assert self._described is not None
        return self._described / f"{self._adapter['usb_serial']}.json"

    def rename(self, name: str) -> None:
        """The adapter was unplugged and comes back as another port."""
        self.unplug()
        self.link = self.link.with_name(name)
        self.plug_in()

    def plug_in(self) -> None:
        self._plug_in()
        self.start()

    def unplug(self) -> None:
        """Gone: whoever has it open is told so by the system."""
        self.link.unlink(missing_ok=True)
        if self._adapter and self._described:
            self._file.unlink(missing_ok=True)
        if self.plugged:
            self.plugged = False
            asyncio.get_running_loop().remove_reader(self.master)
            os.close(self.master)
            os.close(self._slave)

    def hold(self) -> None:
        """Be the other program that has the port open."""
        self._held = os.open(os.ttyname(self._slave), os.O_RDWR | os.O_NOCTTY)
        fcntl.flock(self._held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        fcntl.ioctl(self._held, termios.TIOCEXCL)

    def stop(self) -> None:
        for task in list(self._busy):
            task.cancel()
        self.unplug()

    def speed(self) -> int:
        return SPEEDS.get(termios.tcgetattr(self.master)[4], 0)

    def _readable(self) -> None:
        try:
            data = os.read(self.master, 4096)
        except (BlockingIOError, OSError):
            return
        if self.crackles:
            self.work(self._left(OFF, line_time(len(data), self.speed() or 9600)))
        self.received(data)

    def received(self, data: bytes) -> None:
        """Bytes came from the port."""

    def work(self, task: Any) -> None:
        made = asyncio.ensure_future(task)
        self._busy.add(made)
        made.add_done_callback(self._busy.discard)

    def in_turn(self, answer: Callable[[], Awaitable[None]], after: float) -> None:
        """What was asked is answered in the order in which it came, each so many seconds from now or later: a short
        question never overtakes a long one on a line."""
        loop = asyncio.get_running_loop()
        due = loop.time() + after

        async def serve() -> None:
            async with self._turn:
                await asyncio.sleep(due - loop.time())
                await answer()

        self.work(serve())

    async def send(self, data: bytes, speed: int) -> None:
        """With line time, in pieces as an adapter hands them over."""
        data = ON + data + OFF if self.crackles else data
        for start in range(0, len(data), PIECE):
            piece = data[start : start + PIECE]
            await self._left(piece, line_time(len(piece), speed))

    async def _left(self, data: bytes, seconds: float) -> None:
        """On the line after that time."""
        await asyncio.sleep(seconds)
        if self.plugged:
            with contextlib.suppress(BlockingIOError):
                os.write(self.master, data)


def mixed(replies: list[bytes]) -> bytes:
    """Units that answer at once mix their bits, as on a wire."""
    result = replies[0]
    for other in replies[1:]:
        size = max(len(result), len(other))
        pairs = zip(result.ljust(size, b"\xff"), other.ljust(size, b"\xff"), strict=True)
        result = bytes(a & b for a, b in pairs)
    return result
