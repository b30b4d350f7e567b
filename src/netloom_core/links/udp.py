"""UDP from a line's own address: broadcast, multicast and answers, all bounded."""

from __future__ import annotations

import asyncio
import contextlib
import errno
import ipaddress
import socket
import struct
from collections.abc import AsyncIterator

from netloom_core.errors import LinkError
from netloom_core.links import interfaces

RECEIVE_BYTES = 65_507
MAX_FROM_ONE = 64  # datagrams of one sender that are looked at; more is a fault or a flood
MAX_IN_ALL = 20_000
POLL_S = 0.1


class UdpLink:
    """An open socket. `port` 0 takes any; a fixed one is shared with other programs. Close it when done."""

    def __init__(
        self,
        source: str,
        *,
        port: int = 0,
        anywhere: bool = False,
        groups: tuple[str, ...] = (),
        interface: str = "",
    ) -> None:
        """`anywhere` binds to all addresses, which is needed to hear broadcasts and groups.

        Then only what comes in by `interface` is heard, where the system allows to say so.
        Raises LinkError.
        """
        self._source = source
        self._sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._sock.setblocking(False)
        try:
            self._sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            self._sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
            self._sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
            self._sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(source))
            if anywhere and interface and not interfaces.is_loopback(source):
                with contextlib.suppress(PermissionError):
                    self._sock.setsockopt(socket.SOL_SOCKET, socket.SO_BINDTODEVICE, interface.encode())
            self._sock.bind(("" if anywhere else source, port))
            for group in groups:
                member = struct.pack("4s4s", socket.inet_aton(group), socket.inet_aton(source))
                self._sock.setsockopt(socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, member)
        except OSError as error:
            self._sock.close()
            raise _mapped(error, port) from error

    def __enter__(self) -> UdpLink:
        return self

    def __exit__(self, *details: object) -> None:
        self._sock.close()

    async def send(self, data: bytes, address: str, port: int) -> bool:
        """Whether it left; a target that cannot be reached is not an error of ours."""
        try:
            await asyncio.get_running_loop().sock_sendto(self._sock, data, (address, port))
        except OSError as error:
            if error.errno in (errno.ENETUNREACH, errno.EHOSTUNREACH, errno.ECONNREFUSED, errno.EPERM, errno.EACCES):
                return False
            raise _mapped(error, port) from error
        return True

    async def answers(
        self, seconds: float, *, after: asyncio.Future[None] | None = None
    ) -> AsyncIterator[tuple[bytes, str, int]]:
        """(datagram, sender's address, port) until the time is over; a flood from one sender is dropped.

        The time counts from the call, or from when `after` is done: whoever still sends is
        listened to, however long the sending takes.
        """
        loop = asyncio.get_running_loop()
        deadline = loop.time() + seconds
        sent = after is None
        counts: dict[str, int] = {}
        for _ in range(MAX_IN_ALL):
            if not sent and after is not None:
                sent = after.done()
                deadline = loop.time() + seconds
            left = deadline - loop.time()
            if left <= 0:
                return
            try:
                async with asyncio.timeout(left if sent else min(left, POLL_S)):
                    data, (address, port) = await loop.sock_recvfrom(self._sock, RECEIVE_BYTES)
            except TimeoutError:
                if sent:
                    return
                continue
            except ConnectionError:
                continue
            counts[address] = counts.get(address, 0) + 1
            if counts[address] <= MAX_FROM_ONE:
                yield data, address, port


def broadcast_of(source: str, network: str) -> str:
    """Where a broadcast on that network goes; on loopback there is one for all of it."""
    if interfaces.is_loopback(source):
        return "127.255.255.255"
    return str(ipaddress.ip_network(network).broadcast_address)


def _mapped(error: OSError, port: int) -> LinkError:
    if error.errno == errno.EADDRINUSE:
        return LinkError(f"Another program holds UDP port {port} for itself.", "Close that program, then sweep again.")
    if error.errno == errno.EADDRNOTAVAIL:
        return LinkError("This computer has no address on that line.", "Give its network interface an address there.")
    if error.errno in (errno.EACCES, errno.EPERM):
        return LinkError(f"This user may not use UDP port {port}.", "Run the server with that right, or do without.")
    return LinkError(f"UDP: {error.strerror or error}.", "Look at this computer's network.")
