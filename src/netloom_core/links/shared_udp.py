"""A fixed UDP port that several talks use at once: each hears what comes from its own peer.

Of two sockets on one address and port the system gives a datagram to the later one only, so there is one here, open
while anybody listens.
"""

from __future__ import annotations

import asyncio
import contextlib
import math
from collections import deque
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from netloom_core.errors import LinkError
from netloom_core.links.udp import UdpLink

MOST_HELD = 512  # datagrams for one listener who does not look
ROUND_S = 0.25  # in each a flood of one sender is cut off anew


class Inbox:
    """What came for one listener. `peer` is whose datagrams it takes; empty for everybody's."""

    def __init__(self, peer: str) -> None:
        self.peer = peer
        self._came: deque[tuple[bytes, str, int]] = deque(maxlen=MOST_HELD)
        self._there = asyncio.Event()

    def put(self, data: bytes, address: str, port: int) -> None:
        self._came.append((data, address, port))
        self._there.set()

    async def next(self, until: float) -> tuple[bytes, str, int] | None:
        """(datagram, sender's address and port); None when none came by `until` of the loop's clock.

        What came in time is given.
        """
        while not self._came:
            self._there.clear()
            left = until - asyncio.get_running_loop().time()
            if left <= 0:
                return None
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(left):
                    await self._there.wait()
        return self._came.popleft()


class Asked:
    """Answers to one question, for `seconds` in all. Where `over_in` is not said within `again` seconds of it, the
    question is sent once more: one lost packet is no silence."""

    def __init__(self, port: SharedPort, inbox: Inbox, host: str, question: bytes) -> None:
        self._port, self._inbox, self._host, self._question = port, inbox, host, question
        self._until = self._again = 0.0

    async def say(self, seconds: float, again: float = math.inf) -> None:
        await self._port.send(self._question, self._host)
        now = asyncio.get_running_loop().time()
        self._until, self._again = now + seconds, now + again

    def over_in(self, seconds: float) -> None:
        """An answer came: others may come for so long at most, and it is not asked once more."""
        self._until = min(self._until, asyncio.get_running_loop().time() + seconds)
        self._again = math.inf

    async def next(self) -> bytes | None:
        """The next datagram of the inbox, an answer or not; None when the time is over."""
        came = await self._inbox.next(min(self._again, self._until))
        if came is None and self._again < self._until:
            self._again = math.inf
            await self._port.send(self._question, self._host)
            came = await self._inbox.next(self._until)
        return came[0] if came is not None else None


class SharedPort:
    """`port` on the line's own address, and on all addresses of its interface, where broadcasts come in."""

    def __init__(self, source: str, port: int, interface: str = "") -> None:
        self._source, self._port, self._interface = source, port, interface
        self._inboxes: list[Inbox] = []
        self._links: list[UdpLink] = []
        self._pumps: list[asyncio.Task[None]] = []
        self.hears_all = False  # whether broadcasts can be heard, too
        self.trouble = ""  # why not

    @asynccontextmanager
    async def listening(self, peer: str = "") -> AsyncIterator[Inbox]:
        """Raises LinkError where the port is not to be had."""
        inbox = Inbox(peer)
        if not self._inboxes:
            self._open()
        self._inboxes.append(inbox)
        try:
            yield inbox
        finally:
            self._inboxes.remove(inbox)
            if not self._inboxes:
                self._close()

    async def send(self, data: bytes, address: str) -> bool:
        """Whether it left. Only while somebody listens."""
        return await self._links[0].send(data, address, self._port)

    @property
    def link(self) -> UdpLink:
        """The socket on the line's own address, for what counts its packets."""
        return self._links[0]

    def _open(self) -> None:
        self.hears_all, self.trouble = True, ""
        try:
            self._links = [UdpLink(self._source, port=self._port)]
            self._links.append(UdpLink(self._source, port=self._port, anywhere=True, interface=self._interface))
        except LinkError as error:
            self.hears_all, self.trouble = False, error.message
            if not self._links:  # some answer to wherever they were asked from
                self._links = [UdpLink(self._source)]
        self._pumps = [asyncio.ensure_future(self._pump(link)) for link in self._links]

    def _close(self) -> None:
        for pump in self._pumps:
            pump.cancel()
        for link in self._links:
            link.__exit__()
        self._links, self._pumps = [], []

    async def _pump(self, link: UdpLink) -> None:
        while True:
            async for data, address, port in link.answers(ROUND_S):
                for inbox in self._inboxes:
                    if inbox.peer in ("", address):
                        inbox.put(data, address, port)
