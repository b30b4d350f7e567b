"""A short talk on a connection, with one end in time that nothing received puts off.

Not the receiving itself is given up when the time is over, only the waiting for it: on a computer that is
late, the end of the time and the answer come together, and the answer counts.
"""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Awaitable, Callable
from typing import Protocol

PIECE = 2048
MOST = 65_536  # bytes of one talk that are taken; who says more floods


class Waitable(Protocol):
    """What the system can say is ready."""

    def fileno(self) -> int: ...


async def readable(sock: Waitable, seconds: float) -> None:
    """Until there is something to be received, at most so long; nothing is received by it."""
    loop = asyncio.get_running_loop()
    await _ready(sock, seconds, loop.add_reader, loop.remove_reader)


async def writable(sock: Waitable, seconds: float) -> None:
    """Until it takes something, which is also when a connection is had or refused; at most so long."""
    loop = asyncio.get_running_loop()
    await _ready(sock, seconds, loop.add_writer, loop.remove_writer)


async def _ready(sock: Waitable, seconds: float, add: Callable[..., None], remove: Callable[..., object]) -> None:
    loop = asyncio.get_running_loop()
    number = sock.fileno()  # an object would be written out in words each time, for an error that is thrown away
    came = loop.create_future()

    def end() -> None:
        if not came.done():
            came.set_result(None)

    timer = loop.call_later(seconds, end)
    add(number, end)
    try:
        await came
    finally:
        timer.cancel()
        remove(number)


class Talk:
    """Nothing is raised: a connection that broke is one on which nothing more comes."""

    def __init__(
        self, sock: socket.socket, seconds: float, allowed: Callable[[], Awaitable[None]] | None = None
    ) -> None:
        """The socket does not block, is connected, and stays the caller's. `seconds` are for all of the talk;
        `allowed` is waited for before anything is said."""
        self.sock = sock
        self._allowed = allowed
        self.closed = False
        self._over = False
        self._came = 0
        self._loop = asyncio.get_running_loop()
        self._until = self._loop.time() + seconds

    @property
    def left(self) -> float:
        """Seconds until the end."""
        return max(self._until - self._loop.time(), 0.0)

    async def read(self, within: float) -> bytes:
        """Some bytes; empty after that silence, at the end of the time and of the connection."""
        if self._over:
            return b""
        self._over = self.left <= 0 or self._came >= MOST  # what is there already is still taken, once
        await asyncio.sleep(0)  # whoever sends without a pause takes no time from the others
        if (data := self._taken()) is None and not self._over:
            await readable(self.sock, min(within, self.left))
            data = self._taken()
        return data or b""

    async def say(self, data: bytes) -> None:
        """Little enough for the system to take it at once; a peer that takes nothing is one that went."""
        if self.closed or not data:
            return
        if self._allowed is not None:
            await self._allowed()
        try:
            self.closed = self.sock.send(data) < len(data)
        except OSError:
            self.closed = True

    def _taken(self) -> bytes | None:
        if self.closed:
            return b""
        try:
            data = self.sock.recv(PIECE)
        except (BlockingIOError, InterruptedError):
            return None
        except OSError:
            data = b""
        self.closed = not data
        self._came += len(data)
        return data
