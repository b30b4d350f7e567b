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
PROMPT = re.compile(
    rb"(pass ?word|passwd|pass ?code|pass ?phrase|secret|\bpin\b|access code|security code)[^\r\n]{0,30}[:>?=]?\s*$",
    re.IGNORECASE,
)
COMMAND = re.compile(
    rb"(pass ?word|passwd|passcode|passphrase|secret|community|auth-?key|priv-?key|psk|\bkey)[ =:]+$", re.IGNORECASE
)
TAIL = 200
MIN_REPEATED = 4  # shorter ones occur by chance, and masking them would spoil the log
MAX_SECRETS = 20
ECHO_S = 3.0  # an echo that comes later than that is not one
END = b"\r\n"


@dataclass(frozen=True)
class Entry:
    """`time` is Unix time in seconds."""

    time: float
    direction: str
    data: bytes


@dataclass
class Recorder:
    entries: list[Entry] = field(default_factory=list)
    _tail: bytes = b""
    _line: bytes = b""
    _secret: bool = False
    _echo: bytearray = field(default_factory=bytearray)
    _echo_until: float = 0.0
    _typed: bytes = b""
    _secrets: list[bytes] = field(default_factory=list)

    def received(self, data: bytes, now: float) -> None:
        kept = self._without_echo(data, now)
        self._tail = (self._tail + data)[-TAIL:]
        if PROMPT.search(self._tail) and not self._secret:
            self._secret = True
        if kept:
            self._add(IN, kept, now)

    def typed(self, data: bytes, now: float) -> None:
        shown = bytearray()
        for byte in data:
            if byte in END:
                if self._secret:
                    shown += HIDDEN
                    self._remember()
                self._secret, self._line, self._tail = False, b"", b""
                shown.append(byte)
            elif self._secret:
                self._echo.append(byte)
                self._typed += bytes((byte,))
                self._echo_until = now + ECHO_S
            else:
                shown.append(byte)
                self._line = (self._line + bytes((byte,)))[-TAIL:]
                if COMMAND.search(self._line):
                    self._secret = True
        if shown:
            self._add(OUT, bytes(shown), now)

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
