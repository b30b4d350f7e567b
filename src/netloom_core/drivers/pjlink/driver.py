"""PJLink: power, inputs, mute and what a display tells of itself. A display hangs up when nobody speaks for 30 s."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Hashable, Sequence
from typing import Any, TypeVar

from netloom_core.drivers.bound import BoundDriver, Told, identity_from
from netloom_core.drivers.carrier import Port, StreamCarrier
from netloom_core.drivers.pjlink.form import PjlinkBinding, PjlinkChannel
from netloom_core.drivers.wire import Unreadable, as_text, from_text
from netloom_core.errors import (
    Absent,
    Busy,
    NetloomError,
    NoAnswer,
    ProtocolError,
    Refused,
    WrongCredentials,
)
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.protocols import pjlink

Result = TypeVar("Result")
ANSWER_S = 3.0  # clause 4.1 gives a display two seconds
PIECE_S = 0.5


class Line:
    """Commands and their answers on one connection."""

    def __init__(self, port: Port, name: str) -> None:
        self._port, self._name = port, name
        self._rest = b""
        self._prefix = b""

    def on(self, port: Port) -> None:
        self._port = port

    async def greeted(self, password: str) -> None:
        """Raises WrongCredentials where it wants a password and there is none."""
        random = pjlink.parse_greeting(await self._line())
        if random is not None and not password:
            raise WrongCredentials(f"{self._name} wants its PJLink password.", "Enter it under Address, Access.")
        self._prefix = pjlink.answer_to(random, password) if random is not None else b""

    async def ask(self, command: str, parameter: str) -> str:
        """The answer's value. Raises what the display says against it."""
        prefix, self._prefix = self._prefix, b""
        await self._port.write(prefix + pjlink.said(command, parameter))
        loop = asyncio.get_running_loop()
        deadline = loop.time() + ANSWER_S
        while True:
            line = await self._line(deadline - loop.time())
            if (value := pjlink.value_of(line, command)) is not None:
                return value

    async def _line(self, seconds: float = ANSWER_S) -> bytes:
        loop = asyncio.get_running_loop()
        deadline = loop.time() + seconds
        while b"\r" not in self._rest:
            if len(self._rest) > pjlink.MAX_LINE:
                raise ProtocolError("a PJLink line is too long")
            left = deadline - loop.time()
            if left <= 0:
                raise NoAnswer(f"{self._name} did not finish a line of PJLink.", "Look at its power and cable.")
            self._rest += await self._port.read(min(left, PIECE_S))
        line, _, self._rest = self._rest.partition(b"\r")
        return line


class PjlinkDriver(BoundDriver):
    def __init__(self, target: Target, profile: Profile, name: str, carrier: Callable[[], StreamCarrier]) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, PjlinkChannel)
        self._new_carrier = carrier
        self._carrier = carrier()
        self._line: Line | None = None

    @property
    def connection(self) -> Hashable | None:
        return self._carrier.mark

    async def close(self) -> None:
        self._carrier.drop()

    async def _talk(
        self, work: Callable[[Line], Awaitable[Result]], *, proves: bool = False, password: str | None = None
    ) -> Result:
        if not proves:
            self.need_proof()
        try:
            async with self._carrier.turn(self._who, self._priority) as port:
                if port.fresh or self._line is None:
                    self._line = Line(port, self.target.name or self.target.address)
                    login = self.logins[0]
                    await self._line.greeted(login.password if password is None else password)
                self._line.on(port)
                return await work(self._line)
        except BaseException as error:
            if not isinstance(error, NetloomError) or isinstance(error, NoAnswer | ProtocolError | WrongCredentials):
                self._carrier.drop()
            raise

    async def identify(self) -> Identity:
        return await self._talk(self._identify, proves=True)

    async def _identify(self, line: Line) -> Identity:
        facts: dict[str, str] = {}
        for command, fact in pjlink.QUESTIONS.items():
            if fact == "power":
                continue
            try:
                facts[fact] = await line.ask(command, "?")
            except (Refused, Busy):
                continue  # class 1 displays know no questions of class 2
            except NoAnswer:
                if not command.startswith(pjlink.CLASS_2):
                    raise
                break  # and some say nothing to them
        return identity_from(facts)

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        return await self._talk(lambda line: self._fetch(line, wanted))

    async def _fetch(self, line: Line, wanted: Sequence[Bound]) -> Told:
        answers: dict[tuple[str, str], str | Unreadable | None] = {}
        told: dict[str, Any] = {}
        for bound in wanted:
            binding: PjlinkBinding = bound.binding
            key = (binding.command, "?" + binding.parameter)
            if key not in answers:
                answers[key] = await self._asked(line, *key)
            found = answers[key]
            if isinstance(found, str):
                try:
                    found = from_text(bound.item, binding, _piece(found, binding))
                except Unreadable as error:
                    found = error
            if found is not None:
                told[bound.item.path] = found
        return told

    async def _asked(self, line: Line, command: str, parameter: str) -> str | Unreadable | None:
        try:
            return await line.ask(command, parameter)
        except Absent:
            return None
        except (Refused, Busy) as error:
            return Unreadable(error.message)

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        async def work(line: Line) -> None:
            for bound, value in values:
                word = as_text(bound.item, bound.binding, value)
                self.acted = True
                answer = await line.ask(bound.binding.command, word)
                if answer != "OK":
                    raise Refused(f"{self.target.name} answers {answer!r} to {bound.item.label}.")

        await self._talk(work)

    async def sign_in_as(self, credentials: Credentials) -> bool:
        """On a connection of its own."""
        mine, self._carrier, line, self._line = self._carrier, self._new_carrier(), self._line, None
        try:
            await self._talk(lambda own: own.ask("%1CLSS", "?"), proves=True, password=credentials.password)
        except WrongCredentials:
            return False
        finally:
            self._carrier.drop()
            self._carrier, self._line = mine, line
        return True


def _piece(text: str, binding: PjlinkBinding) -> str:
    """The part of an answer that has several. Raises Unreadable where there are not so many."""
    if binding.piece is None:
        return text
    pieces = list(text) if binding.letters else text.split(" ")
    if binding.piece >= len(pieces):
        raise Unreadable(f"it tells {text[:40]!r}, which has no part {binding.piece + 1}")
    return pieces[binding.piece]
