"""A talk with units behind a lighting node: whose port they are on, questions, and what their answers ask for.

A unit may need time (ACK_TIMER), have more to tell than fits (ACK_OVERFLOW), or refuse (NACK_REASON): E1.20 clause 6.3.
"""

from __future__ import annotations

import asyncio
import itertools
import os
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

from netloom_core.errors import Absent, Busy, DeviceError, NoAnswer, NobodyThere, ProtocolError, Refused
from netloom_core.links.shared_udp import Asked, Inbox, SharedPort
from netloom_core.protocols import artnet, artnet_rdm, rdm

POLL_S = 3.2  # a node may wait a random second before it answers a poll
TABLE_S = 2.0
ALIKE_S = 0.25  # after all were told, for a second port with one of these addresses
TRIES = 3
MOST_DATA = 4096
MOST_TURNS = 12  # of delays and parts, for one question
PATIENCE_S = 12.0  # for one question in all
_NUMBERS = itertools.count()  # of all talks: one that is begun anew uses none that a late answer may still bear
OURS = b"\x7f\xf0" + os.urandom(4)  # an identifier for prototypes, E1.20 appendix B


class Node:
    """What is behind the node at `host`. `places` are port addresses by unit, as far as they are known."""

    def __init__(self, port: SharedPort, host: str, seconds: float) -> None:
        self._port, self.host, self._seconds = port, host, seconds
        self.places: dict[bytes, int] = {}
        self._inbox: Inbox | None = None

    @asynccontextmanager
    async def open(self) -> AsyncIterator[None]:
        """While the talk goes on; the port is shared with others on this computer."""
        async with self._port.listening(self.host) as inbox:
            self._inbox = inbox
            try:
                yield
            finally:
                self._inbox = None

    async def ports(self, seconds: float = artnet.PARTS_S) -> list[int]:
        """Port addresses of its outputs, as far as they come within so long of the first. Raises NobodyThere where no
        poll of two is answered."""
        assert self._inbox is not None
        asked = Asked(self._port, self._inbox, self.host, artnet.poll())
        await asked.say(POLL_S, artnet.ANSWERS_S)
        found: dict[int, artnet.PollReply] = {}
        while (data := await asked.next()) is not None:
            try:
                reply = artnet.parse_reply(data)
            except ProtocolError:
                continue
            if not found:
                asked.over_in(seconds)
            found[reply.bind_index] = reply
        if not found:
            raise NobodyThere(f"The node at {self.host} answers no poll of Art-Net.", "Look at its power and cable.",
                              outcome="not_sent")  # fmt: skip
        return list(dict.fromkeys(universe for reply in found.values() for universe in reply.universes))

    async def search(self, port_addresses: list[int]) -> set[int]:
        """Ask the node for its tables; `places` has what it told. Two of its ports may send one port address. Those of
        which nothing came, or not all, are asked for again, and told in the end."""
        told: dict[int, set[bytes]] = {}
        missing = set(port_addresses)
        for _ in range(TRIES):
            await self._tables(missing, told)
            if not missing:
                break
        for address, units in told.items():
            self.places |= dict.fromkeys(units, address)
        return missing

    async def _tables(self, missing: set[int], told: dict[int, set[bytes]]) -> None:
        asked = sorted(missing)
        for packet in artnet_rdm.request(asked):
            await self._port.send(packet, self.host)
        until = self._now + TABLE_S
        while (data := await self._next(until)) is not None:
            try:
                part = artnet_rdm.parse_told(data)
            except ProtocolError:
                continue
            if part.port_address not in asked:
                continue
            units = told.setdefault(part.port_address, set())
            units.update(part.units)
            if len(units) >= part.total or not part.known:
                missing.discard(part.port_address)
            if not missing:
                until = min(until, self._now + ALIKE_S)

    async def find(self, uid: bytes) -> None:
        """Raises NobodyThere where the node answers and does not have that unit on any port."""
        self.places.pop(uid, None)
        untold: set[int] = set()
        for seconds in (artnet.PARTS_S, POLL_S):  # a part of what it says of its ports may be lost, or come late
            untold = await self.search(await self.ports(seconds))
            if uid in self.places:
                return
        if untold:
            raise NoAnswer(
                f"The node at {self.host} does not tell who is on its ports in "
                f"{', '.join(f'universe {one}' for one in sorted(untold))}.",
                "Look at the node and its cable; whether the unit is there is not known.",
                outcome="not_sent",
            )
        raise NobodyThere(
            f"The node at {self.host} has no unit {rdm.uid_text(uid)} on its ports.",
            "Look at the unit's power and DMX cable; a node may need a moment after it was plugged in.",
            outcome="not_sent",
        )

    async def get(self, uid: bytes, parameter: int, data: bytes = b"") -> bytes:
        """Raises Absent, Refused, Busy, NoAnswer, ProtocolError."""
        found = b""
        for _ in range(MOST_TURNS):
            answer = await self._ask(uid, rdm.GET, parameter, data)
            found += answer.data
            if answer.kind != rdm.ACK_OVERFLOW or len(found) > MOST_DATA:
                return found[:MOST_DATA]
        raise ProtocolError(f"{rdm.uid_text(uid)} has no end of what it tells.")

    async def set(self, uid: bytes, parameter: int, data: bytes) -> None:
        """Sent once; whoever called reads it back. Raises Absent, Refused, Busy, NoAnswer, ProtocolError."""
        await self._ask(uid, rdm.SET, parameter, data)

    async def _ask(self, uid: bytes, command: int, parameter: int, data: bytes) -> rdm.Message:
        """The answer that is none of a delay: what a unit needs time for is asked for when that is over."""
        end = self._now + PATIENCE_S
        answer = await self._once(uid, command, parameter, data)
        for _ in range(MOST_TURNS):
            if answer.kind != rdm.ACK_TIMER:
                break
            wait = int.from_bytes(answer.data[:2], "big") / 10
            if self._now + wait > end:
                raise Busy(f"{rdm.uid_text(uid)} says that it needs {wait:g} s.", "Ask it again after that.")
            await asyncio.sleep(wait)
            later = await self._once(uid, rdm.GET, rdm.QUEUED, bytes((rdm.STATUS_ERROR,)))
            if later.parameter == parameter:
                answer = later
            elif later.kind != rdm.ACK_TIMER and command == rdm.GET:
                answer = await self._once(uid, command, parameter, data)  # it keeps no such messages
            elif later.kind != rdm.ACK_TIMER and later.parameter == rdm.STATUS:
                return later  # nothing waits there any more: whether it was taken is read back
        if answer.kind == rdm.NACK:
            raise refusal(uid, parameter, int.from_bytes(answer.data[:2], "big"))
        if answer.kind not in (rdm.ACK, rdm.ACK_OVERFLOW):
            raise Busy(f"{rdm.uid_text(uid)} is still busy with that.", "Ask it again in a moment.")
        return answer

    async def _once(self, uid: bytes, command: int, parameter: int, data: bytes) -> rdm.Message:
        """A question is repeated after silence, what sets something never is."""
        place = self.places.get(uid)
        if place is None:
            raise NoAnswer(f"It is not known any more on which port {rdm.uid_text(uid)} is.", "It is looked for again.",
                           outcome="not_sent")  # fmt: skip
        for _ in range(TRIES if command == rdm.GET else 1):
            message = rdm.Message(uid, OURS, next(_NUMBERS) & 0xFF, command, parameter, data)
            await self._port.send(artnet_rdm.ask(place, rdm.pack(message)), self.host)
            until = self._now + self._seconds
            while (came := await self._next(until)) is not None:
                if (answer := _answer(came, message)) is not None:
                    return answer
        raise NoAnswer(f"{rdm.uid_text(uid)} behind {self.host} does not answer.",
                       "Look at its power and DMX cable. Read it again before anything else is written.")  # fmt: skip

    async def _next(self, until: float) -> bytes | None:
        assert self._inbox is not None
        came = await self._inbox.next(until)
        return came[0] if came is not None else None

    @property
    def _now(self) -> float:
        return asyncio.get_running_loop().time()


def _answer(data: bytes, to: rdm.Message) -> rdm.Message | None:
    """The answer to that question; None for anything else. A unit may answer a question for what waits by any
    parameter.
    """
    try:
        _, told = artnet_rdm.parse_answer(data)
    except ProtocolError:
        return None
    if told.source != to.to or told.to != to.source or told.number != to.number:
        return None
    if to.parameter == rdm.QUEUED:
        return told if told.command in (rdm.GET + 1, rdm.SET + 1) else None
    return told if (told.command, told.parameter) == (to.command + 1, to.parameter) else None


def refusal(uid: bytes, parameter: int, reason: int) -> DeviceError:
    said = rdm.REFUSALS.get(reason, f"reason {reason}")
    name = f"{rdm.uid_text(uid)} refuses parameter {parameter:04X}"
    if reason == rdm.UNKNOWN_PID:
        return Absent(f"{name}: {said}.")
    if reason in (rdm.BUFFER_FULL, rdm.PROXY_FULL):
        return Busy(f"{name}: {said}.", "Try again in a moment.")
    return Refused(f"{name}: {said}.", "It was read back to see what it has now.")
