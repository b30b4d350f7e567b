"""UDP from a line's own address: broadcast, multicast and answers, all bounded."""

from __future__ import annotations

import asyncio
import contextlib
import errno
import ipaddress
import socket
import struct
from collections import Counter, deque
from collections.abc import AsyncGenerator

from netloom_core.errors import Crowded, LinkError
from netloom_core.links import interfaces
from netloom_core.links.talk import writable

RECEIVE_BYTES = 65_507
MAX_FROM_ONE = 64  # datagrams of one sender that are looked at; more is a fault or a flood
MAX_IN_ALL = 20_000
MAX_ASKED = 4096  # senders of whom an answer is due
POLL_S = 0.1
AT_ONCE = 256  # datagrams taken in one go
MAX_WAITING = 4096  # of them that nobody looked at yet
ROOM_S = 1.5  # a datagram that the system does not take within that is given up
LOOK_AGAIN_S = 0.02
UNREACHED = (errno.ENETUNREACH, errno.EHOSTUNREACH, errno.EHOSTDOWN, errno.ECONNREFUSED, errno.EPERM, errno.EACCES)


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
        only: bool = False,
    ) -> None:
        """`anywhere` binds to all addresses, which is needed to hear broadcasts and groups.

        Then only what comes in by `interface` is heard, where the system allows to say so; with `only` it has to.
        Raises LinkError.
        """
        self._source = source
        self.crowded = 0
        self._held: Counter[str] = Counter()  # of what came, by sender
        self._due: Counter[str] = Counter()  # answers, of those who were asked: they are no flood
        self._came: deque[tuple[bytes, str, int]] = deque()
        self._readable = asyncio.Event()
        self._loop: asyncio.AbstractEventLoop | None = None  # set while the socket is listened to
        self._sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._sock.setblocking(False)
        try:
            self._sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            self._sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
            self._sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 20)
            self._sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(source))
            if anywhere and interface and not interfaces.is_loopback(source):
                with contextlib.suppress(*(() if only else (PermissionError,))):
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
        if self._loop is not None:
            self._loop.remove_reader(self._sock)
        self._sock.close()

    async def send(self, data: bytes, address: str, port: int) -> bool:
        """Whether it left; a target that cannot be reached is not an error of ours.

        What is held back for hosts that do not answer ARP can fill this socket: then it is waited for a
        moment, and Crowded is raised if there is still no room. `crowded` counts such times.
        """
        loop = asyncio.get_running_loop()
        until = loop.time() + ROOM_S
        while True:
            try:
                self._sock.sendto(data, (address, port))
            except OSError as error:
                if error.errno in UNREACHED:
                    return False
                if error.errno not in (errno.EAGAIN, errno.ENOBUFS, errno.EINTR):
                    raise _mapped(error, port) from error
                full = error.errno
            else:
                if self._due[address] < MAX_FROM_ONE and (address in self._due or len(self._due) < MAX_ASKED):
                    self._due[address] += 1
                return True
            self.crowded += 1
            if loop.time() >= until:
                raise Crowded("This computer takes no more UDP just now.", "It is asked more slowly.")
            # A full neighbour table does not show in the socket: there only time helps.
            await (writable(self._sock, LOOK_AGAIN_S) if full == errno.EAGAIN else asyncio.sleep(LOOK_AGAIN_S))

    async def answers(
        self, seconds: float, *, after: asyncio.Future[None] | None = None
    ) -> AsyncGenerator[tuple[bytes, str, int], None]:
        """(datagram, sender's address, port) until the time is over; a flood from one sender is dropped.

        One datagram for each that was sent to it is an answer, and no part of a flood. The time counts from the
        call, or from when `after` is done: whoever still sends is listened to, however long the sending takes. What
        arrived in time is given, however late this computer gets to it; what nobody took is given to the next call.
        """
        loop = asyncio.get_running_loop()
        self._listen(loop)
        deadline = loop.time() + seconds
        sent = after is None
        total, counts = 0, dict[str, int]()
        while total < MAX_IN_ALL:
            if not sent and after is not None:
                sent = after.done()
                deadline = loop.time() + seconds
            over = loop.time() >= deadline
            if over or not self._came:
                self._take()
            for _ in range(len(self._came)):  # what comes meanwhile is for the next look
                data, address, port = self._came.popleft()
                self._held[address] -= 1
                if self._due[address] > 0:
                    self._due[address] -= 1
                else:
                    counts[address] = counts.get(address, 0) + 1
                if counts.get(address, 0) <= MAX_FROM_ONE:
                    total += 1
                    yield data, address, port
            if over:
                return
            await asyncio.sleep(0)  # a flood takes no time from the others
            if not self._came:
                await self._wait(deadline - loop.time() if sent else POLL_S)

    def _listen(self, loop: asyncio.AbstractEventLoop) -> None:
        if self._loop is None:
            self._loop = loop
            loop.add_reader(self._sock, self._take)

    def _take(self) -> None:
        """What the system holds for us; a flood while nobody looks is dropped."""
        for _ in range(AT_ONCE):
            try:
                data, (address, port) = self._sock.recvfrom(RECEIVE_BYTES)
            except (BlockingIOError, InterruptedError):
                break
            except ConnectionError:  # of a question that nobody took
                continue
            # One that floods leaves room for the others.
            if len(self._came) < MAX_WAITING and self._held[address] < MAX_FROM_ONE:
                self._held[address] += 1
                self._came.append((data, address, port))
        self._readable.set()

    async def _wait(self, seconds: float) -> None:
        # Not the receiving itself is given up at the end of the time: a datagram could be lost by that.
        self._readable.clear()
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(max(seconds, 0)):
                await self._readable.wait()


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
