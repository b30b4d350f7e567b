"""A service of a unit: goes up and down with its power, and is told everything by the site's data."""

from __future__ import annotations

import asyncio
import contextlib
import errno
import logging
import socket
import ssl
from typing import Any

from netloom_standins.net_face import NetFace

log = logging.getLogger(__name__)


class Service:
    def __init__(self, unit: NetFace, options: dict[str, Any]) -> None:
        self.unit = unit
        self.options = options

    async def start(self) -> None:
        raise NotImplementedError

    async def begin(self) -> bool:
        """Starts it, if its address is here: a unit moved to another network is on, and nobody reaches it."""
        try:
            await self.start()
        except OSError as error:
            if error.errno != errno.EADDRNOTAVAIL:
                raise
            log.warning("%s is on; nobody reaches %s at %s", self.unit.serial, type(self).__name__, self.unit.address)
            return False
        return True

    async def stop(self) -> None:
        raise NotImplementedError

    @property
    def deaf(self) -> bool:
        return not self.unit.up or self.unit.faults.silent


class TcpService(Service):
    """Listens on the unit's address; `serve` talks with one client."""

    port = 0
    _server: asyncio.Server | None = None

    async def start(self) -> None:
        sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        sock.bind((self.unit.address, int(self.options.get("port", self.port))))
        self._clients: set[asyncio.StreamWriter] = set()
        self._server = await asyncio.start_server(self._talk, sock=sock, ssl=self.context())

    def context(self) -> ssl.SSLContext | None:
        """Of TLS, where it speaks that."""
        return None

    async def stop(self) -> None:
        if self._server is not None:
            self._server.close()
            for writer in list(self._clients):
                writer.transport.abort()
            self._server = None

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._clients.add(writer)
        try:
            while self.deaf:  # noqa: ASYNC110 - a fault is cleared from anywhere
                await asyncio.sleep(0.05)
            await self.serve(reader, writer)
        except (ConnectionError, asyncio.IncompleteReadError, asyncio.LimitOverrunError):
            return
        finally:
            self._clients.discard(writer)
            with contextlib.suppress(OSError):
                writer.close()

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        raise NotImplementedError


class UdpService(Service, asyncio.DatagramProtocol):
    """Answers datagrams on the unit's address and port."""

    port = 0
    _transport: asyncio.DatagramTransport | None = None

    async def start(self) -> None:
        sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
        sock.bind((self.unit.address, self.port))
        self._transport, _ = await asyncio.get_running_loop().create_datagram_endpoint(lambda: self, sock=sock)

    async def stop(self) -> None:
        if self._transport is not None:
            self._transport.close()
            self._transport = None

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        if not self.deaf and self._transport is not None and (answer := self.answer(data)):
            self._transport.sendto(answer, addr)

    def answer(self, data: bytes) -> bytes:
        raise NotImplementedError
