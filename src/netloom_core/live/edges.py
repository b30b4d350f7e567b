"""Changes of live states with their times: what a strip chart is drawn of, and what chatter is found in. Pure.

A state that nobody can tell any more is an edge, too, to the empty state: a chart has a gap there, not a straight line.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

MOST_EDGES = 2000  # kept of each point
MOST_POINTS = 5000
CAUSED_S = 3.0  # for which a change is taken to be what a drive was to do
UNKNOWN = ""


@dataclass(frozen=True)
class Edge:
    """`cause` is who drove it, where it was driven from here; empty where nobody here knows why it changed."""

    device: str
    point: str
    state: str
    time: float
    cause: str = ""

    def as_dict(self) -> dict[str, str | float]:
        return {
            "device": self.device,
            "point": self.point,
            "state": self.state,
            "time": self.time,
            "cause": self.cause,
        }


class Edges:
    """The newest changes of all points that anybody looks at."""

    def __init__(self) -> None:
        self._kept: dict[tuple[str, str], deque[Edge]] = {}
        self._caused: dict[tuple[str, str], tuple[str, float]] = {}

    def driven(self, device: str, point: str, by: str, time: float) -> None:
        """What changes there in a moment was meant to."""
        self._caused[device, point] = (by, time + CAUSED_S)

    def told(self, device: str, states: Mapping[str, str], time: float) -> list[Edge]:
        """What of these states is another one than before; the first of a point is where its chart begins."""
        found = [
            self._edge(device, point, state, time)
            for point, state in states.items()
            if (last := self._last(device, point)) is None or last.state != state
        ]
        for edge in found:
            self._keep(edge)
        return found

    def lost(self, device: str, time: float) -> list[Edge]:
        """Nobody can tell its states any more."""
        known = [one for one in self._kept if one[0] == device and self._kept[one][-1].state != UNKNOWN]
        found = [Edge(device, point, UNKNOWN, time) for _, point in known]
        for edge in found:
            self._keep(edge)
        return found

    def of(self, points: Iterable[tuple[str, str]], since: float) -> list[Edge]:
        """In the order of their times; of each point also the last one before `since`, which says where it stood."""
        found: list[Edge] = []
        for key in points:
            before: Edge | None = None
            for edge in self._kept.get(key, ()):
                if edge.time < since:
                    before = edge
                else:
                    found.append(edge)
            if before is not None:
                found.append(before)
        return sorted(found, key=lambda edge: edge.time)

    def recent(self, since: float) -> dict[tuple[str, str], list[Edge]]:
        """By point what changed since then, of those that did."""
        found = {}
        for key, edges in self._kept.items():
            if edges and edges[-1].time >= since:
                found[key] = [edge for edge in edges if edge.time >= since]
        return found

    def forget(self, device: str) -> None:
        for key in [key for key in self._kept if key[0] == device]:
            del self._kept[key]

    def _last(self, device: str, point: str) -> Edge | None:
        kept = self._kept.get((device, point))
        return kept[-1] if kept else None

    def _edge(self, device: str, point: str, state: str, time: float) -> Edge:
        by, until = self._caused.get((device, point), ("", 0.0))
        return Edge(device, point, state, time, by if time <= until else "")

    def _keep(self, edge: Edge) -> None:
        key = edge.device, edge.point
        if key not in self._kept and len(self._kept) >= MOST_POINTS:
            oldest = min(self._kept, key=lambda one: self._kept[one][-1].time)
            del self._kept[oldest]
        self._kept.setdefault(key, deque(maxlen=MOST_EDGES)).append(edge)
