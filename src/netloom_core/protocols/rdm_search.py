"""Who is on a DMX512 line: RDM's search by halving, E1.20 clause 7.6. Nothing waits here.

Units answer a branch all at once. One answer names its unit, which is muted and the branch asked again, since it
may have drowned others out; a spoiled one is two or more, and the branch is halved.
"""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass, field

from netloom_core.errors import ProtocolError
from netloom_core.protocols import rdm

FIRST, LAST = 0, (1 << 48) - 2  # all ones is everybody
MUTE_TRIES = 3
MOST_UNITS = 4096
MOST_UNSURE = 64  # smallest branches in which something speaks that is nobody: the line is noisy
Found = Generator[rdm.Message, bytes, list[bytes]]  # questions out; what came in, empty for silence


@dataclass
class Search:
    """`source` is who asks. `unsure` counts branches in which something answered that nobody could be made of."""

    source: bytes
    asked: int = 0
    unsure: int = 0
    units: list[bytes] = field(default_factory=list)

    def run(self) -> Found:
        yield from self._say(rdm.Message(rdm.EVERYBODY, self.source, 0, rdm.DISCOVERY, rdm.UN_MUTE))
        waiting = [(FIRST, LAST)]
        while waiting and len(self.units) < MOST_UNITS and self.unsure < MOST_UNSURE:
            low, high = waiting.pop()
            answer = yield from self._branch(low, high)
            if not answer:
                continue
            uid = rdm.parse_branch_answer(answer)
            if uid is not None and low <= int.from_bytes(uid, "big") <= high and (yield from self._muted(uid)):
                if uid not in self.units:
                    self.units.append(uid)
                    waiting.append((low, high))  # whoever was drowned out by it answers now
                else:
                    self.unsure += 1  # it says that it is silent, and speaks
            elif low < high:
                middle = (low + high) // 2
                waiting += [(middle + 1, high), (low, middle)]
            elif (yield from self._muted(low.to_bytes(6, "big"))):
                self.units.append(low.to_bytes(6, "big"))
            else:
                self.unsure += 1
        return sorted(self.units)

    def _branch(self, low: int, high: int) -> Generator[rdm.Message, bytes, bytes]:
        return (yield from self._say(rdm.branch(self.source, low.to_bytes(6, "big"), high.to_bytes(6, "big"))))

    def _muted(self, uid: bytes) -> Generator[rdm.Message, bytes, bool]:
        """Whether that unit is there and silent now: the proof that an answer was of one unit, and of that one."""
        for _ in range(MUTE_TRIES):
            answer = yield from self._say(rdm.Message(uid, self.source, 0, rdm.DISCOVERY, rdm.MUTE))
            try:
                told = rdm.parse(answer)
            except ProtocolError:
                continue
            if (told.source, told.command, told.parameter) == (uid, rdm.DISCOVERY + 1, rdm.MUTE):
                return True
        return False

    def _say(self, message: rdm.Message) -> Generator[rdm.Message, bytes, bytes]:
        self.asked += 1
        return (yield message)
