"""Devices with what is known of them, and the cables between them: what paths are worked out from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from netloom_core.documents.tree import Document, leaves
from netloom_core.profiles.item import Need
from netloom_core.profiles.profile import JacksThere, Profile
from netloom_core.profiles.signals import Jack, Told
from netloom_core.profiles.values import value_of_state


class End(NamedTuple):
    """A jack of a device. Without a device it is something that is not on record, and `jack` is what people call it."""

    device: str
    jack: str


class Cable(NamedTuple):
    id: str
    source: End
    target: End


@dataclass(frozen=True)
class Feed:
    """What comes into a jack from inside: always `always`, or by the value of `by` from one of `table`."""

    by: str = ""
    always: str = ""
    table: Mapping[str, str] = field(default_factory=dict)


def feeds(profile: Profile) -> dict[str, list[Feed]]:
    """Of every jack that something inside leads to, by its name; of several the first that leads somewhere counts."""
    found: dict[str, list[Feed]] = {}
    if profile.signals is None:
        return found
    axes = {jack.id: jack.axis for jack in profile.signals.jacks}
    for one in profile.signals.passes:
        numbers = profile.axes[axes[one.into]].numbers if axes[one.into] else (None,)
        for number in numbers:
            into = one.into if number is None else f"{one.into}-{number}"
            by = one.by if number is None else one.by.replace(f"{{{axes[one.into]}}}", str(number))
            if one.values:
                feed = Feed(by, table=one.values)
            elif not by:
                feed = Feed(always=one.of if not axes[one.of] else f"{one.of}-{number}")
            elif axes[one.of]:
                feed = Feed(by, table={str(n): f"{one.of}-{n}" for n in profile.axes[axes[one.of]].numbers})
            else:
                feed = Feed(by, table={"True": one.of})
            found.setdefault(into, []).append(feed)
    return found


@dataclass
class Thing:
    """A device as far as signals go. `facts` are values by path as last told; of what nobody knows nothing is there."""

    id: str
    name: str
    profile: Profile
    facts: Mapping[str, Any]
    firmware: str = ""
    _there: JacksThere | None = field(default=None, init=False, repr=False)

    @property
    def there(self) -> JacksThere:
        """Which jacks it has, as it is set: of devices that are set alike the same ones."""
        if self._there is None:
            alike = self.profile.jacks_as_set
            told = [self.facts.get(path) for path in alike.paths]
            settings = tuple(["" if value.__hash__ is None else value for value in told])  # it may tell anything
            if settings not in alike.known:
                there = [jacks for needs, jacks in self.profile.jacks_by_needs if all(self.met(need) for need in needs)]
                alike.keep(settings, {ident: jack for jacks in there for ident, jack in jacks.items()})
            self._there = alike.known[settings]
        return self._there

    @property
    def jacks(self) -> dict[str, Jack]:
        return (self._there or self.there).all

    def met(self, need: Need) -> bool:
        """Whether a need holds; what is not known is taken to hold."""
        value = self.facts.get(need.path)
        return value is None or value in need.one_of

    def stopped(self, need: Need) -> bool:
        value = self.facts.get(need.path)
        return value is not None and value in need.one_of

    def told(self, told: Told | None) -> bool | None:
        """None where nobody knows."""
        if told is None or (value := self.facts.get(told.path)) is None:
            return None
        if told.needs and not all(self.stopped(need) for need in told.needs):  # each known to hold
            return None
        return told.by(value)

    def text(self, path: str) -> str:
        value = self.facts.get(path) if path else None
        return value if isinstance(value, str) else ""


def _spoken(name: str) -> str:
    return " ".join(name.casefold().split())


def _passive(cables: list[Cable]) -> dict[str, Cable]:
    """By name what is not on record and has a cable in and others out; where two lead in, nobody knows which goes
    on."""
    leads_on = {_spoken(one.source.jack) for one in cables if not one.source.device}
    found: dict[str, list[Cable]] = {}
    for one in cables:
        if not one.target.device and (name := _spoken(one.target.jack)) in leads_on:
            found.setdefault(name, []).append(one)
    return {name: ways[0] for name, ways in found.items() if len(ways) == 1}


class Site:
    def __init__(self, things: Iterable[Thing], cables: Iterable[Cable]) -> None:
        self.things = {one.id: one for one in things}
        self._into: dict[str, dict[str, Cable]] = {}  # by device, then by jack
        self._out_of: dict[str, dict[str, Cable]] = {}
        cables = list(cables)
        self._passive = _passive(cables)
        for cable in cables:
            for one in (cable, *self._shared(cable)):
                self._into.setdefault(one.target.device, {})[one.target.jack] = one
                self._out_of.setdefault(one.source.device, {})[one.source.jack] = one
        self._feeds: dict[str, dict[str, list[Feed]]] = {}

    def _shared(self, cable: Cable) -> list[Cable]:
        """What else a cable carries, between the jacks on both ends that go over the ones it is plugged into."""
        source, target = self.things.get(cable.source.device), self.things.get(cable.target.device)
        if source is None or target is None:
            return []
        starts = source.profile.jacks_over.get(cable.source.jack, ())
        ends = target.profile.jacks_over.get(cable.target.jack, ())
        return [
            Cable(cable.id, End(source.id, start.id), End(target.id, end.id))
            for start in starts
            for end in ends
            if start.carries == end.carries
        ]

    def into(self, device: str) -> Mapping[str, Cable]:
        """The cables that lead to a device, by its jack; without a device, to what is not on record."""
        return self._into.get(device, {})

    def out_of(self, device: str) -> Mapping[str, Cable]:
        return self._out_of.get(device, {})

    def through(self, end: End) -> Cable | None:
        """Of something that is not on record, as a splitter: the one cable that leads into it, where one does and
        others lead on from there. People call it by the same name at both."""
        return self._passive.get(_spoken(end.jack)) if not end.device else None

    def feeds(self, thing: Thing, jack: str) -> list[Feed]:
        known = self._feeds.get(thing.profile.id)
        if known is None:
            known = self._feeds[thing.profile.id] = feeds(thing.profile)
        return known.get(jack, [])


def facts_of(profile: Profile, running: Document, states: Mapping[str, str]) -> dict[str, Any]:
    """What is known of a device by path: the document as last read, and over it the states by point as last told."""
    found: dict[str, Any] = dict(leaves(running))
    for point, state in states.items():
        item = profile.by_point.get(point)
        if item is not None and (value := value_of_state(item, state)) is not None:
            found[item.path] = value
    return found
