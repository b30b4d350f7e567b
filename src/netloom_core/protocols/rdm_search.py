"""Who is on a DMX512 line: RDM's search by halving, E1.20 clause 7.6. Nothing waits here.

Units answer a branch all at once. One answer names its unit, which is muted; a spoiled one is two or more, and the
branch is halved. Where the lower half is silent, the upper one has all that spoke, and is halved without a question.
Who was drowned out by another one answers when everybody is asked once more, which is done until nobody does.
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
class _Branch:
    """`other` is the upper half to a lower one, `several` whether more than one is known to speak there."""

    low: int
    high: int
    other: _Branch | None = None
    several: bool = False


@dataclass
class Search:
    """`source` is who asks. `unsure` counts branches in which something answered that nobody could be made of."""

    source: bytes
    asked: int = 0
    unsure: int = 0
    units: list[bytes] = field(default_factory=list)

    def run(self) -> Found:
        yield from self._say(rdm.Message(rdm.EVERYBODY, self.source, 0, rdm.DISCOVERY, rdm.UN_MUTE))
        known = -1
        while len(self.units) > known and len(self.units) < MOST_UNITS and self.unsure < MOST_UNSURE:
            known = len(self.units)
            yield from self._down()
        return sorted(self.units)

    def _down(self) -> Generator[rdm.Message, bytes, None]:
        """Everybody once, from the whole down to single units. Of halves the lower one comes first."""
        waiting = [_Branch(FIRST, LAST)]
        while waiting and len(self.units) < MOST_UNITS and self.unsure < MOST_UNSURE:
            branch = waiting.pop()
            low, high = branch.low, branch.high
            if not branch.several:
                answer = yield from self._branch(low, high)
                if not answer:
                    if branch.other is not None:
                        branch.other.several = True
                    continue
                uid = rdm.parse_branch_answer(answer)
                if uid in self.units:
                    self.unsure += 1  # it says that it is silent, and speaks
                    continue
                if uid is not None and low <= int.from_bytes(uid, "big") <= high and (yield from self._muted(uid)):
                    self.units.append(uid)
                    continue
            if low < high:
                middle = (low + high) // 2
                upper = _Branch(middle + 1, high)
                waiting += [upper, _Branch(low, middle, upper)]
            elif (uid := low.to_bytes(6, "big")) not in self.units and (yield from self._muted(uid)):
                self.units.append(uid)
            else:
                self.unsure += 1

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
