"""A two-way stream of bytes to one host: raw TCP or Telnet; SSH is in `ssh.py`. Every wait has an end."""

from __future__ import annotations

import asyncio
import socket
from typing import Protocol

from netloom_core.errors import NoAnswer, NobodyThere
from netloom_core.links import tcp
from netloom_core.links.talk import readable
from netloom_core.protocols.telnet import BREAK, ECHO, IAC, SUPPRESS_GO_AHEAD, Telnet, escape

CONNECT_S = 5.0
SEND_S = 4.0
READ_BYTES = 4096


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
        if (data := self._taken()) is None:
            await readable(self._sock, seconds)
            data = self._taken()
        else:
            await asyncio.sleep(0)  # who sends without a pause takes no time from the others
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
            if (sent := self._taken_now(data)) == len(data):
                return
            async with asyncio.timeout(SEND_S):
                await asyncio.get_running_loop().sock_sendall(self._sock, data[sent:])
        except TimeoutError:
            self._over = True
            raise NoAnswer(f"{self._host} takes nothing more.", "Look at its power and cable.") from None
        except OSError as error:
            self._over = True
            raise tcp.mapped(error, self._host) from error

    def _taken_now(self, data: bytes) -> int:
        """How much of it the system takes at once; nearly always all."""
        try:
            return self._sock.send(data)
        except (BlockingIOError, InterruptedError):
            return 0

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
