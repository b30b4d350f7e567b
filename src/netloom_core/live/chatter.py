"""Chatter: a point that changes again and again though nobody drives it, and which other one it follows. Pure.

A relay that is fired each second, an input that bounces, a state that flickers between two: each is found by the times
of its changes alone. Where another point changes in the same beat, just before, that one leads and this one follows.
"""

from __future__ import annotations

import itertools
import statistics
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from netloom_core.live.edges import UNKNOWN, Edge

WINDOW_S = 45.0  # that is looked at
FEWEST = 8  # changes in it
SLOWEST_S = 5.0  # between two of them, in the mean
STEADY = 0.35  # of the mean: so far the gaps may differ where it is a beat
BOUNCE_S = 0.25  # faster than that no relay is meant to be
QUIET_S = 30.0  # without a change, after which it is over
LEADS = 0.8  # of the changes that have to come after one of the other's
LAG = 0.5  # of the mean gap: later than that it follows nobody


@dataclass(frozen=True)
class Chatter:
    """`every` is the mean time between changes in seconds, `beat` whether they are steady; `leader` is the point that
    changes `lag` seconds before it each time, where there is one."""

    device: str
    point: str
    since: float
    changes: int
    every: float
    beat: bool
    leader: tuple[str, str] | None = None
    lag: float = 0.0

    @property
    def kind(self) -> str:
        return "bounces" if self.every < BOUNCE_S else "beats" if self.beat else "flutters"


def _changes(edges: Sequence[Edge]) -> list[Edge]:
    """Without the ends of gaps, and what was driven from here."""
    found = []
    for before, edge in itertools.pairwise(edges):
        if UNKNOWN not in (before.state, edge.state) and not edge.cause:
            found.append(edge)
    return found


def found(recent: Mapping[tuple[str, str], Sequence[Edge]], now: float) -> list[Chatter]:
    """All points that chatter now, leaders before those that follow them. `recent` are edges by point, oldest first."""
    times: dict[tuple[str, str], list[float]] = {}
    chatters: dict[tuple[str, str], Chatter] = {}
    for key, edges in recent.items():
        changes = _changes(edges)
        if not changes or now - changes[-1].time > QUIET_S:
            continue
        late = [edge.time for edge in changes if edge.time >= now - WINDOW_S]
        if len(late) < FEWEST:
            continue
        gaps = [b - a for a, b in itertools.pairwise(late)]
        every = statistics.fmean(gaps)
        if every > SLOWEST_S:
            continue
        beat = statistics.pstdev(gaps) <= STEADY * every
        times[key] = late
        chatters[key] = Chatter(*key, late[0], len(late), every, beat)
    for key, one in chatters.items():
        best: tuple[float, tuple[str, str]] | None = None
        for other, theirs in times.items():
            lag = _lag(times[key], theirs, one.every) if other != key else None
            if lag is not None and (best is None or lag < best[0]):
                best = lag, other
        if best is not None:
            chatters[key] = Chatter(
                one.device, one.point, one.since, one.changes, one.every, one.beat, best[1], best[0]
            )
    return sorted(chatters.values(), key=lambda one: (one.leader is not None, one.since, one.device, one.point))


def _lag(mine: Sequence[float], theirs: Sequence[float], every: float) -> float | None:
    """How long after the other's changes these come; None where they do not."""
    lags = []
    for time in mine:
        at = bisect_right(theirs, time) - 1
        if at >= 0 and 0 < time - theirs[at] <= LAG * every:
            lags.append(time - theirs[at])
    if len(lags) < LEADS * len(mine):
        return None
    lag = statistics.median(lags)
    steady = sum(1 for one in lags if abs(one - lag) <= STEADY * every)
    return lag if steady >= LEADS * len(lags) else None
