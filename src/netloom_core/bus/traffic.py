"""What passes on a serial line, both ways, with times: the newest of it, in memory only, without secrets.

What a person types on a console is not in it: that has a log of its own, which knows what a password is.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from netloom_core.links.serial import BREAK_S, ByteLink

MOST = 4000  # pieces
MOST_BYTES = 128 * 1024
SHORTEST = 3  # letters of a secret that is masked; shorter ones occur everywhere
MASK = 0x2A  # of each byte of a secret
HALF = 2  # bytes of a secret that are held back or masked when they come alone
HELD_S = 2.0  # for which they are


@dataclass(frozen=True)
class Passed:
    """Some bytes one way. `time` is Unix time in seconds, `who` had the line's turn."""

    number: int
    time: float
    out: bool
    data: bytes
    who: str


class Traffic:
    def __init__(self, now: Callable[[], float]) -> None:
        self._now = now
        self._kept: deque[Passed] = deque()
        self._bytes = 0
        self._number = 0
        self._dropped = False
        self._hidden: set[bytes] = set()

    def hide(self, texts: Iterable[str]) -> None:
        """Never show these, from now on: they are passwords and keys, as text or as hexadecimal digits."""
        for text in texts:
            if len(text) < SHORTEST:
                continue
            self._hidden.add(text.encode())
            try:
                self._hidden.add(bytes.fromhex(text))
            except ValueError:
                continue
        self._hidden = {one for one in self._hidden if len(one) >= SHORTEST}

    def note(self, data: bytes, who: str, *, out: bool) -> None:
        if not data:
            return
        self._number += 1
        self._kept.append(Passed(self._number, self._now(), out, data, who))
        self._bytes += len(data)
        while self._kept and (len(self._kept) > MOST or self._bytes > MOST_BYTES):
            self._bytes -= len(self._kept.popleft().data)
            self._dropped = True

    def since(self, number: int) -> list[Passed]:
        """What passed after that number, oldest first; all of it where the number is of a time before this line's."""
        number = number if number <= self._number else 0
        if not self._kept or self._kept[-1].number <= number:
            return []
        held = self._held_from()
        return [one for one in self._masked() if number < one.number < held]

    def _held_from(self) -> int:
        """From which piece on nothing is shown yet: the newest may be the beginning of a secret, whose rest comes."""
        first = self._number + 1
        for out in (False, True):
            ours = [one for one in self._kept if one.out is out]
            if not ours or self._now() - ours[-1].time > HELD_S:
                continue
            tail = b"".join(one.data for one in ours)[-max((len(one) for one in self._hidden), default=1) :]
            begun = max((_overlap(tail, secret) for secret in self._hidden), default=0)
            while begun > 0 and ours:
                first, begun = min(first, ours[-1].number), begun - len(ours.pop().data)
        return first

    def _masked(self) -> list[Passed]:
        """Masked over all that went one way, since a secret can come in pieces."""
        kept = list(self._kept)
        if not self._hidden:
            return kept
        for out in (False, True):
            ours = [at for at, one in enumerate(kept) if one.out is out]
            whole = bytearray(b"".join(kept[at].data for at in ours))
            for secret in sorted(self._hidden, key=len, reverse=True):
                found = whole.find(secret)
                while found >= 0:
                    whole[found : found + len(secret)] = bytes([MASK]) * len(secret)
                    found = whole.find(secret, found + 1)
            if self._dropped:  # of what was dropped the rest of a secret may stand in front
                half = max((_overlap(secret, bytes(whole[: len(secret)])) for secret in self._hidden), default=0)
                whole[:half] = bytes([MASK]) * half
            begun = 0
            for at in ours:
                size = len(kept[at].data)
                kept[at] = replace(kept[at], data=bytes(whole[begun : begun + size]))
                begun += size
        return kept


class Tapped:
    """A link, of which all that passes is noted. It is a link like the one behind it."""

    def __init__(self, link: ByteLink, traffic: Traffic, who: str) -> None:
        self.path = link.path
        self._link, self._traffic, self._who = link, traffic, who

    @property
    def speed(self) -> int:
        return self._link.speed

    @property
    def broken(self) -> bool:
        return self._link.broken

    async def set_line(self, speed: int, framing: str = "8N1", flow: str = "none") -> None:
        await self._link.set_line(speed, framing, flow)

    async def send_break(self, seconds: float = BREAK_S) -> None:
        await self._link.send_break(seconds)

    def take(self) -> bytes:
        data = self._link.take()
        self._traffic.note(data, self._who, out=False)
        return data

    def write(self, data: bytes) -> None:
        self._link.write(data)
        self._traffic.note(data, self._who, out=True)

    async def read(self, timeout: float) -> bytes:
        data = await self._link.read(timeout)
        self._traffic.note(data, self._who, out=False)
        return data

    def errors(self) -> dict[str, int]:
        return self._link.errors()

    def close(self) -> None:
        self._link.close()


def _overlap(one: bytes, other: bytes) -> int:
    """How many bytes that `one` ends with are those that `other` begins with, short of all of `other`; 0 below two."""
    sizes = range(min(len(one), len(other) - 1), HALF - 1, -1)
    return next((size for size in sizes if one.endswith(other[:size])), 0)
