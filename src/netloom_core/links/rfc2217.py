"""A serial port of a device server, over Telnet with the COM port option (RFC 2217).

Own, on the sans-io Telnet of `protocols`, since the library at hand waits in threads and
cannot be bound to a line's own address.
"""

from __future__ import annotations

import asyncio
import socket
from urllib.parse import urlsplit

from netloom_core.errors import LinkError, NetloomError, PortBusy, PortMissing
from netloom_core.links import tcp
from netloom_core.links.serial import BREAK_S
from netloom_core.protocols import telnet
from netloom_core.protocols.framing import Framing

CONNECT_S = 3.0
AGREE_S = 2.0
READ_BYTES = 4096
MAX_BUFFER = 1 << 20


def parts_of(url: str) -> tuple[str, int]:
    """(host, port) of an `rfc2217://HOST:PORT`. Raises LinkError."""
    try:
        split = urlsplit(url)
        host, port = split.hostname, split.port
    except ValueError:
        host, port = None, None
    if not host or not port or split.scheme != "rfc2217":
        raise LinkError(f"{url} is not a port's address.", "Write it like rfc2217://127.20.10.40:4001.")
    return host, port


class Rfc2217Link:
    """An open remote port. Make one with `open`; close it when done."""

    def __init__(self, path: str, sock: socket.socket, speed: int, parity: str) -> None:
        self.path = path
        self._sock = sock
        self._line = (speed, Framing.of(parity))
        self._talk = telnet.Telnet(accept=frozenset({telnet.BINARY, telnet.SUPPRESS_GO_AHEAD, telnet.COM_PORT}))
        self._buffer = bytearray()
        self._arrived = asyncio.Event()
        self._broken: NetloomError | None = None
        self._pump = asyncio.ensure_future(self._receive())

    @classmethod
    async def open(cls, path: str, speed: int, parity: str = "N", source: str = "") -> Rfc2217Link:
        host, port = parts_of(path)
        answer = await tcp.connect(source, host, port, CONNECT_S)
        if isinstance(answer, str):
            raise PortMissing(
                f"The device server {host} {'refuses' if answer == 'refused' else 'does not answer'} on port {port}.",
                "Look at its power and network, and at the TCP port that it gives this serial port.",
            )
        link = cls(path, answer, speed, parity)
        link._talk.offer(telnet.BINARY, telnet.SUPPRESS_GO_AHEAD)
        link._talk.offer(telnet.COM_PORT, ask=False)
        link._set()
        try:
            await link._agree()
        except BaseException:
            link.close()
            raise
        return link

    @property
    def speed(self) -> int:
        return self._line[0]

    @property
    def broken(self) -> bool:
        return self._broken is not None

    async def _agree(self) -> None:
        """Wait until the far side took the speed, so that nothing is sent at another one."""
        loop = asyncio.get_running_loop()
        deadline = loop.time() + AGREE_S
        while loop.time() < deadline:
            if self._broken is not None:
                raise PortBusy(
                    f"The device server closed {self.path} at once.", "Another program may have that port open."
                )
            if telnet.COM_PORT in self._talk.denied:
                raise LinkError(
                    f"{self.path} is Telnet without the COM port option, so its speed cannot be set.",
                    "Switch the port of the device server to RFC 2217.",
                )
            for option, body in self._talk.subs:
                if option == telnet.COM_PORT and body[:1] == bytes((telnet.SERVER + telnet.SET_BAUDRATE,)):
                    taken = int.from_bytes(body[1:5], "big")
                    self._talk.subs.clear()
                    if taken not in (self._line[0], 0):
                        raise LinkError(f"{self.path} cannot be set to {self._line[0]} baud; it says {taken}.")
                    return
            await asyncio.sleep(0.005)
        raise LinkError(
            f"{self.path} does not answer the COM port option.", "Is it set to RFC 2217 and not to raw TCP?"
        )

    async def _receive(self) -> None:
        loop = asyncio.get_running_loop()
        try:
            while data := await loop.sock_recv(self._sock, READ_BYTES):
                self._buffer += self._talk.receive(data)
                del self._buffer[:-MAX_BUFFER]
                if out := self._talk.taken():
                    await loop.sock_sendall(self._sock, out)
                self._arrived.set()
            self._broken = PortMissing(f"The device server closed {self.path}.", "Look at its power and network.")
        except OSError as error:
            self._broken = tcp.mapped(error, self.path)
        except NetloomError as error:
            self._broken = error
        self._arrived.set()

    def _set(self) -> None:
        for body in telnet.line_settings(*self._line):
            self._talk.subnegotiate(telnet.COM_PORT, body)
        self._flush()

    def _flush(self) -> None:
        out = self._talk.taken()
        if not out:
            return
        try:
            sent = self._sock.send(out)
        except OSError as error:
            raise tcp.mapped(error, self.path) from error
        if sent != len(out):
            raise LinkError(f"{self.path} takes no more bytes.", "Is the network to the device server slow?")

    async def set_line(self, speed: int, framing: str = "8N1", flow: str = "none") -> None:
        wanted = (speed, Framing.of(framing, flow))
        if wanted == self._line:
            return
        self._line = wanted
        self._talk.subs.clear()
        self._set()
        await self._agree()

    async def send_break(self, seconds: float = BREAK_S) -> None:
        for control in (telnet.CONTROL_BREAK_ON, telnet.CONTROL_BREAK_OFF):
            self._talk.subnegotiate(telnet.COM_PORT, bytes((telnet.SET_CONTROL, control)))
            self._flush()
            if control == telnet.CONTROL_BREAK_ON:
                await asyncio.sleep(seconds)

    def take(self) -> bytes:
        data = bytes(self._buffer)
        self._buffer.clear()
        if self._broken is None:
            self._arrived.clear()
        return data

    def write(self, data: bytes) -> None:
        if self._broken is not None:
            raise self._broken
        self._talk.out += telnet.escape(data)
        self._flush()

    async def read(self, timeout: float) -> bytes:
        if not self._buffer and self._broken is None:
            self._arrived.clear()
            try:
                async with asyncio.timeout(timeout):
                    while not self._buffer and self._broken is None:
                        await self._arrived.wait()
                        if not self._buffer:
                            self._arrived.clear()
            except TimeoutError:
                return self.take()  # on a busy computer both the time and the bytes may have come
        if self._broken is not None and not self._buffer:
            raise self._broken
        return self.take()

    def errors(self) -> dict[str, int]:
        """RFC 2217 tells line states as they come, and counts none."""
        return {}

    def close(self) -> None:
        self._pump.cancel()
        self._sock.close()
