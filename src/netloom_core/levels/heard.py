"""What is heard of one universe: its sources, who of them counts, and the levels that a receiver makes of it.

Source: ANSI E1.31-2018, 6.2.3.1 (the highest priority wins), 6.7.1 (2.5 s without data is loss), 6.7.2 (sequence
numbers); Art-Net 4, ArtDmx (sources are merged, the highest of each slot or the latest).
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field
from typing import Any, Literal

from netloom_core.protocols.dmx_data import PER_SLOT_PRIORITY, SLOTS, START_CODE, Frame

Protocol = Literal["artnet", "sacn"]
LOST_S = {"sacn": 2.5, "artnet": 10.0}
RATE_OVER_S = 3.0
MOST_SOURCES = 32


@dataclass
class Sender:
    """One source as heard. `times` are those of its last packets, for its rate; `lost` counts numbers left out."""

    key: str
    address: str
    name: str
    priority: int
    levels: bytes = b""
    own_priorities: bytes = b""
    sequence: int = -1
    lost: int = 0
    packets: int = 0
    times: deque[float] = field(default_factory=lambda: deque(maxlen=200))

    @property
    def last(self) -> float:
        return self.times[-1]


class Universe:
    """`number` as the protocol counts."""

    def __init__(self, protocol: Protocol, number: int) -> None:
        self.protocol, self.number = protocol, number
        self._senders: dict[str, Sender] = {}
        self.others = 0  # sources that are too many

    def take(self, frame: Frame, address: str, now: float) -> bool:
        """Whether it was of this universe."""
        if frame.universe != self.number:
            return False
        key = frame.who or address
        if frame.terminated:
            self._senders.pop(key, None)
            return True
        sender = self._senders.get(key)
        if sender is None:
            if len(self._senders) >= MOST_SOURCES:
                self.others += 1
                return True
            sender = self._senders[key] = Sender(key, address, frame.name, frame.priority)
        self._count(sender, frame)
        sender.address, sender.name = address, frame.name
        sender.priority = frame.priority
        sender.times.append(now)
        if frame.start == START_CODE and not frame.preview:
            sender.levels = frame.levels
        elif frame.start == PER_SLOT_PRIORITY:
            sender.own_priorities = frame.levels
        return True

    def _count(self, sender: Sender, frame: Frame) -> None:
        sender.packets += 1
        if self.protocol == "artnet" and frame.sequence == 0:  # it does not number them
            sender.sequence = -1
            return
        if sender.sequence >= 0:
            skipped = (frame.sequence - sender.sequence - 1) % 256
            sender.lost += skipped if 0 < skipped < 128 else 0
        sender.sequence = frame.sequence

    def senders(self, now: float) -> list[Sender]:
        """Those that send now, the highest priority first."""
        lost = LOST_S[self.protocol]
        self._senders = {key: one for key, one in self._senders.items() if now - one.last <= lost}
        return sorted(self._senders.values(), key=lambda one: (-one.priority, one.address, one.key))

    def levels(self, now: float) -> list[int]:
        """What a receiver makes of it, 512 of them: of the highest priority the highest level of each slot."""
        those = [one for one in self.senders(now) if one.levels]
        found = [0] * SLOTS
        best = [-1] * SLOTS
        for one in those:
            for slot, level in enumerate(one.levels[:SLOTS]):
                rank = one.own_priorities[slot] if slot < len(one.own_priorities) else one.priority
                if self.protocol == "sacn" and one.own_priorities and rank == 0:
                    continue  # it says itself that this slot is not its own
                if rank > best[slot]:
                    best[slot], found[slot] = rank, level
                elif rank == best[slot]:
                    found[slot] = max(found[slot], level)
        return found

    def shown(self, now: float) -> dict[str, Any]:
        those = self.senders(now)
        top = max((one.priority for one in those), default=0)
        return {
            "protocol": self.protocol,
            "universe": self.number,
            "levels": self.levels(now),
            "sources": [
                {
                    "who": one.key,
                    "name": one.name,
                    "address": one.address,
                    "priority": one.priority,
                    "rate": round(_rate(one, now), 1),
                    "slots": len(one.levels),
                    "lost": one.lost,
                    "counts": one.priority == top or bool(one.own_priorities),
                }
                for one in those
            ],
            "others": self.others,
        }


def _rate(sender: Sender, now: float) -> float:
    """Packets a second over the last ones."""
    recent = [at for at in sender.times if now - at <= RATE_OVER_S]
    return (len(recent) - 1) / (recent[-1] - recent[0]) if len(recent) > 1 and recent[-1] > recent[0] else 0.0
