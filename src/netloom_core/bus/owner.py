"""One owner for each line: who has it now, the open port, and the talks on it.

A console, a live view, a sweep and a run on one line take turns here. A turn is one
conversation, not one run, so that nobody waits long.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable, Generator
from contextlib import asynccontextmanager
from typing import TypeVar

from netloom_core.bus.timing import line_time
from netloom_core.errors import NetloomError
from netloom_core.links.ports import open_port
from netloom_core.links.serial import ByteLink
from netloom_core.model.line import Line
from netloom_core.protocols.osdp.constants import BUSY_PAUSE_S, IDLE_CHARACTERS, REPLY_TIMEOUT_S
from netloom_core.protocols.osdp.frames import Receiver
from netloom_core.protocols.osdp.messages import Command, Reply
from netloom_core.protocols.osdp.session import Again, Ignore, Session

Result = TypeVar("Result")
Locate = Callable[[Line], str]
MAX_REPLY_CHARACTERS = 256  # a reply that has begun may take this much line time more


class SerialOwner:
    """The owner of one serial line. Opens the port at first use, wherever its adapter is by then."""

    def __init__(self, line: Line, locate: Locate) -> None:
        self.line = line
        self._locate = locate
        self.holder = ""
        self._turn = asyncio.Lock()
        self._link: ByteLink | None = None
        self._receiver = Receiver()
        self._sessions: dict[tuple[int, int], Session] = {}
        self.strays: set[int] = set()  # units heard when nobody was waiting for them; a scan asks them again
        self._asked: list[int] = []  # the last two units asked, newest last

    @asynccontextmanager
    async def turn(self, who: str) -> AsyncIterator[ByteLink]:
        async with self._turn:
            self.holder = who
            try:
                if self._link is not None and self._link.broken:
                    self._drop()
                if self._link is None:
                    # A port's name can change between two openings, and asking for it looks at files.
                    path = await asyncio.to_thread(self._locate, self.line)
                    self._link = await open_port(path, self.line.speed, self.line.parity, self.line.source)
                yield self._link
            except NetloomError as error:
                if error.code in ("port-missing", "link"):
                    self._drop()
                raise
            finally:
                self.holder = ""

    def session(self, address: int, speed: int) -> Session:
        return self._sessions.setdefault((address, speed), Session(address, name=f"Unit {address} at {speed} baud"))

    def forget(self, address: int, speed: int) -> None:
        """Number from 0 the next time; after a restart or a change of address."""
        self._sessions.pop((address, speed), None)

    async def converse(
        self,
        address: int,
        speed: int,
        flow: Generator[Command, Reply, Result],
        *,
        who: str = "",
        timeout: float = REPLY_TIMEOUT_S,
        session: Session | None = None,
    ) -> Result:
        """Drive a flow with one unit to its end, in one turn of the line."""
        talk = session or self.session(address, speed)
        async with self.turn(who) as link:
            await link.set_line(speed, self.line.parity)
            try:
                command = next(flow)
                while True:
                    reply = await self._exchange(link, talk, command, timeout)
                    command = flow.send(reply)
            except StopIteration as stop:
                result: Result = stop.value
                return result
            finally:
                flow.close()

    async def _exchange(self, link: ByteLink, talk: Session, command: Command, timeout: float) -> Reply:
        data = talk.send(command)
        if self._asked[-1:] != [talk.address]:
            self._asked = [*self._asked[-1:], talk.address]
        while True:
            await asyncio.sleep(line_time(IDLE_CHARACTERS, link.speed))
            self._note_strays(link.take())
            self._receiver.clear()
            link.write(data)
            verdict = await self._listen(link, talk, line_time(len(data), link.speed) + timeout)
            if isinstance(verdict, Reply):
                return verdict
            if verdict.busy:
                await asyncio.sleep(BUSY_PAUSE_S)
            data = verdict.data

    async def _listen(self, link: ByteLink, talk: Session, patience: float) -> Reply | Again:
        loop = asyncio.get_running_loop()
        deadline = loop.time() + patience
        begun = False
        while (left := deadline - loop.time()) > 0:
            arrived = await link.read(left)
            if arrived and not begun:
                begun = True
                deadline = max(deadline, loop.time() + line_time(MAX_REPLY_CHARACTERS, link.speed))
            for frame in self._receiver.feed(arrived):
                verdict = talk.received(frame)
                if not isinstance(verdict, Ignore):
                    return verdict
                if frame.reply:
                    self.strays.add(frame.address)
                    begun = False
        return talk.silent(garbled=begun)

    async def listen(self, seconds: float) -> None:
        """Say nothing for a while and note who speaks."""
        async with self.turn("sweep") as link:
            await asyncio.sleep(seconds)
            self._note_strays(link.take())

    def _note_strays(self, data: bytes) -> None:
        heard = {frame.address for frame in self._receiver.feed(data) if frame.reply}
        self.strays |= heard
        if data and not heard:
            self.suspect_the_one_before()

    def suspect_the_one_before(self) -> None:
        """Bytes that are no frame came late: they may be of units that answered at once to the question before."""
        self.strays.update(self._asked[:1])

    def _drop(self) -> None:
        if self._link is not None:
            self._link.close()
            self._link = None
        self._sessions.clear()

    def close(self) -> None:
        self._drop()


def _port(line: Line) -> tuple[str, int, str]:
    return line.path, line.speed, line.parity


class Owners:
    """The owners of all serial lines, by line id; the one place that opens ports."""

    def __init__(self, locate: Locate = lambda line: line.path) -> None:
        """`locate` gives a line's present port; it may look at the system and take a moment."""
        self._serial: dict[str, SerialOwner] = {}
        self._locate = locate

    def serial(self, line: Line) -> SerialOwner:
        owner = self._serial.get(line.id)
        if owner is None or _port(owner.line) != _port(line):
            if owner is not None:
                owner.close()
            owner = self._serial[line.id] = SerialOwner(line, self._locate)
        return owner

    def holder(self, line_id: str) -> str:
        owner = self._serial.get(line_id)
        return owner.holder if owner else ""

    def close(self) -> None:
        for owner in self._serial.values():
            owner.close()
        self._serial.clear()
