"""Text dialogues: values by questions and commands in lines, over whatever carries them."""

from __future__ import annotations

import re
from collections.abc import AsyncIterator, Awaitable, Callable, Hashable, Sequence
from typing import Any, TypeVar

from netloom_core.drivers.bound import STARTUP, BoundDriver, Told, identity_from
from netloom_core.drivers.carrier import Carrier, as_heard
from netloom_core.drivers.dialogue.flow import Answer, Heard, Missing, found_in, pattern
from netloom_core.drivers.dialogue.form import DialogueBinding, DialogueCall, DialogueChannel
from netloom_core.drivers.dialogue.loading import load
from netloom_core.drivers.dialogue.talk import Conversation, facts_of, said
from netloom_core.drivers.wire import Unreadable, as_text, from_text
from netloom_core.errors import (
    Busy,
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
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.profiles.record import MOST_EVENTS, Event, moment

Result = TypeVar("Result")
LISTEN_S = 1.0


class DialogueDriver(BoundDriver):
    """A device that is talked with in lines. `carriers` makes one for a login, since SSH needs it to connect."""

    def __init__(self, target: Target, profile: Profile, name: str, carriers: Callable[[Credentials], Carrier]) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, DialogueChannel)
        self._channel = channel
        self._carriers = carriers
        self._login = self.logins[0]
        self._carrier = carriers(self._login)
        self._heard = Heard(channel)

    @property
    def connection(self) -> Hashable | None:
        return self._carrier.mark

    async def close(self) -> None:
        self._carrier.drop()

    async def _talk(self, work: Callable[[Conversation], Awaitable[Result]], *, proves: bool = False) -> Result:
        if not proves:
            self.need_proof()
        try:
            async with self._carrier.turn(self._who, self._priority) as port:
                talk = Conversation(self._channel, port, self._heard, self.target.name or self.target.address)
                try:
                    if port.fresh:
                        self._heard.text = ""
                        await talk.enter(self._login)
                    result = await work(talk)
                    if self._channel.over == "serial":
                        await talk.leave()
                except NoAnswer as error:
                    raise as_heard(error, self._carrier, talk.answered) from error
                finally:
                    if talk.answered:
                        self._carrier.heard()
                return result
        except (NoAnswer, ProtocolError, WrongCredentials) as error:
            # What is still to come belongs to a question that nobody asks any more.
            self._carrier.drop(asked=not isinstance(error, OutOfStep))
            raise
        except BaseException as error:
            if not isinstance(error, NetloomError):
                self._carrier.drop(asked=True)
            raise

    @property
    def user(self) -> str:
        return self._login.user

    async def identify(self) -> Identity:
        for number, login in enumerate(self.logins):
            try:
                if number:
                    self._carrier.drop()
                    self._login, self._carrier = login, self._carriers(login)
                if self._channel.sign_in and self.target.trouble:
                    raise KeyLost(
                        f"{self.target.name}: {self.target.trouble}",
                        "Enter its credentials again, or put the key of this data folder back.",
                        target=self.target.device,
                    )
                return await self._talk(self._identify, proves=True)
            except WrongCredentials:
                if number + 1 >= len(self.logins):
                    raise
        raise AssertionError("the loop above returns or raises")

    async def _identify(self, talk: Conversation) -> Identity:
        facts = dict(self._channel.constant)
        for ask in self._channel.identify:
            answer = await talk.question(ask.send, Answer(sent=ask.send, wanted=ask.answer))
            if not isinstance(answer, Missing):
                facts |= facts_of(answer, ask.answer)
        return identity_from(facts)

    # Reading

    def tells_startup(self, bound: Bound) -> bool:
        return bool(bound.binding.startup_ask or bound.binding.startup_block)

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        """Each different question once, each block once."""
        return await self._talk(lambda talk: self._fetch(talk, which, wanted))

    async def _fetch(self, talk: Conversation, which: str, wanted: Sequence[Bound]) -> Told:
        told: dict[str, Any] = {}
        answers: dict[str, list[str] | Missing | Unreadable] = {}
        blocks: dict[str, dict[str, str] | Unreadable] = {}
        for bound in wanted:
            binding: DialogueBinding = bound.binding
            later = which == STARTUP and self.tells_startup(bound)
            block = binding.startup_block if later else binding.block
            ask = binding.startup_ask if later else binding.ask
            if block:
                if block not in blocks:
                    blocks[block] = await self._block(talk, block)
                value = blocks[block]
                found = value.get(binding.key) if isinstance(value, dict) else value
            elif ask:
                if ask not in answers:
                    answers[ask] = await self._asked(talk, ask, binding)
                found = _value_in(answers[ask], binding)
            else:
                continue
            if isinstance(found, str):
                try:
                    found = from_text(bound.item, binding, found)
                except Unreadable as error:
                    found = error
            if found is not None:
                told[bound.item.path] = found
        return told

    async def _asked(self, talk: Conversation, ask: str, binding: DialogueBinding) -> list[str] | Missing | Unreadable:
        try:
            return await talk.question(ask, Answer(sent=ask, wanted=binding.answer))
        except (Refused, Busy) as error:
            return Unreadable(error.message)

    async def _block(self, talk: Conversation, name: str) -> dict[str, str] | Unreadable:
        block = self._channel.blocks[name]
        try:
            lines = await talk.question(block.ask, Answer(block.ask, block.line, block.end, block.lines))
        except (Refused, Busy) as error:
            return Unreadable(error.message)
        if isinstance(lines, Missing):
            return {}
        rows: dict[str, str] = {}
        for line in lines:
            for found in pattern(block.line).finditer(line):
                rows.setdefault(_key(found["key"]), found["value"])
        return rows

    # Writing

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        async def work(talk: Conversation) -> None:
            for bound, value in values:
                binding: DialogueBinding = bound.binding
                command = said(binding.set, {"value": as_text(bound.item, binding, value)})
                await self._tell(talk, command, binding.took)

        await self._talk(work)

    async def _tell(self, talk: Conversation, command: str, took: str) -> None:
        self.acted = True
        answer = await talk.ask(command, Answer(sent=command, wanted=took))
        if isinstance(answer, Missing):
            raise Refused(f"{self.target.name} knows no {command.strip()!r}: {answer.said}")
        if took and found_in(answer, took) is None:
            raise Refused(
                f"{self.target.name} answered {' / '.join(answer)[:120]!r} to {command.strip()!r}.",
                "It was read back to see what it has now.",
            )

    async def perform(self, calls: Sequence[Any]) -> None:
        async def work(talk: Conversation) -> None:
            for call in calls:
                assert isinstance(call, DialogueCall)
                await self._tell(talk, call.send, call.answer)

        await self._talk(work)

    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        how = self._channel.load
        assert how is not None

        async def work(talk: Conversation) -> None:
            self.acted = True
            await load(talk, how, image, self.target, told)

        await self._talk(work)

    def went(self) -> None:
        self._carrier.drop()

    def sign_out(self) -> None:
        self._carrier.drop()
        self._login = self.logins[0]
        self._carrier = self._carriers(self._login)

    async def sign_in_as(self, credentials: Credentials) -> bool:
        """On a connection of its own, which is closed again."""
        mine = (self._login, self._carrier, self._heard)
        self._login, self._carrier, self._heard = credentials, self._carriers(credentials), Heard(self._channel)
        try:
            await self._talk(self._identify, proves=True)
        except WrongCredentials:
            return False
        finally:
            self._carrier.drop()
            self._login, self._carrier, self._heard = mine
        return True

    async def record(self) -> tuple[float | None, list[Event]]:
        """What time it has, and its event record."""
        how = self._channel.record
        assert how is not None

        async def work(talk: Conversation) -> tuple[float | None, list[Event]]:
            now: float | None = None
            if how.clock is not None:
                answer = await talk.question(how.clock.send, Answer(sent=how.clock.send, wanted=how.clock.answer))
                found = None if isinstance(answer, Missing) else found_in(answer, how.clock.answer)
                now = moment(found["time"], how.time) if found is not None else None
            lines = await talk.question(how.ask, Answer(how.ask, how.line, how.end, MOST_EVENTS if how.end else 0))
            if isinstance(lines, Missing):
                return now, []
            rows = [row for line in lines if (row := pattern(how.line).search(line)) is not None]
            return now, [Event(r["text"].strip(), _code(r), moment(r["time"], how.time)) for r in rows]

        return await self._talk(work)

    # Changes that it tells by itself

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        yield await self.states()
        if self._channel.announce_on:
            await self._talk(lambda talk: self._tell(talk, self._channel.announce_on, ""))
        while True:
            lines = await self._talk(lambda talk: talk.listen(LISTEN_S))
            if changed := self.changes_in(lines):
                yield changed

    def changes_in(self, lines: Sequence[str]) -> dict[str, str]:
        """States by point id that announcements tell."""
        changed: dict[str, str] = {}
        for bound in self.profile.bound(self.name):
            if not bound.item.live or not bound.binding.told:
                continue
            for line in lines:
                if found := pattern(bound.binding.told).search(line):
                    try:
                        changed[bound.item.id] = bound.item.state_of(
                            from_text(bound.item, bound.binding, found["value"])
                        )
                    except Unreadable:
                        continue
        return changed


def _code(row: re.Match[str]) -> str:
    return (row.groupdict().get("code") or "").strip()


def _key(text: str) -> str:
    """Numbers are the same with zeros before them."""
    return str(int(text)) if text.isascii() and text.isdecimal() else text


def _value_in(answer: list[str] | Missing | Unreadable, binding: DialogueBinding) -> str | Unreadable | None:
    if isinstance(answer, Missing):
        return None
    if isinstance(answer, Unreadable):
        return answer
    found = found_in(answer, binding.answer)
    if found is None:
        return Unreadable(f"it answers {' / '.join(answer)[:60]!r}")
    return found["value"] or ""
