"""A TFTP server for one file and one device, on one address of this computer, for as long as it is fetched.

Each transfer has a port of its own (RFC 1350, clause 4). Others who ask are refused, and so is every other name.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import aclosing, asynccontextmanager
from dataclasses import dataclass, field

from netloom_core.errors import LinkError, NetloomError, NoAnswer, ProtocolError
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import tftp

LOOK_S = 0.5


@dataclass
class Fetched:
    """What came of it so far: `trouble` is why the last try ended, `whole` whether one got to its end."""

    ended: asyncio.Event = field(default_factory=asyncio.Event)  # the last try
    asked: bool = False
    whole: bool = False
    trouble: NetloomError | None = None


@asynccontextmanager
async def giving(
    source: str, interface: str, port: int, host: str, file: tftp.File, told: Callable[[int], None]
) -> AsyncIterator[Fetched]:
    """While it is open `host` may fetch the file by its name, as often as it wants. Raises LinkError."""
    fetched = Fetched()
    try:
        with UdpLink(source, port=port, interface=interface) as link:
            work = asyncio.ensure_future(_serve(link, source, host, file, told, fetched))
            try:
                yield fetched
            finally:
                work.cancel()
                await asyncio.gather(work, return_exceptions=True)
    except LinkError as error:
        raise LinkError(
            f"No TFTP server can be opened on {source} port {port}: {error.message}",
            "Ports below 1024 need that right; another program may hold it. Nothing was sent to the device.",
        ) from error


async def _serve(
    link: UdpLink, source: str, host: str, file: tftp.File, told: Callable[[int], None], fetched: Fetched
) -> None:
    busy: dict[int, asyncio.Task[None]] = {}
    try:
        while True:
            async with aclosing(link.answers(LOOK_S)) as asked:
                async for data, address, port in asked:
                    if port in busy and not busy[port].done():
                        continue  # the same request again; its first answer is on the way
                    try:
                        request = tftp.parse_request(data)
                        if address != host:
                            raise ProtocolError("Not for you")
                        if request.name.rpartition("/")[2] != file.name:
                            await link.send(tftp.error(tftp.NOT_FOUND, "No such file"), address, port)
                            continue
                        transfer = tftp.Giving(request, file.size, file.read)
                    except ProtocolError as error:
                        code = tftp.DENIED if address != host else tftp.ILLEGAL
                        await link.send(tftp.error(code, error.message), address, port)
                        continue
                    fetched.asked, fetched.trouble = True, None
                    fetched.ended.clear()
                    busy = {p: task for p, task in busy.items() if not task.done()}
                    busy[port] = asyncio.ensure_future(_give(source, (address, port), transfer, told, fetched))
    finally:
        for task in busy.values():
            task.cancel()
        await asyncio.gather(*busy.values(), return_exceptions=True)


class _Transfer(asyncio.DatagramProtocol):
    """What comes on the port of one transfer is answered at once; each is waited for here, not in a task's turn."""

    def __init__(self, giving: tftp.Giving, to: tuple[str, int], told: Callable[[int], None]) -> None:
        self._giving, self._to, self._told = giving, to, told
        self.over: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self.heard = 0.0

    def connection_made(self, transport: asyncio.DatagramTransport) -> None:  # type: ignore[override]
        self._transport = transport
        self.send(self._giving.first())

    def send(self, data: bytes) -> None:
        self._transport.sendto(data, self._to)

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        if addr[:2] != self._to:
            self._transport.sendto(tftp.error(tftp.UNKNOWN_ID, "Unknown transfer"), addr)
            return
        if self.over.done():
            return
        try:
            out = self._giving.feed(data)
        except NetloomError as error:
            self.over.set_exception(error)
            return
        if out:
            self.heard = asyncio.get_running_loop().time()
            self._told(self._giving.sent)
            self.send(out)
        elif self._giving.done:
            self._told(self._giving.sent)
            self.over.set_result(None)

    def error_received(self, exc: Exception) -> None:
        """A port that is closed is silence: it may be open again."""


async def _give(
    source: str, to: tuple[str, int], transfer: tftp.Giving, told: Callable[[int], None], fetched: Fetched
) -> None:
    loop = asyncio.get_running_loop()
    try:
        transport, talk = await loop.create_datagram_endpoint(
            lambda: _Transfer(transfer, to, told), local_addr=(source, 0)
        )
    except OSError as error:
        fetched.trouble = NoAnswer(f"TFTP: {error.strerror or error}.")
        fetched.ended.set()
        return
    talk.heard = loop.time()
    try:
        while not talk.over.done():
            begun, heard = loop.time(), talk.heard
            await asyncio.wait([talk.over], timeout=transfer.again_s)
            if not talk.over.done() and talk.heard == heard and (out := transfer.silence(loop.time() - begun)):
                talk.send(out)
        talk.over.result()
        fetched.whole, fetched.trouble = True, None
    except NetloomError as error:
        fetched.trouble = error
    finally:
        transport.close()
        fetched.ended.set()
