"""The form of a text dialogue: on a serial line, raw TCP, Telnet or SSH.

Patterns are regular expressions; named groups of those that identify are facts, the group `value` is an item's value.
In what is sent, `{value}`, `{user}` and `{password}` are filled in, and the numbers of axes.
"""

from __future__ import annotations

import re
import re._parser as _parser  # type: ignore[import-not-found]  # the standard library's own reading of a pattern
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from pydantic import Field

from netloom_core.drivers.wire import Wire
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described
from netloom_core.profiles.record import Record
from netloom_core.types.base import Part

MOST_PATTERN = 400


class Ask(Part):
    """One question. Named groups of `answer` are facts."""

    send: str = Field(max_length=200)
    answer: str = Field(max_length=MOST_PATTERN)


class Block(Part):
    """One question that is answered with many values: a line for each, with the groups `key` and `value`.

    It ends with the prompt, with a line that matches `end`, or after `lines` of them.
    """

    ask: str = Field(max_length=200)
    line: str = Field(max_length=MOST_PATTERN)
    end: str = Field(default="", max_length=MOST_PATTERN)
    lines: int = Field(default=0, ge=0, le=20_000)


class DialogueBinding(Wire, Binding):
    """`ask` and `answer` read one value, `block` with `key` reads it among others, `set` writes it.

    `took` is what shows that a command was taken, where that is not plain silence or a prompt. `told` is the line by
    which a change is announced at any time. `startup_ask` reads what is kept, where it is another question.
    """

    ask: str = Field(default="", max_length=200)
    answer: str = Field(default="", max_length=MOST_PATTERN)
    block: str = ""
    key: str = ""
    set: str = Field(default="", max_length=300)
    took: str = Field(default="", max_length=MOST_PATTERN)
    told: str = Field(default="", max_length=MOST_PATTERN)
    startup_ask: str = Field(default="", max_length=200)
    startup_block: str = ""

    @property
    def reads(self) -> bool:
        return bool(self.ask or self.block)

    @property
    def writes(self) -> bool:
        return bool(self.set)


class DialogueCall(Call):
    send: str = Field(max_length=300)
    answer: str = Field(default="", max_length=MOST_PATTERN)


class Sign(Part):
    """One step of a sign-in: what is waited for, and what is said then."""

    expect: str = Field(max_length=MOST_PATTERN)
    send: str = Field(max_length=200)


class Error(Part):
    """An answer that says no. `unknown` means that this model has no such thing: the value is missing then."""

    pattern: str = Field(max_length=MOST_PATTERN)
    means: Literal["refused", "busy", "unknown", "sign-in", "new-code"] = "refused"
    says: str = ""


class More(Part):
    """How a long answer goes on: what is shown, and the key."""

    pattern: str = Field(max_length=MOST_PATTERN)
    send: str = Field(default=" ", max_length=8)


class StartUp(Part):
    """A line that it says while it starts: what it is evidence for. Named groups are facts."""

    line: str = Field(max_length=MOST_PATTERN)
    means: str = Field(max_length=200)


class DialogueRecord(Record):
    """The device's own event record: a block whose line has the groups `time` and `text`, `code` where there is one.
    `clock` asks what time it has, its answer with the group `time`."""

    ask: str = Field(max_length=200)
    line: str = Field(max_length=MOST_PATTERN)
    end: str = Field(default="", max_length=MOST_PATTERN)
    clock: Ask | None = None


class DialogueLoad(Part):
    """How it takes a firmware file. `send` begins it, with `{size}` and `{file}`; for TFTP `{host}` and `{port}`, from
    where the device is to fetch it.

    `ready` are the words after which it asks for the first block, `done` those that say that it has taken it,
    `refused` those that say no. `seconds` is how long it may take for its words after the last byte; `slowest` is
    bytes a second, below which a fetch is given up.
    """

    by: Literal["xmodem", "xmodem-1k", "ymodem", "tftp"]
    send: str = Field(max_length=300)
    ready: str = Field(default="", max_length=MOST_PATTERN)
    done: str = Field(default="", max_length=MOST_PATTERN)
    refused: str = Field(default="", max_length=MOST_PATTERN)
    answer_seconds: float = Field(default=5, gt=0, le=60)
    seconds: float = Field(default=30, gt=0, le=600)
    slowest: float = Field(default=2000, ge=100)
    port: int = Field(default=69, ge=1, le=65535)


class DialogueChannel(Channel, protocol="dialogue"):
    """A talk in lines.

    `wake` is a key that wakes it, `enter` opens its command mode with `guard_seconds` of silence around it, `greeting`
    shows that it listens, `leave` goes out the way one came in. Where there is a `prompt`, an answer ends with it;
    else it is the first line that fits. `announces` are lines that are no answers. `pace_seconds` lie between two
    commands.
    """

    binding: ClassVar[type[Binding]] = DialogueBinding
    call: ClassVar[type[Call]] = DialogueCall

    protocol: Literal["dialogue"]
    over: Literal["serial", "tcp", "telnet", "ssh"] = "serial"
    speeds: list[int] = Field(default=[9600], max_length=12)
    parity: Literal["N", "E", "O"] = "N"
    wake: str = Field(default="", max_length=8)
    enter: str = Field(default="", max_length=40)
    guard_seconds: float = Field(default=0, ge=0, le=3)
    greeting: str = Field(default="", max_length=MOST_PATTERN)
    sign_in: list[Sign] = Field(default=[], max_length=8)
    refused: str = Field(default="", max_length=MOST_PATTERN)
    prompt: str = Field(default="", max_length=MOST_PATTERN)
    line_end: str = Field(default="\r", max_length=4)
    echo: bool = False
    errors: list[Error] = Field(default=[], max_length=20)
    more: More | None = None
    announces: str = Field(default="", max_length=MOST_PATTERN)
    announce_on: str = Field(default="", max_length=200)
    pace_seconds: float = Field(default=0, ge=0, le=5)
    answer_seconds: float = Field(default=1.5, gt=0, le=20)
    identify: list[Ask] = Field(default=[], max_length=12)
    constant: dict[str, str] = {}
    blocks: dict[str, Block] = {}
    record: DialogueRecord | None = None
    load: DialogueLoad | None = None
    starts_up: list[StartUp] = Field(default=[], max_length=30)
    leave: str = Field(default="", max_length=80)

    @property
    def lines(self) -> tuple[str, ...]:
        return ("serial:dialogue", "serial:") if self.over == "serial" else ("ip",)

    @property
    def tcp_port(self) -> int:
        return self.port or {"telnet": 23, "ssh": 22}.get(self.over, 0)

    @property
    def tcp_ports(self) -> tuple[int, ...]:
        return (self.tcp_port,) if self.over != "serial" else ()

    @property
    def known_first(self) -> bool:
        return not self.sign_in

    @property
    def driven(self) -> bool:  # type: ignore[override]
        """Without a question who is there nothing can be proven, so nothing is read or written."""
        return bool(self.identify)

    def abilities(self, name: str, profile: Described) -> Abilities:
        if not self.driven:
            return Abilities()
        bound = [(item, profile.binding(item, name)) for item in profile.items]
        ours = [(item, b) for item, b in bound if isinstance(b, DialogueBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided and b.reads for item, b in ours),
            Ability.WRITE: any(item.decided and b.set for item, b in ours),
            Ability.STATES: any(item.live and b.reads for item, b in ours),
            Ability.DRIVE: any(item.drive and b.set for item, b in ours),
            Ability.WATCH: any(item.live and b.told for item, b in ours) and self.over != "serial",
            Ability.STORE: bool(profile.calls("store", name)),
            Ability.RESTART: bool(profile.calls("restart", name)),
            Ability.RECORD: self.record is not None,
            Ability.LOAD: self.load is not None,
            Ability.SIGN_IN: any("{password}" in sign.send for sign in self.sign_in),
        }
        sets = {"running"} if wanted[Ability.READ] else set()
        if any(item.decided and (b.startup_ask or b.startup_block) for item, b in ours):
            sets.add("startup")
        return Abilities(frozenset(ability for ability, there in wanted.items() if there), frozenset(sets))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        where = f"channels.{name}"
        for place, pattern in self._patterns(where):
            yield from compiles(place, pattern)
        if self.record is not None:
            yield from _has_groups(f"{where}.record.line", self.record.line, "time", "text")
            if self.record.clock is not None:
                yield from _has_groups(f"{where}.record.clock", self.record.clock.answer, "time")
        if self.load is not None:
            if self.over == "telnet" and self.load.by != "tftp":
                yield f"{where}.load: blocks go over a bare line, TCP or SSH; Telnet changes some bytes"
            if self.load.by == "tftp" and (self.over == "serial" or not self.load.done):
                yield f"{where}.load: a file is fetched by a device on a network that says when it has it: done"
        for block, one in self.blocks.items():
            yield from _has_groups(f"{where}.blocks.{block}.line", one.line, "key", "value")
        if self.over == "tcp" and not self.port:
            yield f"{where}.port: raw TCP has no usual port"
        told = {g for ask in self.identify for g in _groups(ask.answer)} | set(self.constant)
        if self.identify and not told & {"serial", "mac", "uuid"}:
            yield f"{where}.identify: without serial or mac nobody can tell two units of this model apart"
        yield from self.startup_gaps(name, profile, lambda b: bool(b.startup_ask or b.startup_block))
        for item in profile.items:
            binding = profile.binding(item, name)
            if isinstance(binding, DialogueBinding):
                yield from self._bound(f"{item.path}: bind.{name}", binding, decided=item.decided and not item.secret)
                if item.decided and not item.reserved and not binding.set:
                    yield f"{item.path}: bind.{name}: nothing sets it; say why it is reserved"
                if item.drive and not binding.set:
                    yield f"{item.path}: it can be driven, but bind.{name} has no command that sets it"

    def _bound(self, where: str, binding: DialogueBinding, *, decided: bool) -> Iterator[str]:
        if binding.ask and not binding.answer:
            yield f"{where}: a question without the pattern of its answer"
        if binding.answer:
            yield from _has_groups(f"{where}.answer", binding.answer, "value")
        if binding.told:
            yield from _has_groups(f"{where}.told", binding.told, "value")
        for block in (binding.block, binding.startup_block):
            if block and block not in self.blocks:
                yield f"{where}: there is no block {block}"
        if binding.block and not binding.key:
            yield f"{where}: in a block it needs the key of its line"
        if binding.took:
            yield from compiles(f"{where}.took", binding.took)
        if decided and not binding.reads:
            yield f"{where}: nothing reads it"

    def _patterns(self, where: str) -> Iterator[tuple[str, str]]:
        for field in ("greeting", "refused", "prompt", "announces"):
            if getattr(self, field):
                yield f"{where}.{field}", getattr(self, field)
        for field in ("ready", "done", "refused") if self.load is not None else ():
            if text := getattr(self.load, field):
                yield f"{where}.load.{field}", text
        for error in self.errors:
            yield f"{where}.errors", error.pattern
        for ask in self.identify:
            yield f"{where}.identify", ask.answer
        for sign in self.sign_in:
            yield f"{where}.sign_in", sign.expect
        for line in self.starts_up:
            yield f"{where}.starts_up", line.line
        if self.more:
            yield f"{where}.more", self.more.pattern
        for block in self.blocks.values():
            if block.end:
                yield f"{where}.blocks", block.end


def compiles(where: str, pattern: str) -> Iterator[str]:
    """What is wrong with a regular expression of a profile, one sentence each."""
    try:
        parsed = _parser.parse(_sample(pattern))
    except (re.error, RecursionError) as error:
        yield f"{where}: {pattern!r} is no regular expression: {error}"
        return
    if _endless(parsed, inside=False):
        yield f"{where}: {pattern!r} repeats what repeats itself; on some answers it would search for ever"


def _endless(parsed: Any, *, inside: bool) -> bool:
    """Whether an unbounded repeat is within another: such a search can take longer than anybody waits."""
    for code, argument in parsed:
        name = str(code)
        if name in ("MAX_REPEAT", "MIN_REPEAT"):
            _, most, inner = argument
            many = most == _parser.MAXREPEAT
            if (many and inside) or _endless(inner, inside=inside or many):
                return True
        elif (
            (name == "SUBPATTERN" and _endless(argument[-1], inside=inside))
            or (name == "BRANCH" and any(_endless(one, inside=inside) for one in argument[1]))
            or (name in ("ASSERT", "ASSERT_NOT") and _endless(argument[1], inside=inside))
        ):
            return True
    return False


def _sample(pattern: str) -> str:
    """The pattern with a number where an axis is named, which is no quantifier then."""
    return re.sub(r"\{[a-z][a-z0-9_]*(?:[+-]\d+)?(?::0?\d*[xX]?)?\}", "1", pattern)


def _groups(pattern: str) -> set[str]:
    try:
        return set(re.compile(_sample(pattern)).groupindex)
    except re.error:
        return set()


def _has_groups(where: str, pattern: str, *names: str) -> Iterator[str]:
    wrong = list(compiles(where, pattern))
    yield from wrong
    for name in names if not wrong else ():
        if name not in _groups(pattern):
            yield f"{where}: {pattern!r} has no group (?P<{name}>…)"
