"""Binary messages in frames, as the profile lays them out: one question, one answer that fits it."""

from __future__ import annotations

from collections import deque
from collections.abc import Awaitable, Callable, Hashable, Mapping, Sequence
from typing import Any, TypeVar

from netloom_core.bus.late import surely
from netloom_core.drivers.bound import STARTUP, BoundDriver, Told, identity_from
from netloom_core.drivers.carrier import Carrier, Port, as_heard
from netloom_core.drivers.framed.form import FramedBinding, FramedChannel, Pieces
from netloom_core.drivers.framed.frames import Receiver
from netloom_core.drivers.framed.layout import packed, parsed, unpacked
from netloom_core.drivers.framed.loading import load, whole_of
from netloom_core.drivers.wire import Unreadable, as_number, canonical, from_number, from_text, is_number
from netloom_core.errors import (
    Absent,
    Busy,
    CodeWanted,
    DeviceError,
    KeyLost,
    NetloomError,
    NoAnswer,
    OutOfStep,
    ProtocolError,
    Refused,
    WrongCredentials,
)
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.image import Image
from netloom_core.patience import Patience, heard
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.types.boolean import Boolean
from netloom_core.types.choice import Choice
from netloom_core.types.curve import Curve

Result = TypeVar("Result")


class _EnterAgain(Exception):
    """The first thing in a turn was refused to one who was let in before: it may have started anew since."""


class Talk:
    """Questions in one turn of the line, or on the connection. `entered` is set where it let us in in an earlier turn:
    a unit that lost its power since says no to what comes first, and nothing else tells it."""

    def __init__(self, channel: FramedChannel, port: Port, name: str) -> None:
        self._channel, self._port, self._name = channel, port, name
        self._receiver = Receiver(channel.framing)
        self.answered = False
        self.entered = False

    async def ask(self, send: str, answer: str, values: Mapping[str, Any], *, seconds: float = 0.0) -> dict[str, Any]:
        """The fields of the answer, which may take `seconds` where that is longer than usual. Raises Absent, and what
        the device says by a refusal."""
        said = packed(parsed(send), values)
        await self._port.write(self._channel.framing.encoded(said))
        return await self.hear(answer, seconds=seconds, said=said)

    async def question(self, send: str, answer: str, values: Mapping[str, Any]) -> dict[str, Any]:
        """What may be asked again without harm: surely the answer to this, also after one that was given up."""
        return await surely(lambda: self.ask(send, answer, values), self._port.owed, self._port.read)

    async def hear(self, answer: str, *, seconds: float = 0.0, said: bytes = b"") -> dict[str, Any]:
        """The next one that fits. `said` is no answer where an adapter gives it back; a unit may repeat it as a yes."""
        if not answer and not self._channel.refusals:
            return {}
        patience = Patience(max(self._channel.answer_seconds, seconds) if answer else 0.15)
        strange, given_back = b"", False
        owed, refused = self._port.owed, None
        while data := await heard(self._port.read, patience):
            self.answered = True
            for body in self._receiver.feed(data):
                found = unpacked(parsed(answer), body) if answer else None
                if body == said and not given_back and (found is None or self._port.echoes):
                    given_back, strange = True, b"" if self._port.echoes else body
                    continue
                if found is not None:
                    self.entered = False
                    self._port.echoes = self._port.echoes or given_back
                    owed.untold = 0
                    return found
                try:
                    self._judged(body)
                except DeviceError as no:
                    if not owed.untold:
                        raise
                    refused = no  # perhaps to a command before, of which nothing else is told: then an answer follows
                    owed.untold -= 1
                else:
                    strange = body
        if not answer:
            owed.untold += 1  # of this, too, if what came was to one before
        if refused is not None:
            raise refused
        if not answer:
            return {}
        if strange:
            raise Refused(
                f"{self._name} answers {strange[:24].hex(' ')}, which is not what its profile expects.",
                "Is it the right profile for this firmware?",
                outcome="unknown",
            )
        raise NoAnswer(f"{self._name} does not answer.", "Look at its power and cable, and at the speed of the line.")

    def _judged(self, body: bytes) -> None:
        try:
            self._judge(body)
        except (Refused, WrongCredentials) as error:
            if self.entered and not isinstance(error, Absent):
                raise _EnterAgain from error
            raise

    def _judge(self, body: bytes) -> None:
        for refusal in self._channel.refusals:
            found = unpacked(parsed(refusal.answer), body)
            if found is None:
                continue
            code = found.get("code", 0)
            said = refusal.says.get(code, f"error {code}")
            match refusal.means:
                case "unknown":
                    raise Absent(f"{self._name} has no such thing: {said}.")
                case "busy":
                    raise Busy(f"{self._name} is busy: {said}.", "Try again in a moment.")
                case "new-code":
                    raise CodeWanted(self._name)
                case "sign-in":
                    raise WrongCredentials(f"{self._name} wants another code: {said}.")
            raise Refused(f"{self._name} refused that: {said}.", "It was read back to see what it has now.")


class FramedDriver(BoundDriver):
    def __init__(self, target: Target, profile: Profile, name: str, carrier: Callable[[], Carrier]) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, FramedChannel)
        self._channel = channel
        self._new_carrier = carrier
        self._carrier = carrier()
        self._entered: Hashable | None = None  # the talk on which it let us in

    @property
    def connection(self) -> Hashable | None:
        return self._carrier.mark

    async def close(self) -> None:
        self._carrier.drop()

    async def _talk(self, work: Callable[[Talk], Awaitable[Result]], *, proves: bool = False) -> Result:
        if not proves:
            self.need_proof()
        try:
            async with self._carrier.turn(self._who, self._priority) as port:
                talk = Talk(self._channel, port, self.target.name or self.target.address)
                try:
                    if not proves and self._channel.sign_in is not None:
                        talk.entered = self._entered == self.connection
                        if not talk.entered:
                            await self._enter(talk)
                    try:
                        return await work(talk)
                    except _EnterAgain:
                        talk.entered, self._entered = False, None
                        await self._enter(talk)
                        return await work(talk)
                except NoAnswer as error:
                    raise as_heard(error, self._carrier, talk.answered) from error
                finally:
                    if talk.answered:
                        self._carrier.heard()
        except BaseException as error:
            if not isinstance(error, NetloomError) or isinstance(error, NoAnswer | ProtocolError):
                self._carrier.drop(asked=not isinstance(error, OutOfStep))
            raise

    async def _enter(self, talk: Talk) -> None:
        if self.target.trouble:
            raise KeyLost(f"{self.target.name}: {self.target.trouble}", "Enter its credentials again.")
        for login in self.logins:
            if await self._lets_in(talk, login):
                self._entered = self.connection
                return
        raise self.refused_login()

    async def _lets_in(self, talk: Talk, login: Credentials) -> bool:
        how = self._channel.sign_in
        if how is None:
            return True
        try:
            await talk.ask(how.send, how.answer, {"user": login.user, "password": login.password})
        except (WrongCredentials, Refused):
            return False
        return True

    async def identify(self) -> Identity:
        async def work(talk: Talk) -> Identity:
            facts = dict(self._channel.constant)
            for query in self._channel.identify:
                try:
                    told = await talk.question(query.send, query.answer, {})
                except Absent:
                    continue
                facts |= {name: value.hex() if isinstance(value, bytes) else str(value) for name, value in told.items()}
            return identity_from(facts)

        return await self._talk(work, proves=True)

    async def sign_in_as(self, credentials: Credentials) -> bool:
        self._entered = None
        self.need_proof()  # a code is said to none but the device on record
        return await self._talk(lambda talk: self._lets_in(talk, credentials), proves=True)

    # Reading

    def tells_startup(self, bound: Bound) -> bool:
        return bool(bound.binding.startup_ask)

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        async def work(talk: Talk) -> dict[str, Any]:
            told: dict[str, Any] = {}
            answers: dict[tuple[str, str], dict[str, Any]] = {}
            for bound in wanted:
                binding: FramedBinding = bound.binding
                ask = binding.startup_ask if which == STARTUP and binding.startup_ask else binding.ask
                try:
                    if binding.pieces is not None:
                        told[bound.item.path] = canonical(bound.item, (await _collected(talk, binding.pieces)).hex())
                        continue
                    key = (ask, binding.answer)
                    if key not in answers:
                        answers[key] = await talk.question(ask, binding.answer, {})
                    told[bound.item.path] = _value(bound.item, binding, answers[key])
                except Absent:
                    continue
                except (Refused, Busy) as error:
                    told[bound.item.path] = Unreadable(error.message)
                except Unreadable as error:
                    told[bound.item.path] = error
            return told

        return await self._talk(work)

    # Writing

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        async def work(talk: Talk) -> None:
            for bound, value in values:
                binding: FramedBinding = bound.binding
                self.acted = True
                if binding.pieces is not None:
                    await _scattered(talk, binding.pieces, bytes.fromhex(value))
                else:
                    await talk.ask(binding.set, binding.took, _said(bound.item, binding, value))

        await self._talk(work)

    async def perform(self, calls: Sequence[Any]) -> None:
        left = deque(calls)  # where it has to be entered again in the middle, what was answered is not sent again

        async def work(talk: Talk) -> None:
            while left:
                self.acted = True
                await talk.ask(left[0].send, left[0].answer, {})
                left.popleft()

        await self._talk(work)

    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        how = self._channel.load
        assert how is not None
        file = await whole_of(image)

        async def work(talk: Talk) -> None:
            self.acted = True
            await load(talk, how, image, file, told)

        await self._talk(work)

    def went(self) -> None:
        self._carrier.drop()

    def sign_out(self) -> None:
        self._entered = None


async def _collected(talk: Talk, pieces: Pieces) -> bytes:
    data = b""
    while len(data) < pieces.size:
        count = min(pieces.piece, pieces.size - len(data))
        found = await talk.question(pieces.ask, pieces.answer, {"offset": len(data), "count": count})
        if found.get("offset", len(data)) != len(data) or not found.get("data"):
            raise ProtocolError("A piece came that was not asked for.")
        data += found["data"][:count]
    return data


async def _scattered(talk: Talk, pieces: Pieces, data: bytes) -> None:
    for at in range(0, len(data), pieces.piece):
        piece = data[at : at + pieces.piece]
        await talk.ask(pieces.set, pieces.took, {"offset": at, "count": len(piece), "data": piece})


def _value(item: Item, binding: FramedBinding, found: Mapping[str, Any]) -> Any:
    """The canonical value in the fields of an answer. Raises Unreadable."""
    if isinstance(item.type, Curve):
        points = found.get("points", [])
        return canonical(item, [[one["x"] / binding.x_factor, binding.value(one["y"])] for one in points])
    value = found["value"]
    if isinstance(value, bytes):
        return canonical(item, value.hex())
    return from_text(item, binding, value) if isinstance(value, str) else from_number(item, binding, value)


def _said(item: Item, binding: FramedBinding, value: Any) -> dict[str, Any]:
    if isinstance(item.type, Curve):
        return {"points": [{"x": x * binding.x_factor, "y": binding.number(y)} for x, y in value]}
    if is_number(item) or isinstance(item.type, Boolean | Choice):
        return {"value": as_number(item, binding, value)}
    return {"value": bytes.fromhex(value) if item.type.name == "bytes" else value}
