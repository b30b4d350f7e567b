"""A console to a serial line, a Telnet or an SSH server: bytes in, bytes out, whoever is at the other end."""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from typing import Protocol

import asyncssh

from netloom_core.bus.owner import SerialOwner
from netloom_core.bus.turns import Priority
from netloom_core.errors import Busy, NoAnswer, WrongCredentials, WrongDevice
from netloom_core.links import tcp
from netloom_core.links.serial import ByteLink
from netloom_core.model.device import Credentials
from netloom_core.protocols.telnet import BREAK, ECHO, IAC, SUPPRESS_GO_AHEAD, Telnet, escape

CONNECT_S = 5.0
TURN_S = 3.0  # how long somebody waits for the line before being told who has it
READ_S = 0.5
READ_BYTES = 4096
COLUMNS, ROWS = 100, 30


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
async def open_serial(owner: SerialOwner, who: str, speed: int, parity: str) -> AsyncIterator[Console]:
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
        await link.set_line(speed, parity)
        link.take()
        yield SerialConsole(link)


class TelnetConsole:
    def __init__(self, sock: socket.socket, host: str) -> None:
        self._sock = sock
        self._host = host
        self._talk = Telnet(accept=frozenset({ECHO, SUPPRESS_GO_AHEAD}))

    async def read(self) -> bytes:
        loop = asyncio.get_running_loop()
        try:
            async with asyncio.timeout(READ_S):
                data = await loop.sock_recv(self._sock, READ_BYTES)
        except TimeoutError:
            return b""
        except OSError as error:
            raise tcp.mapped(error, self._host) from error
        if not data:
            raise NoAnswer(f"{self._host} has closed the connection.", "Open the console again.", outcome="not_sent")
        plain = self._talk.receive(data)
        if out := self._talk.taken():
            await self._send(out)
        return plain

    async def write(self, data: bytes) -> None:
        # A bare carriage return is CR NUL on the wire, RFC 854.
        await self._send(escape(data).replace(b"\r", b"\r\x00"))

    async def send_break(self) -> None:
        await self._send(bytes((IAC, BREAK)))

    async def _send(self, data: bytes) -> None:
        try:
            await asyncio.get_running_loop().sock_sendall(self._sock, data)
        except OSError as error:
            raise tcp.mapped(error, self._host) from error


@asynccontextmanager
async def open_telnet(source: str, host: str, port: int) -> AsyncIterator[Console]:
    answer = await tcp.connect(source, host, port, CONNECT_S)
    if isinstance(answer, str):
        word = "refuses the connection" if answer == "refused" else "does not answer"
        raise NoAnswer(f"{host} {word} on Telnet port {port}.", "Look at its power, and whether Telnet is switched on.")
    with contextlib.closing(answer):
        yield TelnetConsole(answer, host)


class SshConsole:
    def __init__(self, process: asyncssh.SSHClientProcess[bytes], host: str) -> None:
        self._process = process
        self._host = host

    async def read(self) -> bytes:
        try:
            async with asyncio.timeout(READ_S):
                data = await self._process.stdout.read(READ_BYTES)
        except TimeoutError:
            return b""
        except (asyncssh.Error, OSError) as error:
            raise self._ended() from error
        if not data and self._process.stdout.at_eof():
            raise self._ended()
        return data

    async def write(self, data: bytes) -> None:
        try:
            self._process.stdin.write(data)
        except OSError as error:
            raise self._ended() from error

    async def send_break(self) -> None:
        self._process.send_break(500)

    def _ended(self) -> NoAnswer:
        return NoAnswer(f"{self._host} has ended the SSH session.", "Open the console again.", outcome="not_sent")


class _Keys(asyncssh.SSHClient):
    """Trust on first use: the key seen first is kept, another one later is refused."""

    def __init__(self, expected: str, seen: Callable[[str], None]) -> None:
        self._expected, self._seen = expected, seen
        self.changed = ""

    def validate_host_public_key(self, host: str, addr: str, port: int, key: asyncssh.SSHKey) -> bool:
        fingerprint = key.get_fingerprint()
        if self._expected and fingerprint != self._expected:
            self.changed = fingerprint
            return False
        self._seen(fingerprint)
        return True


@asynccontextmanager
async def open_ssh(
    source: str, host: str, port: int, login: Credentials, expected_key: str, seen: Callable[[str], None]
) -> AsyncIterator[Console]:
    """`expected_key` is the host key's fingerprint of the last time; `seen` is told the one of now.

    Raises WrongDevice when the key is another one, WrongCredentials, NoAnswer.
    """
    keys = _Keys(expected_key, seen)
    try:
        async with asyncio.timeout(CONNECT_S * 2):
            connection = await asyncssh.connect(
                host,
                port,
                local_addr=(source, 0) if source else None,
                username=login.user,
                password=login.password,
                client_factory=lambda: keys,
                known_hosts=([], [], []),
                client_keys=None,
                agent_path=None,
                config=[],
            )
    except asyncssh.HostKeyNotVerifiable as error:
        raise WrongDevice(
            f"{host} shows another SSH host key than before ({keys.changed or 'unknown'}).",
            "Is it another device, or was it reset? If you know why, forget the old key and open again.",
        ) from error
    except asyncssh.PermissionDenied as error:
        raise WrongCredentials(f"{host} does not take that user and password.", "Type others.") from error
    except (asyncssh.Error, OSError, TimeoutError) as error:
        raise NoAnswer(
            f"{host} does not answer as an SSH server on port {port}.", "Look at its power, and whether SSH is on."
        ) from error
    async with connection:
        try:
            async with asyncio.timeout(CONNECT_S):
                process = await connection.create_process(
                    term_type="xterm", term_size=(COLUMNS, ROWS), encoding=None, stderr=asyncssh.STDOUT
                )
        except (asyncssh.Error, OSError, TimeoutError) as error:
            raise NoAnswer(
                f"{host} lets you sign in over SSH but gives no terminal.", "Is SSH there only for files or commands?"
            ) from error
        yield SshConsole(process, host)
