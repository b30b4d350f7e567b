"""How a device joins something that another one makes: a wireless network, a server, a parent."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from pydantic import Field

from netloom_core.profiles.item import Item
from netloom_core.types.base import BadValue, Part

Value = str | int | float | bool


class Proof(Part):
    """What the device says afterwards, where it joined: the state of a point, by its short name."""

    point: str = Field(max_length=120)
    states: list[str] = Field(min_length=1, max_length=8)


class Joining(Part):
    """`equal` are paths of this device and what has to be the same on the other one, taken from there; `sets` what
    joining needs besides. `makes` is what the other one has to be, where it tells. `proof` shows that it is joined."""

    name: str = Field(max_length=60)
    equal: dict[str, str] = Field(min_length=1, max_length=20)
    sets: dict[str, Value] = {}
    makes: dict[str, Value] = {}
    proof: Proof | None = None


def problems(joins: Iterable[Joining], items: Mapping[str, Item], points: Mapping[str, Item]) -> Iterator[str]:
    """One sentence for each thing that would fail when somebody joins it."""
    names: set[str] = set()
    for join in joins:
        where = f"joins, {join.name}"
        if join.name in names:
            yield f"{where}: there are two of that name"
        names.add(join.name)
        for path in (*join.equal, *join.sets):
            if path not in items or items[path].reserved:
                yield f"{where}: {path} is no item that is decided"
        for path, value in join.sets.items():
            try:
                if path in items:
                    items[path].type.check(value)
            except BadValue as error:
                yield f"{where}: {path}: {error}"
        if join.proof is not None:
            point = points.get(join.proof.point)
            if point is None or not set(join.proof.states) <= set(point.states):
                yield f"{where}: its proof {join.proof.point} has no such states"
