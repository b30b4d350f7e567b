"""The firmware of a model: which files are for it, how its versions compare, and which it should not have."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from itertools import zip_longest
from typing import Literal

from pydantic import Field, model_validator

from netloom_core.profiles.bounds import Bounds
from netloom_core.types.base import Part

Standing = Literal["", "behind", "refused", "enough"]
Version = tuple[tuple[int, str], ...]
MOST = 60  # characters of a version
_PARTS = re.compile(r"\d+|[a-z]+")
_DATE = re.compile(r"^(\d{4})[-./]?(\d{1,2})[-./]?(\d{1,2})$")


def _parts(text: str) -> Version:
    """Numbers by their value, words by their letters; a number comes after the end, which comes after a word.

    So 2.0 < 2.0.1, and 2.0rc1 < 2.0, as release candidates are meant.
    """
    return tuple((int(part), "") if part.isdecimal() else (-1, part) for part in _PARTS.findall(text))


def _dotted(text: str) -> Version | None:
    parts = list(_parts(text))
    while parts and parts[-1] == (0, ""):
        parts.pop()  # 2.4 is 2.4.0
    return tuple(parts) if re.search(r"\d", text) else None


def _letters(text: str) -> Version | None:
    """A letter after the number is a later issue of it: 2.4 < 2.4a < 2.4b."""
    found = re.fullmatch(r"(\d+(?:\.\d+)*)([a-z]*)", text)
    if found is None:
        return None
    numbers = _dotted(found[1]) or ()
    return (*numbers, (0, found[2])) if found[2] else numbers


def _dated(text: str) -> Version | None:
    found = _DATE.match(text)
    return tuple((int(part), "") for part in found.groups()) if found else None


def _build(text: str) -> Version | None:
    """The last number counts alone: 3.1 (build 2207)."""
    numbers = re.findall(r"\d+", text)
    return ((int(numbers[-1]), ""),) if numbers else None


SCHEMES: dict[str, Callable[[str], Version | None]] = {
    "dotted": _dotted,
    "letters": _letters,
    "dated": _dated,
    "build": _build,
}


class NotThat(Part):
    """A version that should not be had, and why."""

    version: str = Field(min_length=1, max_length=MOST)
    why: str = Field(min_length=1, max_length=200)


class FirmwarePart(Part):
    """A part of the device with a version of its own, as the other half of a kit: the fact that tells it."""

    label: str = Field(min_length=1, max_length=60)
    fact: str = Field(min_length=1, max_length=60)


class Renamed(Part):
    """A setting that has another path from that version on."""

    since: str = Field(min_length=1, max_length=MOST)
    old: str = Field(pattern="^/", max_length=200)
    new: str = Field(pattern="^/", max_length=200)


class Wanted(Bounds):
    """What the item at `path` has to be before a file is sent; `why` says what that is, in words."""

    path: str = Field(pattern="^/", max_length=200)
    why: str = Field(min_length=1, max_length=200)


class Firmware(Part):
    """`codes` are product codes that its files bear, `files` patterns of their names (as of a shell).

    `header` is a regular expression that fits the beginning of a file (the first 4096 bytes, each one letter of
    Latin-1), with the groups `code`, `version` and, where it has one, `hardware`: revisions, apart by commas. Without
    a header, what `*` stands for in the file's name is its version.

    `hardware` is the fact that tells a unit's revision, `parts` further parts with versions of their own. `away` is
    how long it usually is gone after it took a file, `unplug` whether it must have power all that time.
    `power_cycle` is set where it works with the new version only after a power cut, `interrupts` names what stands
    still meanwhile. `loader` are facts by which it shows that it has no application, or waits for one; `becomes` are
    the profiles that other applications make of it, by the product codes of those. `rest` is the procedure that is
    needed afterwards. `before` is what has to hold before the first byte, as of its supply and its line.

    `least` is the oldest version that does what this profile says, `why` what an older one lacks. `scheme` says how
    versions compare: `dotted` (2.10 after 2.9, 2.0rc1 before 2.0), `letters` (2.4a after 2.4), `dated`
    (2026-03-01), `build` (the last number alone).
    """

    header: str = Field(default="", max_length=400)
    hardware: str = Field(default="", max_length=60)
    parts: list[FirmwarePart] = Field(default=[], max_length=8)
    away: float = Field(default=20, ge=0, le=3600)
    unplug: bool = True
    power_cycle: bool = False
    interrupts: list[str] = Field(default=[], max_length=8)
    loader: dict[str, str] = {}
    becomes: dict[str, str] = Field(default={}, max_length=8)
    renames: list[Renamed] = Field(default=[], max_length=100)
    rest: Literal["", "initialise", "factory-reset"] = ""
    before: list[Wanted] = Field(default=[], max_length=8)
    codes: list[str] = Field(default=[], max_length=20)
    files: list[str] = Field(default=[], max_length=20)
    scheme: Literal["dotted", "letters", "dated", "build"] = "dotted"
    least: str = Field(default="", max_length=MOST)
    why: str = Field(default="", max_length=200)
    refused: list[NotThat] = Field(default=[], max_length=20)

    @model_validator(mode="after")
    def _readable(self) -> Firmware:
        for version in [self.least, *(one.version for one in self.refused)]:
            if version and self.key(version) is None:
                raise ValueError(f"firmware: {version!r} is no {self.scheme} version")
        if self.least and not self.why:
            raise ValueError("firmware: say why the oldest version is that one")
        if self.header:
            try:
                groups = set(re.compile(self.header).groupindex)
            except re.error as error:
                raise ValueError(f"firmware.header: {self.header!r} is no regular expression: {error}") from None
            if not {"code", "version"} <= groups or not self.codes:
                raise ValueError("firmware.header: it needs the groups code and version, and codes to compare with")
        return self

    def key(self, version: str) -> Version | None:
        """What versions are compared by; None for what is none of this scheme."""
        return SCHEMES[self.scheme](version.strip().lower().removeprefix("v")[:MOST])

    def compare(self, one: str, other: str) -> int | None:
        """-1, 0 or 1; None where either is no version of this scheme."""
        a, b = self.key(one), self.key(other)
        if a is None or b is None:
            return None
        for left, right in zip_longest(a, b, fillvalue=(-0.5, "")):
            if left != right:
                return -1 if left < right else 1
        return 0

    def takes(self, code: str) -> bool:
        """Whether a file with that product code may be loaded into it at all."""
        return not self.codes or code in self.codes or code in self.becomes

    def waits(self, facts: Mapping[str, str]) -> bool:
        """Whether these facts show a unit without an application, or in its loader."""
        return bool(self.loader) and all(
            facts.get(name, "").casefold() == v.casefold() for name, v in self.loader.items()
        )

    def mixed(self, version: str, facts: Mapping[str, str]) -> str:
        """Which of its parts have another version than the rest, in words; empty where all agree or none tells."""
        odd = [
            f"{part.label} has {has}"
            for part in self.parts
            if version and (has := facts.get(part.fact, "")) and self.compare(has, version) != 0
        ]
        return f"{'; '.join(odd)}, and it has {version}." if odd else ""

    def standing(self, version: str) -> tuple[Standing, str]:
        """What is to be said of a device with that version: a word, and the reason."""
        for one in self.refused:
            if self.compare(version, one.version) == 0:
                return "refused", one.why
        if not self.least:
            return "", ""
        order = self.compare(version, self.least)
        if order is None:
            return "", ""
        return ("behind", f"{self.least} at least: {self.why}") if order < 0 else ("enough", "")
