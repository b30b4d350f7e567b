"""A two-way stream of bytes to one host: raw TCP, Telnet or SSH. Every wait has an end; errors are ours."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable
from typing import Any, Protocol

import asyncssh

from netloom_core.errors import NoAnswer, NobodyThere, WrongCredentials, WrongDevice
from netloom_core.links import tcp
from netloom_core.links.talk import readable
from netloom_core.protocols.telnet import BREAK, ECHO, IAC, SUPPRESS_GO_AHEAD, Telnet, escape

CONNECT_S = 5.0
SEND_S = 4.0
READ_BYTES = 4096
COLUMNS, ROWS = 100, 30


class Stream(Protocol):
    @property
    def ended(self) -> bool:
        """Whether the far end is known to have gone."""
        ...

    async def read(self, seconds: float) -> bytes:
        """Whatever came; empty after so long a silence. Raises NoAnswer when it has ended."""
        ...

    async def write(self, data: bytes) -> None: ...

    async def send_break(self) -> None: ...

    def close(self) -> None: ...


class TcpStream:
    """Bytes as they are."""

    def __init__(self, sock: socket.socket, host: str) -> None:
        self._sock = sock
        self._host = host
        self._over = False

    @property
    def ended(self) -> bool:
        if not self._over:
            try:
                self._over = self._sock.recv(1, socket.MSG_PEEK) == b""
            except (BlockingIOError, InterruptedError):
                pass
            except OSError:
                self._over = True
        return self._over

    async def read(self, seconds: float) -> bytes:
        """What is there at the end of the time still counts: this computer may be late."""
        await asyncio.sleep(0)
        if (data := self._taken()) is None:
            await readable(self._sock, seconds)
            data = self._taken()
        if data is None:
            return b""
        if not data:
            self._over = True
            raise NoAnswer(f"{self._host} has closed the connection.", "Try again.", outcome="unknown")
        return data

    def _taken(self) -> bytes | None:
        try:
            return self._sock.recv(READ_BYTES)
        except (BlockingIOError, InterruptedError):
            return None
        except OSError as error:
            self._over = True
            raise tcp.mapped(error, self._host) from error

    async def write(self, data: bytes) -> None:
        try:
            async with asyncio.timeout(SEND_S):
                await asyncio.get_running_loop().sock_sendall(self._sock, data)
        except TimeoutError:
            self._over = True
            raise NoAnswer(f"{self._host} takes nothing more.", "Look at its power and cable.") from None
        except OSError as error:
            self._over = True
            raise tcp.mapped(error, self._host) from error

    async def send_break(self) -> None:
        """A bare connection has none."""

    def close(self) -> None:
        self._over = True
        self._sock.close()


class TelnetStream(TcpStream):
    """Telnet (RFC 854): data without the options, which are answered once."""

    def __init__(self, sock: socket.socket, host: str) -> None:
        super().__init__(sock, host)
        self._talk = Telnet(accept=frozenset({ECHO, SUPPRESS_GO_AHEAD}))

    async def read(self, seconds: float) -> bytes:
        plain = self._talk.receive(await super().read(seconds))
        if out := self._talk.taken():
            await super().write(out)
        return plain

    async def write(self, data: bytes) -> None:
        # A bare carriage return is CR NUL on the wire, one before a line feed stays a line's end (RFC 854).
        await super().write(escape(data).replace(b"\r", b"\r\x00").replace(b"\r\x00\n", b"\r\n"))

    async def send_break(self) -> None:
        await super().write(bytes((IAC, BREAK)))


class SshStream:
    """A shell of an SSH server."""

    def __init__(self, connection: Any, process: asyncssh.SSHClientProcess[bytes], host: str) -> None:
        self._connection = connection
        self._process = process
        self._host = host
        self._over = False

    @property
    def ended(self) -> bool:
        return self._over or self._process.stdout.at_eof()

    async def read(self, seconds: float) -> bytes:
        try:
            async with asyncio.timeout(seconds):
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
        self._over = True
        return NoAnswer(f"{self._host} has ended the SSH session.", "Open it again.", outcome="unknown")

    def close(self) -> None:
        self._over = True
        self._process.close()
        self._connection.abort()


async def open_tcp(source: str, host: str, port: int, *, telnet: bool = False) -> TcpStream:
    """Raises NobodyThere."""
    answer = await tcp.connect(source, host, port, CONNECT_S if telnet else tcp.CONNECT_TIMEOUT_S)
    if isinstance(answer, str):
        word = "refuses the connection" if answer == "refused" else "does not answer"
        what = "Telnet port" if telnet else "port"
        raise NobodyThere(
            f"{host} {word} on {what} {port}.",
            f"Look at its power{', and whether Telnet is switched on' if telnet else ' and cable'}.",
            refused=answer == "refused",
            outcome="not_sent",
        )
    return TelnetStream(answer, host) if telnet else TcpStream(answer, host)


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


async def open_ssh(
    source: str, host: str, port: int, user: str, password: str, expected_key: str, seen: Callable[[str], None]
) -> SshStream:
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
                username=user,
                password=password,
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
        raise NobodyThere(
            f"{host} does not answer as an SSH server on port {port}.",
            "Look at its power, and whether SSH is on.",
            refused=isinstance(error, ConnectionRefusedError),
            outcome="not_sent",
        ) from error
    try:
        async with asyncio.timeout(CONNECT_S):
            process = await connection.create_process(
                term_type="xterm", term_size=(COLUMNS, ROWS), encoding=None, stderr=asyncssh.STDOUT
            )
    except (asyncssh.Error, OSError, TimeoutError) as error:
        connection.abort()
        raise NoAnswer(
            f"{host} lets you sign in over SSH but gives no terminal.", "Is SSH there only for files or commands?"
        ) from error
    except BaseException:
        connection.abort()
        raise
    return SshStream(connection, process, host)
