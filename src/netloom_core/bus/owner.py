"""One owner for each line: who has it now, the open port, and the talks on it.

A console, a live view, a sweep and a run on one line take turns here, the most urgent
first. A turn is one conversation, not one run, so that nobody waits long; and it is
bounded in total time, whatever arrives meanwhile.
"""

from __future__ import annotations

import asyncio
from collections import defaultdict, deque
from collections.abc import AsyncIterator, Callable, Generator, Iterable
from contextlib import asynccontextmanager, suppress
from typing import TypeVar

from netloom_core.bus.crackle import Crackle
from netloom_core.bus.echo import EchoFilter
from netloom_core.bus.late import Owed
from netloom_core.bus.timing import PIECES_S, REST_S, line_time
from netloom_core.bus.traffic import Tapped, Traffic
from netloom_core.bus.turns import Priority, Turns
from netloom_core.bus.unanswered import Unanswered
from netloom_core.clock import SystemClock
from netloom_core.errors import NetloomError, NoAnswer, NobodyThere, OutOfStep, Refused, WantsEncryption
from netloom_core.links.ports import open_port
from netloom_core.links.serial import ByteLink
from netloom_core.links.shared_udp import SharedPort
from netloom_core.model.line import Line
from netloom_core.patience import Patience, heard
from netloom_core.protocols.framing import CRACKLE
from netloom_core.protocols.osdp.constants import BUSY_PAUSE_S, IDLE_CHARACTERS, REPLY_TIMEOUT_S
from netloom_core.protocols.osdp.frames import Frame, Receiver
from netloom_core.protocols.osdp.messages import Command, Reply
from netloom_core.protocols.osdp.session import Again, Ignore, Session

Result = TypeVar("Result")
Locate = Callable[[Line], str]
MAX_REPLY_CHARACTERS = 256  # a reply that has begun may take this much line time more
TURN_S = 20.0  # one conversation in all: a read of a large table at 9600 baud takes 2 s
DRIVE_WAIT_S = 8.0
WAIT_S = 30.0  # for the turn; longer than one conversation, shorter than a person's patience
ALONE = -1
NUMBERS = 4  # 0 to 3
COMMON_CHARACTERS = 64  # of a reply; where somebody talks longer than that, the question is put in between
MOST_SPOILED = 64
LEADER_FRAMES = 3  # so many commands of somebody else are a control panel, not a late echo


class SerialOwner:
    """The owner of one serial line. Opens the port at first use, wherever its adapter is by then."""

    def __init__(self, line: Line, locate: Locate) -> None:
        self.line = line
        self._locate = locate
        self.turns = Turns(f"the line {line.name}")
        self._link: ByteLink | None = None
        self._receiver = Receiver()
        self._sessions: dict[tuple[int, int], Session] = {}
        self.strays: set[tuple[int, int]] = set()  # units heard when nobody was waiting for them, and at which speed
        self.spoiled: deque[float] = deque(maxlen=MOST_SPOILED)  # when bytes came that make no sense, of the loop
        self.garbled_at = 0.0  # when the first bytes of the last reply that was not understood came
        self._heard_at = 0.0  # when something was on the line last, as far as that is known
        self.openings = 0  # of the port: what was known of who is at its end ends with each
        self.echoes = False  # whether the adapter gives back what is sent
        self.crackle = Crackle()
        self._commands = 0  # commands heard that were not ours
        self._owed: dict[int, Owed] = defaultdict(Owed)  # by unit: what it may answer that nobody waits for any more
        self._unanswered = Unanswered()
        self._passed_over = 0  # answers that may have been to older questions
        self.traffic = Traffic(SystemClock().now)

    @property
    def holder(self) -> str:
        return self.turns.holder

    @property
    def led_by_another(self) -> bool:
        """Whether another control panel was heard to poll this bus."""
        return self._commands >= LEADER_FRAMES

    def listen_anew(self) -> None:
        """Forget what was heard; at the beginning of a scan."""
        self.strays.clear()
        self.spoiled.clear()
        self.crackle = Crackle()
        self._commands = 0

    @asynccontextmanager
    async def turn(
        self, who: str, priority: Priority = Priority.SWEEP, wait: float = WAIT_S
    ) -> AsyncIterator[ByteLink]:
        async with self._turn(who, priority, wait) as link:
            try:
                yield link
            finally:
                self._heard_at = asyncio.get_running_loop().time()

    @asynccontextmanager
    async def _turn(self, who: str, priority: Priority, wait: float) -> AsyncIterator[ByteLink]:
        async with self.turns.turn(priority, who, wait):
            try:
                if self._link is not None and self._link.broken:
                    self._drop()
                if self._link is None:
                    # A port's name can change between two openings, and asking for it looks at files.
                    path = await asyncio.to_thread(self._locate, self.line)
                    self._link = await open_port(path, self.line.speed, self.line.parity, self.line.source)
                    self.openings += 1
                tapped: ByteLink = Tapped(self._link, self.traffic, who)
                yield self._link if priority is Priority.CONSOLE else tapped
            except NetloomError as error:
                if error.code in ("port-missing", "link"):
                    self._drop()
                raise

    def owed(self, unit: int) -> Owed:
        """What a unit may still say to earlier questions. ALONE is the only one on a line."""
        return self._owed[unit]

    async def hear_out(self, unit: int, link: ByteLink) -> None:
        """Before it is asked anew: what it still says to the question before would pass for the answer."""
        while (left := self._owed[unit].left()) > 0:
            await link.read(left)

    async def answered(self, address: int, speed: int) -> None:
        """Until it has answered all that it was asked, or never will. Others may talk meanwhile."""
        while (left := self._unanswered.left((address, speed))) > 0:
            await asyncio.sleep(min(left, REPLY_TIMEOUT_S))
            if self._link is not None and (self.turns.mine or not self.holder):
                self._note_strays(self._link.take(), self._link.speed)

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
        priority: Priority = Priority.SWEEP,
    ) -> Result:
        """Drive a flow with one unit to its end, in one turn of the line.

        However it is left, the unit's session can be used again: what was under way is given up.
        """
        talk = session or self.session(address, speed)
        wait = DRIVE_WAIT_S if priority is Priority.DRIVE else WAIT_S
        async with self._turn(who, priority, wait) as link:
            try:
                async with asyncio.timeout(TURN_S):
                    if speed != link.speed:
                        await asyncio.sleep(0)  # what is there already is taken
                        self._note_strays(link.take(), link.speed)
                    await link.set_line(speed, self.line.parity)
                    command = next(flow)
                    while True:
                        reply = await self._exchange(link, talk, command, timeout)
                        command = flow.send(reply)
            except StopIteration as stop:
                result: Result = stop.value
                return result
            except TimeoutError:
                raise NoAnswer(
                    f"The talk with unit {address} on {self.line.name} took longer than {TURN_S:g} s and was given up.",
                    "Something on the bus talks without end. Look who else is on it.",
                ) from None
            finally:
                talk.abandon()
                flow.close()

    async def _exchange(self, link: ByteLink, talk: Session, command: Command, timeout: float) -> Reply:
        if talk.channel is None and not command.block:
            await self._past_numbers_in_doubt(link, talk, command, timeout)
        return await self._asked_for(link, talk, command, timeout)

    async def _past_numbers_in_doubt(self, link: ByteLink, talk: Session, command: Command, timeout: float) -> None:
        """A number that another command's answer may still bear is spent on a question whose answer nobody needs."""
        unit = talk.address, link.speed
        if not self._unanswered.rests(unit):
            for _ in range(NUMBERS):
                if not self._unanswered.in_doubt(unit, talk.sequence, command.code, talk.framed(command)):
                    self._unanswered.settled(unit)
                    return
                passed = self._passed_over
                try:
                    with suppress(Refused, WantsEncryption):
                        question = self._unanswered.question(unit, talk.sequence)
                        await self._asked_for(link, talk, question, timeout, own=True)
                except NobodyThere:
                    if passed == self._passed_over:
                        raise
                    break  # it does answer, and not what it was asked
            self._unanswered.unsettled(unit)
        raise OutOfStep(
            f"Unit {talk.address} on {self.line.name} left many questions without an answer a moment ago, and what it "
            "says now may still be the answer to one of those.",
            "Ask it again in a few seconds.",
        )

    async def _asked_for(
        self, link: ByteLink, talk: Session, command: Command, timeout: float, *, own: bool = False
    ) -> Reply:
        """`own` passes over what may answer an older command."""
        data = talk.send(command)
        while True:
            await self._idle(link)
            link.write(data)
            self._heard_at = asyncio.get_running_loop().time() + line_time(len(data), link.speed)
            self._unanswered.sent((talk.address, link.speed), talk.sequence, command.code, data)
            verdict = await self._listen(link, talk, data, timeout, own)
            if isinstance(verdict, Reply):
                return verdict
            if verdict.busy:
                await asyncio.sleep(BUSY_PAUSE_S)
            data = verdict.data

    async def _idle(self, link: ByteLink) -> None:
        """Wait until nobody speaks (5.6, two characters): a late answer of somebody else is heard to its end."""
        clock = asyncio.get_running_loop().time
        pause, came = line_time(IDLE_CHARACTERS, link.speed), b""
        pieces = 0 if self.led_by_another else PIECES_S  # that one leaves shorter pauses
        end = clock() + line_time(COMMON_CHARACTERS, link.speed) + 2 * PIECES_S
        await asyncio.sleep(0)  # what is there already is taken
        while clock() < end:
            if more := link.take():
                came, pause, self._heard_at = came + more, max(pause, pieces), clock()
            elif (left := self._heard_at + pause - clock()) <= 0:
                break
            else:
                await asyncio.sleep(left)
        self._note_strays(came + link.take(), link.speed, over=True)
        self._receiver.clear()

    async def _listen(
        self, link: ByteLink, talk: Session, sent: bytes, timeout: float, own_only: bool
    ) -> Reply | Again:
        """The reply, or what to do without one. Nothing that arrives moves the end on."""
        usual = line_time(len(sent), link.speed) + timeout
        patience = Patience(usual, most=usual + line_time(MAX_REPLY_CHARACTERS, link.speed) + REST_S)
        own = EchoFilter(sent)
        only = sent if own_only else b""
        first = True
        while said := await heard(link.read, patience):
            self._heard_at = asyncio.get_running_loop().time()
            undecided, arrived = own.held, own.feed(said)
            self.echoes = self.echoes or own.echoed
            if own.echoed and undecided:
                patience.back()
            if arrived and first:
                first, self.garbled_at = False, self._heard_at
            frames = self._receiver.feed(arrived)
            if (verdict := self._verdict(talk, link.speed, frames, only)) is not None:
                return verdict
            if frames:
                first = True
                patience.back()
            if (pending := self._receiver.pending + own.held) > CRACKLE:
                patience.go_on()
            elif pending:
                patience.go_on(self.crackle.rest(line_time(COMMON_CHARACTERS, link.speed)))
        came = self._receiver.pending + own.held
        if (verdict := self._verdict(talk, link.speed, self._receiver.released(), only)) is not None:
            return verdict
        if 0 < came <= CRACKLE:
            self.crackle.nothing_followed()
        return talk.silent(garbled=came > CRACKLE)

    def _verdict(self, talk: Session, speed: int, frames: Iterable[Frame], only: bytes) -> Reply | Again | None:
        """What the talk makes of them; None where it waits on, and of the others' is noted whose they are. Where `only`
        the answer to those bytes counts, what may answer an older command is passed over."""
        for frame in frames:
            if self._receiver.noise > CRACKLE:  # before a frame that is whole
                self.spoiled.append(self.garbled_at)
            self._receiver.noise = 0
            if frame.reply:
                asked = self._unanswered.heard((frame.address, speed), frame)
                if only and asked is not None and frame.address == talk.address and asked.data != only:
                    self._passed_over += 1
                    continue
            verdict = talk.received(frame)
            if not isinstance(verdict, Ignore):
                return verdict
            if frame.reply:
                self.strays.add((frame.address, speed))
            else:
                self._commands += 1
        return None

    def errors(self) -> dict[str, int]:
        """What the port counted since it was opened; empty where it does not count."""
        return {} if self._link is None or self._link.broken else self._link.errors()

    async def listen(self, seconds: float) -> None:
        """Say nothing for a while and note who speaks."""
        async with self.turn("sweep") as link:
            await asyncio.sleep(seconds)
            await self._idle(link)

    def _note_strays(self, data: bytes, speed: int, *, over: bool = False) -> None:
        """`over` where a silence followed."""
        frames = self._receiver.feed(data)
        if over and self._receiver.pending > CRACKLE:
            frames += self._receiver.released()
        for frame in frames:
            if frame.reply:
                self.strays.add((frame.address, speed))
                self._unanswered.heard((frame.address, speed), frame)
        self._unanswered.taken()
        self._commands += sum(not frame.reply for frame in frames)
        if self._receiver.pending > CRACKLE:
            self.spoiled.append(asyncio.get_running_loop().time())
        self._receiver.noise = 0

    def _drop(self) -> None:
        if self._link is not None:
            self._link.close()
            self._link = None
        self._sessions.clear()  # and who was asked a moment ago may answer when the port is open again

    def close(self) -> None:
        self._drop()


def _port(line: Line) -> tuple[str, int, str]:
    return line.path, line.speed, line.parity


class Owners:
    """The owners of all serial lines, by line id, and of UDP ports that talks share; the one place that opens ports."""

    def __init__(self, locate: Locate = lambda line: line.path) -> None:
        """`locate` gives a line's present port; it may look at the system and take a moment."""
        self._serial: dict[str, SerialOwner] = {}
        self._shared: dict[tuple[str, int, str], SharedPort] = {}
        self._owed: dict[tuple[str, str, int], Owed] = defaultdict(Owed)
        self._gateways: dict[tuple[str, str], Turns] = {}
        self._locate = locate

    def serial(self, line: Line) -> SerialOwner:
        owner = self._serial.get(line.id)
        if owner is None or _port(owner.line) != _port(line):
            if owner is not None:
                owner.close()
            owner = self._serial[line.id] = SerialOwner(line, self._locate)
        return owner

    def shared(self, line: Line, port: int) -> SharedPort:
        """A fixed UDP port on the line's own address."""
        key = line.source, port, line.interface
        if key not in self._shared:
            self._shared[key] = SharedPort(*key)
        return self._shared[key]

    def owed(self, line: Line, host: str, port: int) -> Owed:
        """What is still said to earlier questions there: behind a TCP port may be a serial line, and whoever answers
        late on that is heard on the next connection."""
        return self._owed[line.source, host, port]

    def gateway(self, line: Line, host: str) -> Turns:
        """Behind it is one bus: a unit that is asked while another keeps that busy would be called silent."""
        return self._gateways.setdefault((line.source, host), Turns(f"the gateway {host}"))

    def release(self, line_id: str) -> None:
        """The line is no more: its port is anybody's."""
        owner = self._serial.pop(line_id, None)
        if owner is not None:
            owner.close()

    def holder(self, line_id: str) -> str:
        owner = self._serial.get(line_id)
        return owner.holder if owner else ""

    def close(self) -> None:
        for owner in self._serial.values():
            owner.close()
        self._serial.clear()
