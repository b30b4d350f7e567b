"""What was found to be one device: union and find over sightings and records. Pure."""

from __future__ import annotations

from collections.abc import Iterable

from netloom_core.identity.keys import serial_part
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.finding import Known

NOTHING: frozenset[str] = frozenset()


class Cluster:
    __slots__ = ("apart", "keys", "records", "seen", "serials", "shared")

    def __init__(self) -> None:
        # Tuples and no sets: there are tens of thousands, and each container costs the collector of garbage.
        self.keys: dict[str, tuple[str, ...]] = {}  # with the methods by which each came
        self.serials: dict[str, set[str]] = {}  # by method; those of a record of which none is known by ""
        self.records: list[Known] = []
        self.seen: list[Sighting] = []
        self.apart: frozenset[str] = NOTHING
        self.shared: dict[str, str] | None = None  # what it tells and others do, with the reason

    def share(self, key: str, why: str) -> None:
        self.shared = {**(self.shared or {}), key: why}

    def add_key(self, kind: str, key: str, ways: tuple[str, ...]) -> None:
        self.keys[key] = ways
        if kind == "serial":
            self.tells(key, ways)

    def tells(self, key: str, ways: Iterable[str]) -> None:
        """A serial number, which tells it from others even where it names nobody."""
        for way in tuple(ways) or ("",):
            self.serials.setdefault(way, set()).add(serial_part(key))

    @property
    def tells_who(self) -> bool:
        return bool(self.keys or self.serials)

    def told(self) -> set[str]:
        return set().union(*self.serials.values()) if self.serials else set()

    def clashes(self, other: Cluster) -> bool:
        """Whether their serial numbers are two, and not two forms of one."""
        mine, theirs = self.told(), other.told()
        if not mine or not theirs or not mine.isdisjoint(theirs):
            return False
        if "" in self.serials or "" in other.serials:
            return True
        common = self.serials.keys() & other.serials.keys()
        return not common or any(self.serials[way].isdisjoint(other.serials[way]) for way in common)


class Fusion:
    """Clusters by union and find, each with what it may not be joined with."""

    def __init__(self) -> None:
        self._up: list[int] = []
        self.clusters: list[Cluster] = []

    def new(self) -> int:
        self._up.append(len(self._up))
        self.clusters.append(Cluster())
        return len(self._up) - 1

    def find(self, n: int) -> int:
        while self._up[n] != n:
            self._up[n] = self._up[self._up[n]]
            n = self._up[n]
        return n

    def may_join(self, a: Cluster, b: Cluster) -> bool:
        if a.clashes(b):
            return False
        return not (a.apart and a.apart & b.keys.keys()) and not (b.apart and b.apart & a.keys.keys())

    def join(self, one: int, other: int, *, sure: bool = False) -> bool:
        """Whether they are one now; `sure` when it is shown that they are, whatever their serial numbers."""
        one, other = self.find(one), self.find(other)
        if one == other:
            return True
        a, b = self.clusters[one], self.clusters[other]
        if not sure and not self.may_join(a, b):
            return False
        if len(a.seen) + len(a.keys) < len(b.seen) + len(b.keys):
            one, other, a, b = other, one, b, a
        self._up[other] = one
        for key, ways in b.keys.items():
            mine = a.keys.get(key)
            a.keys[key] = ways if mine is None else mine if mine == ways else (*mine, *ways)
        for way, serials in b.serials.items():
            a.serials.setdefault(way, set()).update(serials)
        a.records += b.records
        a.seen += b.seen
        a.apart |= b.apart
        if b.shared:
            a.shared = {**(a.shared or {}), **b.shared}
        return True

    def roots(self) -> list[Cluster]:
        return [self.clusters[n] for n in range(len(self._up)) if self._up[n] == n]
