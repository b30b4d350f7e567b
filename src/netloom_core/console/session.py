"""A console to a serial line, a Telnet or an SSH server: bytes in, bytes out, whoever is at the other end."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from typing import Protocol

from netloom_core.bus.owner import ALONE, SerialOwner
from netloom_core.bus.turns import Priority
from netloom_core.errors import Busy
from netloom_core.links import stream
from netloom_core.links.serial import ByteLink
from netloom_core.model.device import Credentials

TURN_S = 3.0  # how long somebody waits for the line before being told who has it
READ_S = 0.5
ANSWER_S = 1.0  # for what was typed, which is nobody knows what


class Console(Protocol):
    async def read(self) -> bytes:
        """Whatever came; empty after a while of silence. Raises NetloomError when it has ended."""
        ...

    async def write(self, data: bytes) -> None: ...

    async def send_break(self) -> None: ...


class SerialConsole:
    def __init__(self, link: ByteLink) -> None:
        self._link = link

    async def read(self) -> bytes:
        return await self._link.read(READ_S)

    async def write(self, data: bytes) -> None:
        self._link.write(data)

    async def send_break(self) -> None:
        await self._link.send_break()


@asynccontextmanager
async def open_serial(owner: SerialOwner, who: str, speed: int, framing: str, flow: str) -> AsyncIterator[Console]:
    """Have the line's turn as long as the console is open. Raises Busy that says who has it."""
    async with contextlib.AsyncExitStack() as stack:
        try:
            async with asyncio.timeout(TURN_S):
                link = await stack.enter_async_context(owner.turn(who, Priority.CONSOLE))
        except TimeoutError:
            raise Busy(
                f"{owner.holder or 'Somebody'} has the line {owner.line.name} now.",
                "Wait until that has ended, or stop it, then open the console again.",
            ) from None
        await link.set_line(speed, framing, flow)
        link.take()
        try:
            yield SerialConsole(link)
        finally:  # what was typed last may still be answered, to whoever asks next
            owner.owed(ALONE).left_waiting(ANSWER_S)


class StreamConsole:
    def __init__(self, far: stream.Stream) -> None:
        self._far = far

    async def read(self) -> bytes:
        return await self._far.read(READ_S)

    async def write(self, data: bytes) -> None:
        await self._far.write(data)

    async def send_break(self) -> None:
        await self._far.send_break()


@asynccontextmanager
async def open_telnet(source: str, host: str, port: int) -> AsyncIterator[Console]:
    """Raises NobodyThere."""
    with contextlib.closing(await stream.open_tcp(source, host, port, telnet=True)) as far:
        yield StreamConsole(far)


@asynccontextmanager
async def open_ssh(
    source: str, host: str, port: int, login: Credentials, expected_key: str, seen: Callable[[str], None]
) -> AsyncIterator[Console]:
    """As `links.ssh.open_ssh`."""
    from netloom_core.links import ssh

    far = await ssh.open_ssh(source, host, port, login.user, login.password, expected_key, seen)
    with contextlib.closing(far):
        yield StreamConsole(far)
