"""Who is there on one line, as far as one sweep knows by now; whom to ask first, and whom not at all.

A silent address costs: the system holds back what is sent there until its own question for the MAC address
timed out, and that fills sockets and the neighbour table, so that others are not asked in time. So each
method asks those first who were met, as they are met. The others come last, or not at all when it is
proven that nobody has their address.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Iterable


class Presence:
    def __init__(self, hosts: Iterable[str], *, probing: bool) -> None:
        """`hosts` are all to be asked, in the order of interest. `probing` says that a method finds out who
        is there, and will tell when it is over; without one all are asked, in their order.
        """
        self._hosts = tuple(hosts)
        self._wanted = frozenset(self._hosts)
        self._met: dict[str, None] = {}
        self._order: list[str] = []
        self._changed = asyncio.Event()
        self.over = not probing
        self.proven = False

    @property
    def silent(self) -> int:
        """How many were not met."""
        return len(self._hosts) - len(self._order)

    def met(self, address: str) -> None:
        """Something came from there in this sweep."""
        if address in self._wanted and address not in self._met:
            self._met[address] = None
            self._order.append(address)
            self._wake()

    def settle(self, proven: bool) -> None:
        """Nobody else will be met by asking for presence; `proven` when whoever was not met cannot be there."""
        self.over, self.proven = True, proven
        self._wake()

    def _wake(self) -> None:
        self._changed.set()
        self._changed = asyncio.Event()

    async def first(self) -> AsyncIterator[str]:
        """All that are worth a question, each once: those met, as they are met, then the others."""
        given = 0
        while True:
            while given < len(self._order):
                given += 1
                yield self._order[given - 1]
            if self.over:
                break
            await self._changed.wait()
        told = set(self._order[:given])
        for host in self._hosts if not self.proven else ():
            if host not in told:
                told.add(host)
                yield host
        for host in self._order:  # met while the others were asked
            if host not in told:
                yield host
