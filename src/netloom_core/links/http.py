"""HTTP/1.1 to one device over one connection, on h11 (RFC 9112) and bare sockets.

Sends from the line's own address, follows no redirects, knows no proxies, bounds every
size and every wait. A sweep and two hundred backups at once go through here, so it
does no more than that.
"""

from __future__ import annotations

import asyncio
import fcntl
import math
import socket
import sys
import termios
from collections.abc import AsyncIterator, Callable, Iterable
from dataclasses import dataclass, field

import h11

from netloom_core.errors import NoAnswer, NobodyThere, ProtocolError, Unproven
from netloom_core.links import tcp
from netloom_core.links.talk import readable, writable
from netloom_core.links.tls import PORT as TLS_PORT
from netloom_core.links.tls import TlsSocket

MAX_HEADERS = 16_384
MAX_BODY = 2_000_000  # bytes of a reply; a device that talks on is cut off
MAX_LINE = 200_000
RECEIVE_BYTES = 65_536
HTTP_PORT = 80
JUST_S = 2.0  # a device that hangs up after each answer is asked the next question within that
ANSWER_S = 4.0
STILL_S = 30.0  # a device that takes nothing of a file for so long is given up
TLS_PIECE = 16_384
LOOK_S = 0.05
QUIET_S = 30.0  # a stream that says nothing for so long is given up


@dataclass
class Answer:
    """What came of one so far; `status` is 0 before its head."""

    status: int = 0
    headers: list[tuple[str, str]] = field(default_factory=list)
    content: bytearray = field(default_factory=bytearray)


Sock = socket.socket | TlsSocket


class HttpLink:
    """A connection that is opened at need and kept between calls. Close it when done.

    With `tls`, `pin` is the fingerprint of the certificate that it is known by, empty at first sight.
    """

    def __init__(
        self,
        source: str,
        host: str,
        port: int,
        *,
        timeout: float = ANSWER_S,
        sock: socket.socket | None = None,
        tls: bool = False,
        pin: str = "",
    ) -> None:
        self._source, self._host, self._port, self._timeout = source, host, port, timeout
        self._tls, self.pin = tls, pin
        self._bare = sock
        self._sock: Sock | None = None if tls else sock
        self._until, self._over = 0.0, True
        self._talk = h11.Connection(h11.CLIENT, max_incomplete_event_size=MAX_HEADERS)
        self.headers: list[tuple[str, str]] = []  # of the last answer, names in small letters
        self.connection = 0  # counts connections, so that one can tell whether it is still the same
        self._hung_up_at = -math.inf  # when the device ended a connection after its answer, as HTTP/1.0 ones do

    @property
    def open(self) -> bool:
        """Whether the connection of the last call stands, as far as is known."""
        if self._sock is not None and _hung_up(self._sock):
            self.close()
        return self._sock is not None

    @property
    def just_closed(self) -> bool:
        """Whether the device ends each connection after its answer, and did so a moment ago."""
        return asyncio.get_running_loop().time() - self._hung_up_at < JUST_S

    def close(self) -> None:
        if self._sock is not None:
            self._sock.close()
            self._sock = None

    async def request(
        self,
        method: str,
        path: str,
        body: bytes = b"",
        headers: tuple[tuple[str, str], ...] = (),
        *,
        proven: int | None = None,
    ) -> tuple[int, bytes]:
        """Status and content of one exchange.

        `proven` is the connection on which it was proven who is there: on no other one anything
        is said. Raises Unproven then, NoAnswer (`not_sent` when no connection was had, else
        `unknown`) and ProtocolError.
        """
        sock, answer = await self._connected(proven), Answer()
        self._begin(self._timeout)
        try:
            await self._send(sock, method, path, body, headers)
            await self._receive(sock, answer, MAX_BODY)
            if len(answer.content) > MAX_BODY:
                raise ProtocolError(f"{self._host} sent more than {MAX_BODY} bytes.")
        except TimeoutError:
            self.close()
            raise self._silent() from None
        except BaseException:
            self.close()
            raise
        return self._over_with(answer)

    def _over_with(self, answer: Answer) -> tuple[int, bytes]:
        """The end of an exchange: the next one is on the same connection where the device leaves it open."""
        if self._talk.our_state is h11.DONE and self._talk.their_state is h11.DONE:
            self._talk.start_next_cycle()
        else:
            self.close()
            self._hung_up_at = asyncio.get_running_loop().time()
        self.headers = answer.headers
        return answer.status, bytes(answer.content)

    async def upload(
        self,
        method: str,
        path: str,
        body: Iterable[bytes],
        size: int,
        headers: tuple[tuple[str, str], ...],
        *,
        seconds: float,
        told: Callable[[int], None],
        proven: int | None = None,
    ) -> tuple[int, bytes]:
        """Status and content after a body of `size` bytes that comes in pieces; `told` hears how many it has taken.

        A slow device may take its time, but not be still for half a minute. After the last byte it may take `seconds`
        for its answer; one that answers before the end is heard. Raises as `request`.
        """
        sock, answer, sent = await self._connected(proven), Answer(), 0
        fields = [("host", self._host_field()), ("content-length", str(size)), *headers]
        try:
            self._begin(self._timeout)
            try:
                await self._out(sock, self._talk.send(h11.Request(method=method, target=path, headers=fields)))
                for piece in body:
                    async for left in self._poured(sock, self._talk.send(h11.Data(data=piece))):
                        told(max(sent + len(piece) - left - _held_back(sock), 0))
                    sent += len(piece)
                await self._out(sock, self._talk.send(h11.EndOfMessage()))
                await self._taken_all(sock, size, told)
            except (NoAnswer, _Early):
                self._begin(JUST_S)  # it may have said why before it hung up
                await self._receive(sock, answer, MAX_BODY)
                self.close()
                return answer.status, bytes(answer.content)
            self._begin(seconds)
            await self._receive(sock, answer, MAX_BODY)
        except TimeoutError:
            self.close()
            raise self._silent() from None
        except BaseException:
            self.close()
            raise
        return self._over_with(answer)

    async def beginning(self, path: str, most: int) -> tuple[int, bytes]:
        """Status and the first bytes of what is at a path, as far as they come in time; the connection ends by it.

        For pages that never end, too. Raises NoAnswer when not even a status came.
        """
        sock, answer = await self._connected(), Answer()
        self._begin(self._timeout)
        try:
            await self._send(sock, "GET", path, b"", ())
            await self._receive(sock, answer, most)
        except (NoAnswer, ProtocolError, TimeoutError):
            if not answer.status:
                raise self._silent() from None
        finally:
            self.close()
        return answer.status, bytes(answer.content[:most])

    async def lines(
        self, method: str, path: str, headers: tuple[tuple[str, str], ...] = (), *, proven: int | None = None
    ) -> AsyncIterator[str]:
        """Lines of a reply that goes on, as they come. Ends when the device ends it or is quiet for long."""
        sock = await self._connected(proven)
        rest = b""
        try:
            self._begin(QUIET_S)
            await self._send(sock, method, path, b"", headers)
            while True:
                self._begin(QUIET_S)
                event = await self._event(sock)
                if isinstance(event, h11.Response) and event.status_code != 200:
                    raise ProtocolError(f"{self._host} does not stream: HTTP {event.status_code}.")
                if isinstance(event, h11.Data):
                    *whole, rest = (rest + bytes(event.data)).split(b"\n")
                    for line in whole:
                        yield line.decode("utf-8", "replace")
                    if len(rest) > MAX_LINE:
                        raise ProtocolError(f"{self._host} sent a line without end.")
                if isinstance(event, h11.EndOfMessage | h11.ConnectionClosed):
                    return
        except TimeoutError:
            raise self._silent() from None
        finally:
            self.close()

    async def _secured(self, sock: socket.socket) -> TlsSocket:
        try:
            made = TlsSocket(sock)
        except OSError as error:
            sock.close()
            raise self._silent() from error
        try:
            await made.shake_hands(self._host, self.pin, self._timeout)
        except BaseException:
            made.close()
            raise
        self.pin = made.fingerprint
        return made

    async def _connected(self, proven: int | None = None) -> Sock:
        """The kept connection, or a new one where anybody may be asked. Raises Unproven and what `request` does."""
        stands = self.open
        if proven is not None and not (self.connection == proven and (stands or self.just_closed)):
            raise Unproven(f"The connection to {self._host} is a new one.", "It is asked again who it is.")
        if self._sock is None:
            given, self._bare = self._bare if self._tls else None, None
            answer = given or await tcp.connect(self._source, self._host, self._port, tcp.CONNECT_TIMEOUT_S)
            if isinstance(answer, str):
                raise NobodyThere(
                    f"{self._host} {'refuses the connection' if answer == 'refused' else 'does not answer'}.",
                    "Look at its power and cable; if it was just restarted, wait and try again.",
                    refused=answer == "refused",
                    outcome="not_sent",
                )
            self._sock = await self._secured(answer) if self._tls else answer
            if not self.just_closed:
                self.connection += 1
            self._talk = h11.Connection(h11.CLIENT, max_incomplete_event_size=MAX_HEADERS)
        return self._sock

    async def _send(
        self, sock: Sock, method: str, path: str, body: bytes, headers: tuple[tuple[str, str], ...]
    ) -> None:
        fields = [("host", self._host_field()), ("content-length", str(len(body))), *headers]
        if body and not any(name == "content-type" for name, _ in headers):
            fields.append(("content-type", "application/json"))
        try:
            data = self._talk.send(h11.Request(method=method, target=path, headers=fields))
            data += self._talk.send(h11.Data(data=body)) if body else b""
            data += self._talk.send(h11.EndOfMessage())
        except (h11.LocalProtocolError, UnicodeError) as error:
            # A path or a token that the device itself gave us, with a line break or letters that cannot be there.
            raise ProtocolError(
                f"What {self._host} gave us cannot be said in HTTP: {error}.", outcome="not_sent"
            ) from error
        await self._out(sock, data)

    def _host_field(self) -> str:
        """RFC 9110 clause 7.2: the port belongs to the Host field unless it is the scheme's own."""
        return self._host if self._port == (TLS_PORT if self._tls else HTTP_PORT) else f"{self._host}:{self._port}"

    async def _out(self, sock: Sock, data: bytes) -> None:
        try:
            if isinstance(sock, TlsSocket):
                await sock.sendall(data, self._timeout)
                return
            if (sent := _sent_at_once(sock, data)) == len(data):
                return
            async with asyncio.timeout(self._timeout):
                await asyncio.get_running_loop().sock_sendall(sock, memoryview(data)[sent:])
        except TimeoutError:
            raise
        except OSError as error:
            raise self._silent() from error

    async def _poured(self, sock: Sock, data: bytes) -> AsyncIterator[int]:
        """Send it as fast as the device takes it; gives how much is left. Raises TimeoutError where it stands still."""
        if isinstance(sock, TlsSocket):
            for at in range(0, len(data), TLS_PIECE):
                try:
                    await sock.sendall(data[at : at + TLS_PIECE], STILL_S)
                except OSError as error:
                    raise self._silent() from error
                yield max(len(data) - at - TLS_PIECE, 0)
            return
        loop, rest = asyncio.get_running_loop(), memoryview(data)
        since = loop.time()
        while rest:
            try:
                size = sock.send(rest)
            except (BlockingIOError, InterruptedError):
                if _peeked(sock):
                    raise _Early from None
                if loop.time() - since > STILL_S:
                    raise TimeoutError from None
                await writable(sock, LOOK_S)
                continue
            except OSError as error:
                raise self._silent() from error
            rest, since = rest[size:], loop.time()
            yield len(rest)
            await asyncio.sleep(0)  # the others have their turn, too

    async def _taken_all(self, sock: Sock, size: int, told: Callable[[int], None]) -> None:
        """What the system still holds back goes over; only then the wait for the answer begins. Raises TimeoutError."""
        loop = asyncio.get_running_loop()
        last, since, pause = _held_back(sock), loop.time(), LOOK_S / 64
        while last and not (isinstance(sock, socket.socket) and _peeked(sock)):
            await asyncio.sleep(pause)
            pause = min(2 * pause, LOOK_S)
            now = _held_back(sock)
            if now != last:
                since = loop.time()
            elif loop.time() - since > STILL_S:
                raise TimeoutError
            last = now
            told(max(size - now, 0))
        if not last:
            told(size)

    async def _receive(self, sock: Sock, answer: Answer, most: int) -> None:
        """What comes goes into `answer`, to the end of the message or until there are more than so many bytes."""
        while len(answer.content) <= most:
            event = await self._event(sock)
            if isinstance(event, h11.Response):
                answer.status = event.status_code
                answer.headers = [(n.decode("latin-1"), v.decode("latin-1")) for n, v in event.headers]
            elif isinstance(event, h11.Data):
                answer.content += event.data
            elif isinstance(event, h11.EndOfMessage):
                return
            elif isinstance(event, h11.ConnectionClosed):
                raise self._silent()

    async def _event(self, sock: Sock) -> h11.Event:
        try:
            while (event := self._talk.next_event()) is h11.NEED_DATA:
                data = await self._taken(sock)
                if not data and self._talk.their_state is h11.SEND_RESPONSE:
                    raise self._silent()
                self._talk.receive_data(data)
        except h11.RemoteProtocolError as error:
            raise ProtocolError(f"{self._host} does not speak HTTP as it should.", "Is it the right device?") from error
        except OSError as error:
            raise self._silent() from error
        if isinstance(event, h11.InformationalResponse):
            return await self._event(sock)
        if not isinstance(event, h11.Event | h11.ConnectionClosed):
            raise ProtocolError(f"{self._host} switches to another protocol.")
        return event

    def _begin(self, seconds: float) -> None:
        """From here on so much time for all that is waited for, whatever comes."""
        self._until, self._over = asyncio.get_running_loop().time() + seconds, False

    async def _taken(self, sock: Sock) -> bytes:
        """What came. At the end of the time what is there already still counts, once: this computer may be late.

        Raises TimeoutError.
        """
        loop = asyncio.get_running_loop()
        await asyncio.sleep(0)  # whoever sends without a pause takes no time from the others
        while not self._over:
            left = self._until - loop.time()
            self._over = left <= 0
            try:
                return sock.recv(RECEIVE_BYTES)
            except (BlockingIOError, InterruptedError):
                if not self._over:
                    await readable(sock, left)
        raise TimeoutError

    def _silent(self) -> NoAnswer:
        return NoAnswer(
            f"{self._host} fell silent in the middle.",
            "Look at its power and cable. Read it again before anything else is written.",
        )


class _Early(Exception):
    """The device answers before it has all that is sent to it."""


def _sent_at_once(sock: socket.socket, data: bytes) -> int:
    """How many bytes went without a wait; mostly all of them."""
    try:
        return sock.send(data)
    except (BlockingIOError, InterruptedError):
        return 0


def _peeked(sock: socket.socket) -> bool:
    """Whether something is there to be received."""
    try:
        return bool(sock.recv(1, socket.MSG_PEEK))
    except OSError:
        return False


def _held_back(sock: Sock) -> int:
    """Bytes that were sent and that the far end has not acknowledged (tcp(7), SIOCOUTQ); 0 where nobody can tell."""
    try:
        return int.from_bytes(fcntl.ioctl(sock.fileno(), termios.TIOCOUTQ, bytes(4)), sys.byteorder)
    except OSError:
        return 0


def _hung_up(sock: Sock) -> bool:
    """Whether the device closed a kept connection meanwhile; then a call on it could only be lost."""
    try:
        return sock.recv(1, socket.MSG_PEEK) == b""
    except BlockingIOError:
        return False
    except ConnectionError:
        return True
