"""Levels of access: of a device with several codes, which one opens what.

Whoever talks with a device is signed in at its usual level; a higher one only for as long as something needs it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from pydantic import Field

from netloom_core.profiles.item import Item
from netloom_core.types.base import Part


class Level(Part):
    """One level. A profile has them lowest first, each opens all below it. `user` and `password` are the factory's of
    this level; those of the `usual` one, by which it is read, stand under `factory`."""

    name: str = Field(pattern=r"^[a-z0-9-]{1,30}$")
    label: str = Field(max_length=60)
    user: str = Field(default="", max_length=60)
    password: str = Field(default="", max_length=60)
    usual: bool = False


@dataclass(frozen=True)
class Ladder:
    """The levels of one profile, and the items by which their codes are set, by the level that each opens.

    A level is named "" where it is the usual one: what is known of devices with one code holds for those with several.
    """

    levels: tuple[Level, ...]
    codes: Mapping[str, Item]

    @property
    def names(self) -> list[str]:
        """Every level, lowest first, the usual one as "". One without levels has that alone."""
        return ["" if level.usual else level.name for level in self.levels] or [""]

    def named(self, word: str) -> str | None:
        """The level that somebody means by a name; None where there is none of that name."""
        if not word:
            return ""
        return next(("" if level.usual else level.name for level in self.levels if level.name == word), None)

    def of(self, level: str) -> str:
        """The level at which to sign in for what asks for `level`: "" where the usual one is enough."""
        own = self.named(level) or ""
        names = self.names
        return own if own in names and names.index(own) > names.index("") else ""

    def highest(self, levels: Iterable[str]) -> str:
        """The level that is enough for all of these."""
        return max((self.of(level) for level in levels), key=self.names.index, default="")

    def called(self, level: str) -> str:
        """As it stands in a sentence: installer's code."""
        found = next((one for one in self.levels if (one.usual and not level) or one.name == level), None)
        return found.label[:1].lower() + found.label[1:] if found is not None else level or "code"

    def factory(self, level: str) -> tuple[str, str] | None:
        """Name and code of a level above or below the usual one, as factories set them; None where that has none."""
        found = next((one for one in self.levels if not one.usual and one.name == level), None)
        return (found.user, found.password) if found is not None and found.password else None


def problems(levels: Iterable[Level], items: Iterable[Item], procedures: Mapping[str, str]) -> Iterator[str]:
    """One sentence for each thing in which levels do not fit items, and procedures with the level that each needs."""
    names = [level.name for level in levels]
    usual = [level for level in levels if level.usual]
    if names and len(usual) != 1:
        yield "levels: one of them is the usual one, at which it is read"
    if len(set(names)) < len(names):
        yield "levels: two have the same name"
    for level in usual:
        if level.user or level.password:
            yield f"levels: the factory's code of {level.name} stands under factory, since it is the usual one"
    for procedure, name in procedures.items():
        if name and name not in names:
            yield f"procedures.{procedure}: level names {name!r}, which is not among the levels"
    opened: set[str] = set()
    for item in items:
        for what, name in (("level", item.level), ("opens", item.opens)):
            if name and name not in names:
                yield f"{item.path}: {what} names {name!r}, which is not among the levels"
        if item.opens and item.role != "password":
            yield f"{item.path}: only a password opens a level"
        if item.role == "password" and names:
            opens = item.opens or usual[0].name if usual else item.opens
            if opens in opened:
                yield f"{item.path}: {opens} has a code already"
            opened.add(opens)
