"""The point monitor: changes of live states, kept where people asked for it, and chatter that is found in them."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import Any

from netloom_core.clock import Clock
from netloom_core.engine.ports import EventSink, Store
from netloom_core.library.load import Library
from netloom_core.live import chatter
from netloom_core.live.chatter import WINDOW_S, Chatter
from netloom_core.live.edges import Edge, Edges
from netloom_core.plan.procedures import remedy
from netloom_core.profiles.profile import Profile

SAVE_S = 1.0
LOOK_EVERY = 5  # saves
MOST_WAITING = 20_000  # edges that the records would not take

Named = Callable[[list[str]], Awaitable[dict[str, tuple[str, str]]]]  # by device: its name, its profile


class PointWatch:
    """`look_at` keeps the states of a device coming for a while, `named` gives names and profiles of devices."""

    def __init__(
        self,
        library: Library,
        clock: Clock,
        store: Store,
        events: EventSink,
        look_at: Callable[[str], Awaitable[Any]],
        named: Named,
    ) -> None:
        self._library, self._clock, self._store, self._events = library, clock, store, events
        self._look_at, self._named = look_at, named
        self._edges = Edges()
        self._wanted: dict[str, frozenset[str]] = {}
        self._waiting: list[Edge] = []
        self._told: dict[tuple[str, str], dict[str, Any]] = {}

    def states(self, device: str, states: dict[str, str], trouble: str) -> None:
        """What a device's points are now, as it told or was asked."""
        now = self._clock.now()
        found = self._edges.lost(device, now) if trouble else self._edges.told(device, states, now)
        if not found:
            return
        self._events.put("edges", {"device": device, "edges": [edge.as_dict() for edge in found]})
        points = self._wanted.get(device, frozenset())
        self._waiting += [edge for edge in found if edge.point in points]
        del self._waiting[:-MOST_WAITING]

    def driven(self, device: str, point: str, by: str) -> None:
        self._edges.driven(device, point, by, self._clock.now())

    def forget(self, device: str) -> None:
        self._edges.forget(device)

    def answer(self, points: list[tuple[str, str]], since: float) -> dict[str, Any]:
        edges = self._edges.of(points, since)
        return {"edges": [edge.as_dict() for edge in edges], "chatter": list(self._told.values())}

    async def keep(self) -> None:
        """For ever: look at what is monitored, save what changed, find what chatters."""
        turn = 0
        while True:
            if turn % LOOK_EVERY == 0 or not self._wanted:
                wanted = await self._store.points.monitored()
                self._wanted = {device: frozenset(points) for device, points in wanted.items()}
                for device in self._wanted:
                    await self._look_at(device)
                await self._find()
            if self._waiting:
                some = self._waiting[:]
                await self._store.points.save_edges(some)
                del self._waiting[: len(some)]
            turn += 1
            await asyncio.sleep(SAVE_S if self._wanted else LOOK_EVERY * SAVE_S)

    async def _find(self) -> None:
        now = self._clock.now()
        found = {(one.device, one.point): one for one in chatter.found(self._edges.recent(now - WINDOW_S), now)}
        over = self._told.keys() - found.keys()
        if not found and not over:
            return
        devices = {one.device for one in found.values()} | {o.leader[0] for o in found.values() if o.leader}
        names = await self._named(sorted(devices))
        before, self._told = self._told, {key: self._described(one, names) for key, one in found.items()}
        for key, one in self._told.items():
            if key not in before:
                self._events.put("notice", {"message": one["words"]})
        for key in over:
            text = f"{before[key]['label']} of {before[key]['name']} is quiet again."
            self._events.put("notice", {"message": text})
        self._events.put("chatter", {"chatter": list(self._told.values())}, latest="chatter")

    def _described(self, one: Chatter, names: dict[str, tuple[str, str]]) -> dict[str, Any]:
        name, label, profile = self._called(one.device, one.point, names)
        means, then, steps = "", "", []
        if profile is not None:
            known = remedy(profile, one.point, one.kind)
            if known is not None:
                means, then, steps = known.means, known.then, [act.words() for act in known.steps]
        leader = None
        if one.leader is not None:
            leading = self._called(*one.leader, names)
            leader = {"device": one.leader[0], "point": one.leader[1], "name": leading[0], "label": leading[1]}
        told = {
            "device": one.device, "point": one.point, "name": name, "label": label, "kind": one.kind,
            "since": one.since, "changes": one.changes, "every": round(one.every, 3), "leader": leader,
            "lag": round(one.lag, 3), "means": means, "then": then, "steps": steps,
        }  # fmt: skip
        return {**told, "words": words(told)}

    def _called(self, device: str, point: str, names: dict[str, tuple[str, str]]) -> tuple[str, str, Profile | None]:
        name, ident = names.get(device, (device, ""))
        profile = self._library.get(ident)
        item = profile.by_point.get(point) if profile is not None else None
        return name, item.label if item is not None else point, profile


def words(told: dict[str, Any]) -> str:
    """What it does, and what it follows."""
    does = {"bounces": "bounces", "beats": "changes again and again, in a steady beat", "flutters": "flutters"}
    every = f"{told['every']:.1f} s" if told["every"] >= 1 else f"{told['every'] * 1000:.0f} ms"
    text = f"{told['label']} of {told['name']} {does[told['kind']]}: {told['changes']} changes, each after {every}."
    if (leader := told["leader"]) is not None:
        lag = f"{told['lag'] * 1000:.0f} ms"
        text += f" It follows {leader['label']} of {leader['name']}, {lag} after each of its changes."
    return " ".join(part for part in (text, told["means"]) if part)
