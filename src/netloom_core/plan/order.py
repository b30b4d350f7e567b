"""The order of writes in which a device never has values together that its profile forbids. Pure.

What works at once is written one after the other. What works when it is stored, and then what waits for the restart,
comes to work together, at one point of that order. The order that is asked for is kept where it can be.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from netloom_core.model.change import Change
from netloom_core.profiles.conditions import Conditions

MOST_LOOKED_AT = 20_000  # states, before it is said that no order was found
MOST_SEARCHED = 200  # changes that conditions join, of which all orders are looked at


@dataclass(frozen=True)
class Order:
    """`first` are written before the store and the restart, `late` after them and kept by another store, `last` are
    those that nothing keeps."""

    first: list[Change]
    late: list[Change]
    last: list[Change]


def ordered(
    conditions: Conditions,
    values: Mapping[str, Any],
    at_once: Sequence[Change],
    on_store: Sequence[Change],
    staged: Sequence[Change],
    after: Sequence[Change] = (),
) -> Order | None:
    """An order in which no condition that holds now is broken on the way; None where there is none, or none was found.

    `values` are those that run now; `after` are changes that have to come after the restart.
    """
    together = [[change for change in group if change.path in conditions.by_path] for group in (on_store, staged)]
    bound = [change for change in at_once if change.path in conditions.by_path]
    if not (bound or any(together)):
        return Order(list(at_once), [], list(after))
    start = conditions.of(values)
    first: list[Change] = []
    late: list[Change] = []
    for part, joined in _apart(conditions, [*bound, *after], together):
        only_late = {id(change) for change in after}
        # Of parts that have nothing to do with what comes to work together, only its time is of matter.
        search = _Search(conditions, start, part, only_late, together if joined else [])
        found = search.run()
        if found is None:
            return None
        first += found[0]
        late += found[1]
    free = [change for change in at_once if change.path not in conditions.by_path]
    own = {id(change) for change in after}
    last = [change for change in late if id(change) in own]
    unbound = [change for change in after if change.path not in conditions.by_path]
    return Order(_woven(at_once, free, first), [c for c in late if id(c) not in own], last + unbound)


def _apart(
    conditions: Conditions, singles: Sequence[Change], together: Sequence[Sequence[Change]]
) -> list[tuple[list[Change], bool]]:
    """Changes that no condition joins are ordered apart; what comes to work together belongs to one part, which is
    marked."""
    parent: dict[str, str] = {path: path for path in conditions.by_path}

    def root(path: str) -> str:
        while parent[path] != path:
            parent[path] = parent[parent[path]]
            path = parent[path]
        return path

    for rule in conditions.rules:
        for clause in rule.clauses[1:]:
            parent[root(clause.path)] = root(rule.clauses[0].path)
    at_one_time = [change for group in together for change in group]
    for change in at_one_time[1:]:
        parent[root(change.path)] = root(at_one_time[0].path)
    parts: dict[str, list[Change]] = {}
    for change in singles:
        if change.path in parent:
            parts.setdefault(root(change.path), []).append(change)
    mark = root(at_one_time[0].path) if at_one_time else ""
    if at_one_time:
        parts.setdefault(mark, [])
    return [(part, place == mark) for place, part in parts.items()]


def _woven(wanted: Sequence[Change], free: Sequence[Change], bound: Sequence[Change]) -> list[Change]:
    """Those that no condition looks at keep their places among the others."""
    left = list(bound)
    loose = set(map(id, free))
    made: list[Change] = []
    for change in wanted:
        if id(change) in loose:
            made.append(change)
        elif left:
            made.append(left.pop(0))
    return made + left


class _Search:
    """Depth first, in the order that is asked for; a state is looked at once, since how it was reached is of no matter.

    None in a way stands for the store and the restart. Where there are too many for that, the first that may come next
    is taken each time.
    """

    def __init__(
        self,
        conditions: Conditions,
        start: dict[str, Any],
        singles: Sequence[Change],
        only_late: set[int],
        together: Sequence[Sequence[Change]],
    ) -> None:
        self._conditions = conditions
        self._start = start
        self._singles = list(singles)
        self._late = only_late
        self._together = together
        self._wrong_now = conditions.breaks(start, conditions.by_path)
        self._dead: set[tuple[int, bool]] = set()
        self._looked_at = 0

    def run(self) -> tuple[list[Change], list[Change]] | None:
        way = self._straight()
        if way is None and len(self._singles) <= MOST_SEARCHED:
            way = self._from(0, False, dict(self._start))
        if way is None:
            return None
        at = way.index(None)
        first = [change for change in way[:at] if change is not None]
        return first, [change for change in way[at:] if change is not None]

    def _straight(self) -> list[Change | None] | None:
        """Without ever going back."""
        state, left, passed = dict(self._start), list(self._singles), False
        way: list[Change | None] = []
        while left or not passed:
            for change in left:
                after = {**state, change.path: change.after}
                if (passed or id(change) not in self._late) and self._good(after, [change]):
                    state = after
                    left.remove(change)
                    way.append(change)
                    break
            else:
                after_all = None if passed else self._all_together(state)
                if after_all is None:
                    return None
                state, passed = after_all, True
                way.append(None)
        return way

    def _from(self, done: int, passed: bool, state: dict[str, Any]) -> list[Change | None] | None:
        """The rest of the way."""
        if done == (1 << len(self._singles)) - 1 and passed:
            return []
        if (done, passed) in self._dead or self._looked_at >= MOST_LOOKED_AT:
            return None
        self._looked_at += 1
        for number, change in enumerate(self._singles):
            if done >> number & 1 or (not passed and id(change) in self._late):
                continue
            after = {**state, change.path: change.after}
            if self._good(after, [change]):
                rest = self._from(done | 1 << number, passed, after)
                if rest is not None:
                    return [change, *rest]
        if not passed and (after_all := self._all_together(state)) is not None:
            rest = self._from(done, True, after_all)
            if rest is not None:
                return [None, *rest]
        self._dead.add((done, passed))
        return None

    def _all_together(self, state: dict[str, Any]) -> dict[str, Any] | None:
        for group in self._together:
            state = {**state, **{change.path: change.after for change in group}}
            if group and not self._good(state, group):
                return None
        return state

    def _good(self, state: Mapping[str, Any], changed: Sequence[Change]) -> bool:
        return self._conditions.breaks(state, [change.path for change in changed]) <= self._wrong_now
