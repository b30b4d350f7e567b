"""A text dialogue as a description tells it: one session, bytes in and bytes out; on a serial line, TCP, Telnet,
SSH.
"""

from __future__ import annotations

import asyncio
import codecs
import re
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from pydantic import BaseModel, ConfigDict

from netloom_standins.described.loading import MOST, Loading
from netloom_standins.described.memory import Wrong, spread
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.fetching import fetch
from netloom_standins.receiving import ASK_S, Receiver

_MEMORY = re.compile(r"\{(=?/[A-Za-z0-9_/-]+)\}")
_WORD = re.compile(r"\{([a-z_]+)\}")
MAX_LINE = 400
GIVES_UP_S = 15.0


class Command(BaseModel):
    """`say` is what comes (a pattern of the whole line). `{1}` are its groups, `{/path}` a value, `{=/path}` the kept
    one.

    With `each`, the reply is said for each number of that span as `{n}`.
    """

    model_config = ConfigDict(extra="forbid")

    say: str
    set: dict[str, str] = {}
    does: str = ""
    reply: str = ""
    each: str = ""
    last: str = ""
    record: str = ""  # each line of its record, with {time} and {text}; `last` after them


class Spoken(BaseModel):
    """How a value is said: words by value, or a number times so much in a form."""

    words: dict[str, str] = {}
    times: float = 1.0
    form: str = ""

    def out(self, value: Any) -> str:
        text = {True: "true", False: "false"}.get(value, str(value)) if isinstance(value, bool) else str(value)
        if text in self.words:
            return self.words[text]
        if isinstance(value, int | float) and not isinstance(value, bool) and (self.times != 1 or self.form):
            number = value * self.times
            whole = self.form.endswith(("d", "x", "X")) or (float(number).is_integer() and not self.form)
            return format(round(number) if whole else number, self.form)
        return text

    def back(self, text: str) -> str:
        for value, word in self.words.items():
            if word == text:
                return value
        if self.form.endswith(("x", "X")):
            text = str(int(text, 16))
        return str(float(text) / self.times) if self.times != 1 else text


class TalkForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    port: int = 0
    greeting: str = ""
    prompt: str = ""
    end: str = "\r\n"
    takes: str = "\r"  # what ends a command; a line feed after it is swallowed
    echo: bool = False
    wakes: bool = False  # an empty line shows the prompt
    enter: str = ""
    leave: str = ""
    left: str = ""
    user: str = ""
    password: str = ""
    ask_user: str = "login: "
    ask_password: str = "password: "  # noqa: S105 - the question, not the word
    refused: str = "sorry"
    page: int = 0
    more: str = "-- more --"
    wrong: dict[str, str] = {}
    commands: list[Command] = []
    tells: dict[str, str] = {}
    tells_always: bool = True
    spoken: dict[str, Spoken] = {}
    taken: str = "taken"  # of a firmware file
    not_taken: str = "not taken: {why}"


class Talk:
    """One session. `send` takes what goes out; it never waits."""

    def __init__(
        self, unit: DescribedUnit, form: TalkForm, send: Callable[[bytes], None], hang_up: Callable[[], None]
    ) -> None:
        self.unit, self.form = unit, form
        self._send, self._hang_up = send, hang_up
        self._line = ""
        self._letters = codecs.getincrementaldecoder("utf-8")("replace")  # one may come in two pieces
        self._state = "user" if form.user or form.password else "closed" if form.enter else "open"
        self._login = ""
        self._pages: list[str] = []
        self._telling = form.tells_always
        self._receiver: Receiver | None = None
        self._asking: asyncio.Future[None] | None = None
        self._tells = {one: text for path, text in form.tells.items() for one in spread(path)}
        self._spoken = {one: how for path, how in form.spoken.items() for one in spread(path)}
        unit.talks.append(self)

    @property
    def open(self) -> bool:
        """Whether it takes commands now."""
        return self._state == "open"

    def close(self) -> None:
        if self in self.unit.talks:
            self.unit.talks.remove(self)

    def began(self) -> None:
        """Somebody connected."""
        if self.form.greeting:
            self._say(self.form.greeting + self.form.end)
        if self._state == "user":
            self._say(self.form.ask_user if self.form.user else self.form.ask_password)
            self._state = "user" if self.form.user else "password"
        elif self._state == "open":
            self._say(self.form.prompt)

    def started(self) -> None:
        """The unit came up: a serial line hears what it says then."""
        self._receiver = None
        for line in self.unit.description.says_at_start:
            self._say(self._filled(line, ()) + self.form.end)
        self._state = "user" if self.form.user else "closed" if self.form.enter else "open"

    def tell(self, path: str, value: Any) -> None:
        text = self._tells.get(path)
        if text is None or not self._telling or self._state not in ("open",):
            return
        numbers = tuple(part for part in path.split("/") if part.isdecimal())
        self._say(self._filled(text.replace("{value}", self._out(path, value)), numbers) + self.form.end)

    def feed(self, data: bytes) -> None:
        """What came from the far end."""
        if self.unit.faults.silent or not self.unit.up:
            return
        if self._receiver is not None:
            self._file(data)
            return
        for letter in self._letters.decode(data):
            if self._pages:
                self._more(letter)
                continue
            if self._state == "closed":
                self._line = (self._line + letter)[-MAX_LINE:]
                if self._line.endswith(self.form.enter):
                    self._line, self._state = "", "open"
                    self._say(self.form.greeting + self.form.end + self.form.prompt)
                continue
            if letter in self.form.takes:
                line, self._line = self._line, ""
                if self.form.echo:
                    self._say(self.form.end)
                self._whole(line)
            elif letter not in "\r\n\x00":
                self._line = (self._line + letter)[-MAX_LINE:]
                if self.form.echo and self._state != "password":
                    self._say(letter)

    def _whole(self, line: str) -> None:
        match self._state:
            case "user":
                self._login, self._state = line, "password"
                self._say(self.form.ask_password)
            case "password":
                if (self._login, line) != (self.form.user, self.form.password):
                    self._say(self.form.refused + self.form.end)
                    self._hang_up()
                    return
                self._state = "open"
                self._say(self.form.prompt)
            case _:
                self._command(line)

    def _command(self, line: str) -> None:
        if self.form.leave and line.strip() == self.form.leave:
            self._say(self.form.left + self.form.end if self.form.left else "")
            self._state = "closed" if self.form.enter else "open"
            if not self.form.enter and not self.form.wakes:
                self._hang_up()
            return
        if not line.strip():
            if self.form.wakes or self.form.prompt:
                self._say(self.form.prompt)
            return
        for command in self.form.commands:
            if found := re.fullmatch(command.say, line.strip()):
                self._do(command, tuple(found.groups()))
                return
        self._answer([self.form.wrong.get("unknown", "?")])

    def _do(self, command: Command, groups: tuple[str, ...]) -> None:
        unit = self.unit
        try:
            for path, said in command.set.items():
                place = self._filled(path, groups)
                how = self._spoken.get(place, Spoken())
                if unit.pulled():
                    return
                unit.written(place, how.back(self._filled(said, groups, plain=True)))
            lines = self._lines(command, groups)
        except (Wrong, ValueError) as error:
            what = str(error) if isinstance(error, Wrong) else "value"
            wrong = self.form.wrong
            self._answer([wrong.get(what, wrong.get("range", wrong.get("unknown", "?")))])
            return
        unit.do(command.does)
        if command.does == "load" and unit.loading is not None:
            self._load(lines)
            return
        if command.does == "fetch" and unit.loading is not None:
            self._asking = asyncio.ensure_future(self._fetch(unit.loading, *groups[:3]))
            return
        if command.does == "tell":
            self._telling = True
        self._answer(lines)

    def _load(self, lines: list[str]) -> None:
        """From here on bytes come, by YMODEM."""
        assert self.unit.loading is not None
        if why := self.unit.loading.began():
            self._answer([self.form.not_taken.replace("{why}", why)])
            return
        self._say("".join(line + self.form.end for line in lines))
        self._receiver = Receiver(self._raw, batch=True, most=MOST)
        self._asking = asyncio.ensure_future(self._ask())

    async def _fetch(self, loading: Loading, host: str, port: str, name: str) -> None:
        """It fetches a file itself, by TFTP, and says what came of it."""
        why = loading.began()
        if not why:
            data, why = await fetch(self.unit.address, host, int(port), name, loading.came)
            if why == "power":
                return
            if why:
                loading.gave_up()
            else:
                why = loading.whole(data)
        self._answer([self.form.not_taken.replace("{why}", why) if why else self.form.taken])

    def _raw(self, data: bytes) -> None:
        if not self.unit.faults.silent and self.unit.up:
            self._send(data)

    async def _ask(self) -> None:
        waited = 0.0
        while self._receiver is not None and waited < GIVES_UP_S:
            before = self._receiver.received
            self._receiver.ask()
            await asyncio.sleep(ASK_S)
            waited = 0.0 if self._receiver is not None and self._receiver.received != before else waited + ASK_S
        if self._receiver is not None:
            self._end(f"nothing came for {GIVES_UP_S:g} s")

    def _file(self, data: bytes) -> None:
        receiver, loading = self._receiver, self.unit.loading
        assert receiver is not None
        assert loading is not None
        receiver.feed(data)
        share = receiver.received / receiver.size if receiver.size else 0.0
        if not loading.came(share):
            self._receiver = None
            return
        if receiver.failed:
            self._end(receiver.failed)
        elif receiver.over:
            self._receiver = None
            why = loading.whole(receiver.whole or b"")
            self._answer([self.form.not_taken.replace("{why}", why) if why else self.form.taken])

    def _end(self, why: str) -> None:
        assert self._receiver is not None
        assert self.unit.loading is not None
        share = self._receiver.received / self._receiver.size if self._receiver.size else 0.0
        self._receiver = None
        self.unit.loading.gave_up(share)
        self._answer([self.form.not_taken.replace("{why}", why)])

    def _lines(self, command: Command, groups: tuple[str, ...]) -> list[str]:
        if command.record:
            told = [(datetime.fromtimestamp(at, UTC), text) for at, text in self.unit.log]
            rows = [
                command.record.replace("{time}", f"{at:%Y-%m-%dT%H:%M:%S}").replace("{text}", text) for at, text in told
            ]
            return rows + ([command.last] if command.last else [])
        if not command.each:
            return [self._filled(line, groups) for line in command.reply.split("\n")] if command.reply else []
        spans = [one.split("..") for one in command.each.split(",")]
        numbers: list[tuple[str, ...]] = [()]
        for first, last in spans:
            numbers = [(*before, str(n)) for before in numbers for n in range(int(first), int(last) + 1)]
        rows = []
        for number in numbers:
            text = command.reply.replace("{n}", number[0]).replace("{m}", number[-1])
            rows.append(self._filled(text, groups))
        return rows + ([self._filled(command.last, groups)] if command.last else [])

    def _answer(self, lines: list[str]) -> None:
        if self.form.page and len(lines) > self.form.page:
            self._pages = lines
            self._turn()
            return
        self._say("".join(line + self.form.end for line in lines) + self.form.prompt)

    def _turn(self) -> None:
        shown, self._pages = self._pages[: self.form.page], self._pages[self.form.page :]
        text = "".join(line + self.form.end for line in shown)
        self._say(text + (self.form.more if self._pages else self.form.prompt))

    def _more(self, letter: str) -> None:
        if letter == " ":
            self._say("\r" + " " * len(self.form.more) + "\r")
            self._turn()
        elif letter in "qQ":
            self._pages = []
            self._say(self.form.end + self.form.prompt)

    def _filled(self, text: str, groups: tuple[str, ...], *, plain: bool = False) -> str:
        """Numbers go without zeros before them, but for a `plain` one, which is taken as it came."""
        for number, group in enumerate(groups, 1):
            bare = str(int(group)) if group and not plain and group.isascii() and group.isdecimal() else group or ""
            text = text.replace(f"{{{number}}}", bare)
        if "{clock}" in text:
            text = text.replace("{clock}", f"{datetime.fromtimestamp(self.unit.now, UTC):%Y-%m-%dT%H:%M:%S}")
        text = _MEMORY.sub(lambda m: self._value(m[1]), text)
        return _WORD.sub(lambda m: self.unit.words.get(m[1], m[0]), text)

    def _value(self, path: str) -> str:
        if path.startswith("="):
            return self._out(path[1:], self.unit.memory.kept(path[1:]))
        return self._out(path, self.unit.memory.value(path))

    def _out(self, path: str, value: Any) -> str:
        return self._spoken.get(path, Spoken()).out(value)

    def _say(self, text: str) -> None:
        if text and not self.unit.faults.silent:
            self._send(text.encode())
