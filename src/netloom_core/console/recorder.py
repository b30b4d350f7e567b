"""What of a console is kept: both directions with times, and nothing typed as a password. Pure.

A password is what is typed after a prompt that asks for one, or after a word like
`password` in a command. It is left out of what was typed, out of what the device echoes of
it, and out of whatever the device repeats of it later.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

IN, OUT, NOTE = "in", "out", "note"
HIDDEN = "•••".encode()
# In the languages in which equipment asks; what a profile knows of its device comes besides.
_WORDS = (
    r"pass ?word|passwd|pass ?code|pass ?phrase|secret|\bpin\b|access code|security code|passwort|kennwort|"
    r"mot de passe|contrase(?:ñ|n)a|\bclave\b|\bsenha\b|palavra-passe|wachtwoord|l(?:ö|o)senord|adgangskode|passord|"
    r"salasana|has(?:ł|l)o|\bheslo\b|jelsz(?:ó|o)|\bparola\b|[пП]ароль|密码|密碼|パスワード|암호|비밀번호"
)
PROMPT = re.compile(rf"({_WORDS})[^\r\n]{{0,30}}[:：>?=]?\s*$".encode(), re.IGNORECASE)
COMMAND = re.compile(
    rb"(^|[\s;,&?\"'/_.-])(pass|pwd|pw|psk|pin|key|secret|community|auth-?key|priv-?key|pass ?word|passwd|passcode|"
    rb"passphrase|passwort|kennwort)[ =:]+$",
    re.IGNORECASE,
)
TAIL = 200
MIN_REPEATED = 4  # shorter ones occur by chance, and masking them would spoil the log
MAX_SECRETS = 20
ECHO_S = 3.0  # an echo that comes later than that is not one
END = b"\r\n"
ESCAPE = b"\x1b"
SPACE = 0x20  # below are control characters
ECHOES = 3  # so many characters given back are no chance


@dataclass(frozen=True)
class Entry:
    """`time` is Unix time in seconds."""

    time: float
    direction: str
    data: bytes


@dataclass
class Recorder:
    """`prompts` are regular expressions of how this device asks for a secret, from its profile."""

    prompts: tuple[str, ...] = ()
    entries: list[Entry] = field(default_factory=list)
    _tail: bytes = b""
    _line: bytes = b""
    _secret: bool = False
    _echo: bytearray = field(default_factory=bytearray)
    _echo_until: float = 0.0
    _typed: bytes = b""
    _secrets: list[bytes] = field(default_factory=list)
    _fresh: bytes = b""  # typed since the device last said something
    _echoed: int = 0  # how many of such it has given back; from a few on it is one that echoes
    _waits: bytes = b""  # typed on a device that echoes, and not given back yet

    def __post_init__(self) -> None:
        self._own = [re.compile(prompt.encode(), re.IGNORECASE) for prompt in self.prompts]

    def received(self, data: bytes, now: float) -> None:
        self._hear_echo(data, now)
        kept = self._without_echo(data, now)
        self._tail = (self._tail + data)[-TAIL:]
        if not self._secret and (PROMPT.search(self._tail) or any(one.search(self._tail) for one in self._own)):
            self._secret = True
        if kept:
            self._add(IN, kept, now)

    def typed(self, data: bytes, now: float) -> None:
        shown = bytearray()
        keys = data[:1] == ESCAPE  # an arrow or function key; no device gives it back as it was
        for byte in data:
            one = bytes((byte,))
            if byte in END:
                self._end_of_line(one, shown)
            elif self._secret:
                self._echo.append(byte)
                self._typed += one
                self._echo_until = now + ECHO_S
            else:
                if self._echoed >= ECHOES and not keys and byte >= SPACE:
                    self._waits += one
                else:
                    shown.append(byte)
                self._line = (self._line + one)[-TAIL:]
                self._fresh = (self._fresh + one)[-TAIL:]
                if COMMAND.search(self._line):
                    self._secret = True
        if shown:
            self._add(OUT, bytes(shown), now)

    def _end_of_line(self, end: bytes, shown: bytearray) -> None:
        if self._waits:
            self._waits += (HIDDEN if self._secret else b"") + end
        else:
            shown += (HIDDEN if self._secret else b"") + end
        if self._secret:
            self._remember()
        self._secret, self._line, self._tail = False, b"", b""

    def _hear_echo(self, data: bytes, now: float) -> None:
        """What the device gives back of a line is no secret; a line of which it gives back nothing is one."""
        if self._waits:
            same = _common(data, self._waits)
            if same:
                self._add(OUT, self._waits[:same], now)
                self._waits = self._waits[same:]
            elif any(byte in END for byte in self._waits):
                self._hide_waiting(now)
        self._echoed += _common(data, self._fresh)
        self._fresh = b""

    def _hide_waiting(self, now: float) -> None:
        line = self._waits.rstrip(END)
        if len(line.strip()) >= MIN_REPEATED:
            self._secrets = [*self._secrets, line.strip()][-MAX_SECRETS:]
        self._add(OUT, HIDDEN + self._waits[len(line) :], now)
        self._waits = b""

    def note(self, text: str, now: float) -> None:
        self._add(NOTE, text.encode(), now)

    def take(self) -> list[Entry]:
        """What came since the last time; neighbours of one direction are one entry."""
        held = self.entries[-1:] if self.entries and self._half_a_secret(self.entries[-1]) else []
        taken = self.entries[: len(self.entries) - len(held)]
        self.entries = held
        return taken

    def end(self) -> list[Entry]:
        """The rest, when nothing more comes."""
        if self._waits:
            self._hide_waiting(self.entries[-1].time if self.entries else 0.0)
        taken, self.entries = self.entries, []
        return taken

    def _remember(self) -> None:
        if len(self._typed.strip()) >= MIN_REPEATED:
            self._secrets = [*self._secrets, self._typed.strip()][-MAX_SECRETS:]
        self._typed = b""

    def _half_a_secret(self, entry: Entry) -> bool:
        """Whether it ends with the beginning of a password, so that the rest may come next."""
        return entry.direction == IN and any(
            entry.data.endswith(secret[:size]) for secret in self._secrets for size in range(2, len(secret))
        )

    def _masked(self, data: bytes) -> bytes:
        for secret in self._secrets:
            data = data.replace(secret, HIDDEN)
        return data

    def _without_echo(self, data: bytes, now: float) -> bytes:
        if not self._echo or now > self._echo_until:
            self._echo.clear()
            return data
        kept = bytearray()
        for byte in data:
            if self._echo and byte == self._echo[0]:
                del self._echo[0]
            else:
                kept.append(byte)
        return bytes(kept)

    def _add(self, direction: str, data: bytes, now: float) -> None:
        last = self.entries[-1] if self.entries else None
        together = last is not None and last.direction == direction and direction != NOTE
        if together and last is not None and (now - last.time < 1.0 or self._half_a_secret(last)):
            self.entries[-1] = Entry(last.time, direction, self._masked(last.data + data))
        else:
            self.entries.append(Entry(now, direction, self._masked(data)))


def _common(one: bytes, other: bytes) -> int:
    """How many bytes both begin with."""
    size = 0
    for a, b in zip(one, other, strict=False):
        if a != b:
            break
        size += 1
    return size
