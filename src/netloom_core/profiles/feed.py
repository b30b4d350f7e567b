"""What a device shows only as long as somebody says it again and again."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from pydantic import Field, model_validator

from netloom_core.profiles.item import Item, Need
from netloom_core.types.base import Part


class Feed(Part):
    """A driven point that a source outside says at a rate: `every` so many seconds, between `quickest` and `slowest`.

    `driven` are live states by which it tells that it is driven from outside (and, where it does so then, that its own
    keys are off); `why` of each says in words what holds then. `alone` is what it tells when nothing was said for
    `after` seconds, in the same form.
    """

    point: str = Field(max_length=120)
    label: str = Field(max_length=80)
    every: float = Field(default=1.0, gt=0, le=600)
    quickest: float = Field(default=0.2, ge=0.05, le=600)
    slowest: float = Field(default=60.0, gt=0, le=600)
    driven: list[Need] = Field(min_length=1, max_length=8)
    after: float = Field(gt=0, le=600)
    alone: list[Need] = Field(min_length=1, max_length=8)

    @model_validator(mode="after")
    def _in_order(self) -> Feed:
        if not self.quickest <= self.every <= self.slowest:
            raise ValueError("every is not between quickest and slowest")
        if any(not need.why for need in (*self.driven, *self.alone)):
            raise ValueError("each state that it tells says in words (why) what holds then")
        return self


def problems(feeds: Iterable[Feed], points: Mapping[str, Item], by_path: Mapping[str, Item]) -> Iterator[str]:
    """One sentence for each thing that would fail when somebody feeds it. `points` are by short name, `by_path` the
    same ones by path."""
    fed: set[str] = set()
    for feed in feeds:
        where = f"feeds, {feed.point}"
        if feed.point in fed:
            yield f"{where}: it is fed in two ways"
        fed.add(feed.point)
        if feed.point not in points or not points[feed.point].drive:
            yield f"{where}: it is no driven point"
        for need in (*feed.driven, *feed.alone):
            told = by_path.get(need.path)
            if told is None or not told.live:
                yield f"{where}: {need.path} is no live point"
            elif told.states and not {told.state_of(value) for value in need.one_of} <= set(told.states):
                yield f"{where}: {need.path} has no such states"
