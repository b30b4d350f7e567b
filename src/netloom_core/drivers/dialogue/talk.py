"""One conversation in lines: waking, entering, signing in, asking, leaving. Each wait has one end in time."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence

from netloom_core.bus.late import surely
from netloom_core.drivers.carrier import Port
from netloom_core.drivers.dialogue.flow import Answer, Heard, Missing, found_in, pattern, without_crackle
from netloom_core.drivers.dialogue.form import DialogueChannel
from netloom_core.errors import NoAnswer, ProtocolError, WrongCredentials
from netloom_core.model.device import Credentials
from netloom_core.patience import Patience, heard

QUIET_S = 0.15  # after a command that nothing answers, for a refusal
LEFT_S = 0.08


def said(text: str, values: dict[str, str]) -> str:
    """A command with its places filled in. Raises ProtocolError where a value would end the line."""
    for name, value in values.items():
        if not value.isprintable():
            raise ProtocolError("A value with control characters is not said to a device.", outcome="not_sent")
        text = text.replace(f"{{{name}}}", value)
    return text


class Conversation:
    """With one device, in one turn of its line or on its connection."""

    def __init__(self, channel: DialogueChannel, port: Port, heard: Heard, name: str) -> None:
        self._channel = channel
        self._port = port
        self._heard = heard
        self._name = name
        self._free_at = 0.0
        self.answered = False  # whether anything came at all

    async def enter(self, login: Credentials) -> None:
        """To where commands are taken. Raises NoAnswer, WrongCredentials."""
        channel = self._channel
        for sign in channel.sign_in:
            await self._until(sign.expect, channel.refused)
            await self._say(said(sign.send, {"user": login.user, "password": login.password}) + channel.line_end)
        if channel.sign_in:
            await self._until(channel.prompt or channel.greeting, channel.refused)
        elif channel.enter:
            await asyncio.sleep(channel.guard_seconds)
            await self._say(channel.enter)
            await asyncio.sleep(channel.guard_seconds)
            try:
                await self._until(channel.greeting or channel.prompt, "")
            except NoAnswer:
                if not channel.prompt:
                    raise
                await self._say(channel.line_end)  # it may have been left in there
            if channel.prompt:
                await self._until(channel.prompt, "")
        elif channel.wake:
            await self._say(channel.wake)
            await self._until(channel.prompt or channel.greeting, "")
        elif channel.greeting and channel.over != "serial":
            await self._until(channel.greeting, "")
            if channel.prompt:
                await self._until(channel.prompt, "")
        elif channel.prompt and channel.over != "serial":
            await self._until(channel.prompt, "")
        self._heard.clear()

    async def ready(self) -> None:
        """Until the prompt stands, for one who entered by other means."""
        await self._say(self._channel.line_end)
        await self._until(self._channel.prompt, "")
        self._heard.clear()

    async def leave(self) -> None:
        if self._channel.leave:
            await self._say(self._channel.leave)
            await self._hear(Patience(LEFT_S))  # it has to be heard before the line is somebody else's

    async def ask(self, command: str, wait: Answer) -> list[str] | Missing:
        """The lines of the answer. Raises NoAnswer, and what the device says by an error."""
        await self._paced()
        self._heard.clear()
        end = "" if command.endswith(("\r", "\n")) else self._channel.line_end
        await self._say(command + end)
        blind = not (self._channel.prompt or wait.wanted or wait.end)
        usual = self._channel.answer_seconds
        patience = Patience(QUIET_S) if blind else Patience(usual, most=5 * usual)
        owed, refused = self._port.owed, None
        while True:
            while owed.untold and (no := self._heard.refusal_first()) is not None:
                refused = no  # perhaps to a command before, of which nothing else is told: then an answer follows
                owed.untold -= 1
            if (answer := self._heard.answer(wait)) is not None:
                owed.untold = 0
                return answer
            if key := self._heard.more():
                await self._say(key)
            if not await self._hear(patience):
                break
            patience.go_on(usual / 2)  # what goes on may take longer, but not for ever
        if blind:
            owed.untold += 1  # of this, too, if what came was to one before
        if isinstance(refused, Missing):
            return refused
        if refused is not None:
            raise refused
        if blind:
            return []
        raise NoAnswer(
            f"{self._name} did not finish its answer to {command.strip()!r} in time.",
            "Look at its cable and its speed. Read it again before anything else is written.",
        )

    async def question(self, command: str, wait: Answer) -> list[str] | Missing:
        """What may be asked again without harm: surely the answer to this, also after one that was given up."""
        wait.asks = True
        return await surely(lambda: self.ask(command, wait), self._port.owed, self._port.read)

    # Bytes, while a file goes over

    async def say(self, command: str) -> None:
        await self._paced()
        self._heard.clear()
        await self._say(command + self._channel.line_end)

    async def tell(self, command: str, wanted: str, refused: str, seconds: float) -> str:
        """What it said until one of the two fits; `command` is said before, where there is one. Raises NoAnswer."""
        if command:
            await self.say(command)
        text = await self.words(seconds, *(one for one in (refused, wanted) if one))
        if not any(pattern(one).search(text) for one in (wanted, refused) if one):
            raise NoAnswer(
                f"{self._name} did not say what was waited for within {seconds:g} s."
                + (f" It said {shown(text)[-80:]!r}." if text.strip() else ""),
                "Look at its lights. Read it again before anything else is done.",
            )
        return text

    async def words(self, seconds: float, *wanted: str) -> str:
        """What it says, until something of that fits or the time is over."""
        patience = Patience(seconds)
        while True:
            text = self._heard.text
            found = next((m for one in wanted if one and (m := pattern(one).search(text))), None)
            if found is not None:
                self._heard.text = text[found.end() :]
                return text[: found.end()]
            if not await self._hear(patience):
                return text

    def left_over(self) -> bytes:
        """What came after the words that were waited for."""
        text, self._heard.text = self._heard.text, ""
        return text.encode("utf-8", "replace")

    def put_back(self, data: bytes) -> None:
        """What belongs to the words that follow."""
        self._heard.feed(data)

    async def raw(self, seconds: float) -> bytes:
        data = await self._port.read(seconds)
        self.answered = self.answered or bool(data)
        return data

    async def send_bytes(self, data: bytes) -> None:
        await self._port.write(data)

    async def listen(self, seconds: float) -> list[str]:
        """Lines that it said by itself meanwhile."""
        await self._hear(Patience(seconds))
        self._heard.clear_lines()
        lines, self._heard.announced = self._heard.announced, []
        return lines

    async def _paced(self) -> None:
        loop = asyncio.get_running_loop()
        if (wait := self._free_at - loop.time()) > 0:
            await asyncio.sleep(wait)
        self._free_at = loop.time() + self._channel.pace_seconds

    async def _say(self, text: str) -> None:
        await self._port.write(text.encode())

    async def _hear(self, patience: Patience) -> bool:
        """Whether anything came."""
        data = await heard(self._port.read, patience)
        self.answered = self.answered or bool(data)
        self._heard.feed(data)
        return bool(data)

    async def _until(self, wanted: str, refused: str) -> None:
        """Until something fits; what came before it is taken."""
        patience = Patience(max(self._channel.answer_seconds, 1.0))
        while True:
            text = self._heard.text
            if refused and pattern(refused).search(text):
                raise WrongCredentials(
                    f"{self._name} does not take the user name and password.",
                    "Enter the right ones on the bench under Address, Access; nothing was changed on the device.",
                )
            if not wanted:
                return
            for words in (text, without_crackle(text)):
                if found := pattern(wanted).search(words):
                    self._heard.text = words[found.end() :]
                    return
            if not await self._hear(patience):
                what = "It said nothing." if not text.strip() else f"It said {text.strip()[-60:]!r}."
                raise NoAnswer(
                    f"{self._name} does not answer as it should. {what}",
                    "Look at its power, its cable and its speed.",
                    outcome="not_sent",
                )


def shown(text: str) -> str:
    return "".join(c if c.isprintable() else " " for c in text).strip()


def facts_of(lines: Sequence[str], answer: str) -> dict[str, str]:
    found = found_in(lines, answer)
    return {name: value.strip() for name, value in found.groupdict().items() if value} if found else {}
