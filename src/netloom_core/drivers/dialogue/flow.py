"""The talk in lines, sans-io: what came is taken apart into answers, announcements and refusals. No clock, no wire.

`Heard` gathers what came; `Answer` says when an answer is whole. Text after the last line's end may be a prompt.
"""

from __future__ import annotations

import codecs
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from netloom_core.drivers.dialogue.form import DialogueChannel
from netloom_core.errors import Busy, CodeWanted, NetloomError, ProtocolError, Refused, WrongCredentials
from netloom_core.protocols.framing import CRACKLE

MAX_HEARD = 400_000  # of one answer; who says more floods
MAX_LINE = 4096
MAX_ANNOUNCED = 500
_CONTROL = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]|[\x00\x07\x0e\x0f]")
LONGEST_CONTROL = 16
NO_TEXT = "\ufffd"  # stands for a byte that is none
_CRACKLE = re.compile(rf"\A[\x00{NO_TEXT}]{{1,{CRACKLE}}}|[\x00{NO_TEXT}]{{1,{CRACKLE}}}\Z")
_END = re.compile(r"\r\n|\n\r|\r|\n")


@lru_cache(4096)
def pattern(text: str) -> re.Pattern[str]:
    return re.compile(text)


def without_crackle(text: str) -> str:
    """Without what drivers of a line leave before and behind what is said."""
    return _CRACKLE.sub("", text)


@dataclass
class Missing:
    """The device says that it has no such thing."""

    said: str


@dataclass
class Answer:
    """What is waited for after one command.

    `wanted` is the pattern of the line that answers, `end` that of the last line of many, `count` how many of `wanted`
    there are. With a prompt the answer is whole when that comes. `asks` where something is asked: the question itself
    is no answer to that, while a device may repeat what it is told as its yes.
    """

    sent: str = ""
    wanted: str = ""
    end: str = ""
    count: int = 0
    asks: bool = False


@dataclass
class Heard:
    """What came and was not taken yet."""

    channel: DialogueChannel
    text: str = ""
    announced: list[str] = field(default_factory=list)
    _decoder: codecs.IncrementalDecoder = field(
        default_factory=lambda: codecs.getincrementaldecoder("utf-8")("replace"), init=False, repr=False
    )

    def feed(self, data: bytes) -> None:
        """Raises ProtocolError when it never ends."""
        # A letter, and a word to a terminal, may come in two pieces.
        came, end = self._decoder.decode(data), len(self.text)
        begun = self.text.rfind("\x1b", max(end - LONGEST_CONTROL, 0))
        end = end if begun < 0 else begun
        self.text = self.text[:end] + _CONTROL.sub("", self.text[end:] + came)
        if len(self.text) > MAX_HEARD:
            self.text = ""
            raise ProtocolError("An answer without end was cut off.", "Is it the right device, at the right speed?")

    def clear(self) -> None:
        """Forget what nobody waits for; announcements among it are kept."""
        self._decoder.reset()
        if self.text:
            self._strip(self._lines()[0])
            self.text = ""

    def clear_lines(self) -> None:
        """Put whole lines aside as announcements; the beginning of a next one stays."""
        lines, rest = self._lines()
        self._strip(lines)
        self.text = rest

    def more(self) -> str:
        """The key that makes a long answer go on, where it waits for one; the words that ask for it are taken out."""
        if self.channel.more is None:
            return ""
        *_, rest = _END.split(self.text)
        found = pattern(self.channel.more.pattern).search(rest)
        if found is None:
            return ""
        self.text = self.text[: len(self.text) - len(rest)] + rest[: found.start()]
        return self.channel.more.send

    def answer(self, wait: Answer) -> list[str] | Missing | None:
        """The lines of the answer; None while it is not whole. Raises what the device says by an error.

        The text is taken when it is whole; what follows stays for the next one.
        """
        if not self.text:
            return None
        lines, rest = self._lines(wait)
        ours = self._strip(lines, keep=False)
        ours = self._without_echo(ours, wait)
        prompt = self.channel.prompt
        prompted = bool(prompt) and any(pattern(prompt).search(one) for one in (rest, without_crackle(rest)))
        refusal = next((error for line in ours if (error := self._error(line)) is not None), None)
        if refusal is not None and (prompted or not self.channel.prompt):
            self._take()
            if isinstance(refusal, Missing):
                return refusal
            raise refusal
        whole = prompted if self.channel.prompt else self._whole(ours, wait)
        if not whole:
            return None
        self._take()
        return ours

    def refusal_first(self) -> NetloomError | Missing | None:
        """A refusal that stands before everything else is taken, alone."""
        first = next((line for line in self._lines()[0] if self._strip([line], keep=False)), None)
        error = None if first is None else self._error(first)
        if first is not None and error is not None:
            before, _, after = self.text.partition(first)
            self.text = before + after
        return error

    def _whole(self, lines: Sequence[str], wait: Answer) -> bool:
        if wait.end:
            return any(pattern(wait.end).search(line) for line in lines)
        if not wait.wanted:
            return False
        return sum(1 for line in lines if pattern(wait.wanted).search(line)) >= max(wait.count, 1)

    def _without_echo(self, lines: list[str], wait: Answer) -> list[str]:
        """What was said comes back first on many devices, behind the prompt perhaps.

        Where the profile does not say that it does, an answer that only ends in the command is no echo of it.
        """
        sent = wait.sent.strip()
        if not sent or not lines or not lines[0].rstrip().endswith(sent) or len(lines[0].strip()) > len(sent) + 80:
            return lines
        before = lines[0].rstrip().removesuffix(sent)
        prompted = not before.strip() or (self.channel.prompt and pattern(self.channel.prompt).search(before))
        alone = len(lines) == 1 and not (wait.asks and lines[0].strip() == sent)
        return lines[1:] if self.channel.echo or (prompted and not alone) else lines

    def _take(self) -> None:
        self._strip(self._lines()[0])
        self.text = ""

    def _lines(self, wait: Answer | None = None) -> tuple[list[str], str]:
        """Whole lines, and what has no end yet. Crackle is taken from those that are nothing known with it."""
        lines, rest = split(self.text)
        if any(line.startswith(NO_TEXT) for line in lines):
            known = [error.pattern for error in self.channel.errors] + [self.channel.announces]
            known += [wait.wanted, wait.end, f"^{re.escape(wait.sent.strip())}"] if wait and wait.sent.strip() else []
            lines = [_known(line, [one for one in known if one]) for line in lines]
        return lines, rest

    def _strip(self, lines: Sequence[str], *, keep: bool = True) -> list[str]:
        """Lines that are no announcements; with `keep` those are put aside."""
        if not self.channel.announces:
            return list(lines)
        own = pattern(self.channel.announces)
        if keep:
            self.announced = (self.announced + [line for line in lines if own.search(line)])[-MAX_ANNOUNCED:]
        return [line for line in lines if not own.search(line)]

    def _error(self, line: str) -> NetloomError | Missing | None:
        for error in self.channel.errors:
            if not pattern(error.pattern).search(line):
                continue
            said = error.says or line.strip()[:120]
            match error.means:
                case "unknown":
                    return Missing(said)
                case "busy":
                    return Busy(f"It is busy: {said}", "Try again in a moment.")
                case "new-code":
                    return CodeWanted("It")
                case "sign-in":
                    return WrongCredentials(f"It wants a sign-in: {said}")
                case _:
                    return Refused(f"It refused that: {said}", "It was read back to see what it has now.")
        return None


def _known(line: str, known: Sequence[str]) -> str:
    bare = without_crackle(line)
    as_is, without = (any(pattern(one).search(text) for one in known) for text in (line, bare))
    return bare if without and not as_is else line


def split(text: str) -> tuple[list[str], str]:
    """Whole lines, empty ones left out, and what has no end yet."""
    *lines, rest = _END.split(text)
    return [line[:MAX_LINE] for line in lines if line.strip()], rest


def found_in(lines: Sequence[str], wanted: str) -> re.Match[str] | None:
    """The first line, or else the whole text, that fits."""
    for line in lines:
        if match := pattern(wanted).search(line):
            return match
    return pattern(wanted).search("\n".join(lines))
