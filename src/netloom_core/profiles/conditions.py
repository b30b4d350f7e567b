"""Conditions between values: what may stand together on a device, and the nearest that may where something may not.

Pure. A value that is not there is judged by no condition: what nobody knows forbids nothing.
"""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import Field

from netloom_core.profiles.axis import Axis
from netloom_core.profiles.bounds import Bounds
from netloom_core.profiles.fill import filled, names_in
from netloom_core.profiles.item import Item
from netloom_core.types.base import BadValue, Part
from netloom_core.types.boolean import Boolean
from netloom_core.types.choice import Choice

MOST_TRIED = 3000  # combinations, looking for one that is allowed
MOST_OFFERED = 8  # values of one item among which the nearest is looked for
DECIDED = 100.0  # what it costs to offer another value than the one that somebody just chose


class Clause(Bounds):
    """What a value has to be."""

    path: str


class Condition(Part):
    """While all of `when` hold, `then` has to: else the device refuses, or does something that nobody meant.

    Axes in the paths are filled in together; `why` is what people are told.
    """

    when: list[Clause] = Field(min_length=1, max_length=4)
    then: Clause
    why: str = Field(max_length=200)

    @property
    def clauses(self) -> list[Clause]:
        return [*self.when, self.then]

    def at(self, numbers: Mapping[str, int]) -> Condition:
        def put(clause: Clause) -> Clause:
            return clause.model_copy(update={"path": filled(clause.path, numbers)})

        why = filled(self.why, numbers)
        return Condition.model_construct(when=[put(one) for one in self.when], then=put(self.then), why=why)

    def broken(self, values: Mapping[str, Any]) -> bool:
        for clause in self.when:
            if clause.path not in values or not clause.holds(values[clause.path]):
                return False
        return self.then.path in values and not self.then.holds(values[self.then.path])


def written_out(conditions: Iterable[Condition], axes: Mapping[str, Axis]) -> list[Condition]:
    """Each condition for every place on its axes."""
    found = []
    for condition in conditions:
        names = list(dict.fromkeys(name for one in condition.clauses for name in names_in(one.path)))
        for place in itertools.product(*(axes[name].numbers for name in names)):
            found.append(condition.at(dict(zip(names, place, strict=True))) if names else condition)
    return found


@dataclass(frozen=True)
class Broken:
    """A condition that does not hold, by its place in the list, with all items that it looks at."""

    number: int
    why: str
    paths: tuple[str, ...]


@dataclass
class Conditions:
    """All conditions of one profile, each for every place."""

    rules: list[Condition]
    items: Mapping[str, Item]
    by_path: dict[str, list[int]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for number, rule in enumerate(self.rules):
            for clause in rule.clauses:
                self.by_path.setdefault(clause.path, []).append(number)

    def __bool__(self) -> bool:
        return bool(self.rules)

    def of(self, values: Mapping[str, Any]) -> dict[str, Any]:
        """Only those values that any condition looks at."""
        return {path: value for path, value in values.items() if path in self.by_path}

    def broken(self, values: Mapping[str, Any]) -> list[Broken]:
        return [
            Broken(number, rule.why, tuple(clause.path for clause in rule.clauses))
            for number, rule in enumerate(self.rules)
            if rule.broken(values)
        ]

    def breaks(self, values: Mapping[str, Any], paths: Iterable[str]) -> frozenset[int]:
        """Numbers of the conditions that look at any of these paths and do not hold."""
        numbers = {number for path in paths for number in self.by_path.get(path, ())}
        return frozenset(number for number in numbers if self.rules[number].broken(values))

    def nearest(self, values: Mapping[str, Any], decided: Iterable[str] = ()) -> dict[str, Any] | None:
        """The changes to `values` after which all conditions hold: as few as can be, each as small as can be, and of
        what was just `decided` none if that can be. Empty where they hold, None where nothing near is allowed."""
        mine = frozenset(decided)
        start = self.of(values)
        counter = itertools.count()
        waiting: list[tuple[float, int, dict[str, Any]]] = [(0.0, next(counter), {})]
        seen: set[tuple[tuple[str, Any], ...]] = set()
        tried = 0
        while waiting and tried < MOST_TRIED:
            cost, _, changes = heapq.heappop(waiting)
            key = tuple(sorted(changes.items(), key=lambda pair: pair[0]))
            if key in seen:
                continue
            seen.add(key)
            tried += 1
            now = {**start, **changes}
            wrong = next((rule for rule in self.rules if rule.broken(now)), None)
            if wrong is None:
                return changes
            for path, value, step in self._ways_out(wrong, now, start, mine):
                if path not in changes:
                    heapq.heappush(waiting, (cost + step, next(counter), {**changes, path: value}))
        return None

    def _ways_out(
        self, wrong: Condition, now: Mapping[str, Any], start: Mapping[str, Any], mine: frozenset[str]
    ) -> Iterable[tuple[str, Any, float]]:
        for clause in wrong.clauses:
            holds = clause is wrong.then
            item = self.items.get(clause.path)
            if item is None or item.reserved or item.secret:
                continue
            near = sorted(
                (distance(item, start[clause.path], value), number, value)
                for number, value in enumerate(_candidates(item, clause, now[clause.path]))
                if clause.holds(value) is holds
            )
            for far, _, value in near[:MOST_OFFERED]:
                yield clause.path, value, 1 + far + (DECIDED if clause.path in mine else 0)


def distance(item: Item, before: Any, after: Any) -> float:
    """How far a value is from another one of its type, under 1: numbers by their span, options by places."""
    if isinstance(item.type, Choice):
        places = [option.value for option in item.type.options]
        if before in places and after in places:
            return abs(places.index(before) - places.index(after)) / (len(places) + 1)
        return 0.9
    numbers = [one for one in (before, after) if isinstance(one, int | float) and not isinstance(one, bool)]
    if len(numbers) == 2:
        span = abs(numbers[0] - numbers[1])
        return span / (span + 100)
    return 0.5


def _candidates(item: Item, clause: Clause, now: Any) -> list[Any]:
    """Values that may be given to an item, among which are the nearest on both sides of a clause."""
    if isinstance(item.type, Choice):
        asked: Sequence[Any] = [option.value for option in item.type.options]
    elif isinstance(item.type, Boolean):
        asked = [True, False]
    else:
        limits = item.type.limits()
        step = limits.get("step", 1) or 1
        edges = [one for one in (clause.at_least, clause.at_most) if one is not None]
        listed = [one for one in (*clause.one_of, *clause.none_of) if isinstance(one, int | float)]
        asked = [*clause.one_of, limits.get("minimum"), limits.get("maximum"), item.default]
        asked = [*asked, *(one + by for one in (*edges, *listed) for by in (0, step, -step))]
    found = []
    for value in asked:
        try:
            good = item.type.check(value)
        except BadValue:
            continue
        if good != now and good not in found:
            found.append(good)
    return found


def problems(conditions: Sequence[Condition], items: Mapping[str, Item], axes: Mapping[str, Axis]) -> Iterable[str]:
    """One sentence for each condition that cannot be judged."""
    for number, condition in enumerate(conditions, 1):
        names = {name for one in condition.clauses for name in names_in(one.path)}
        if unknown := names - axes.keys():
            yield f"conditions, number {number}: {min(unknown)} is not among the axes"
            continue
        for rule in written_out([condition], axes):
            for clause in rule.clauses:
                item = items.get(clause.path)
                if item is None:
                    yield f"conditions, number {number}: {clause.path} is not described"
                    continue
                for value in (*clause.one_of, *clause.none_of):
                    try:
                        written = item.type.canonical(value)
                        if written != value:
                            yield f"conditions, number {number}: {clause.path} is written {written!r}"
                    except BadValue as error:
                        yield f"conditions, number {number}: {clause.path}: {error}"
