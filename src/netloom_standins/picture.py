"""Signals over the site's cables: what each unit sees at its inputs and outputs follows from what is plugged in where.

A site names its `sources` (what is no unit: a player, a laptop), its `cables`, `from` and `to` as `Unit name / jack`
or the name of a source, and under `screens` in which way one is unlike its model: what is `wrong` with its EDID (see
edids.py), or that it is `unprotected`. A unit's description says under `signals` what its jacks are.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ConfigDict

from netloom_standins import edids
from netloom_standins.described.memory import spread

EVERY_S = 0.1
MOST_HOPS = 40
_FORMAT = re.compile(r"^\d{3,5}x\d{3,5}[pi]\d{2,3}$")


class Jack(BaseModel):
    """Where a signal comes `in` or goes `out`, and which values of the unit's memory follow from that.

    `by` chooses from where an output has its signal, `of` which input that is (`in-{value}`); `fixed` is one input
    always. `when` is a value that has to be there: path and word. `takes` is the EDID that an input shows by itself.
    """

    model_config = ConfigDict(extra="forbid")

    way: str
    signal: str = ""
    format: str = ""
    size: str = ""  # the format without its rate
    linked: str = ""  # whether the unit at the other end is on
    protected: str = ""
    taken: str = ""  # of an output: whether somebody takes it
    edid: str = ""  # of an input the one that it shows, of an output that of what is behind it
    by: str = ""
    of: str = ""
    fixed: str = ""
    mirror: str = ""  # a value that makes it show what another one shows, where it is not 0
    mirrors: str = ""  # which one that is (`out-{value}`)
    when: dict[str, Any] = {}
    takes: dict[str, Any] = {}
    looks: str = ""  # `by` of a screen: it sees what it is switched to
    wakes: str = ""  # of an output: driven, it switches the display behind it by the cable
    volume: str = ""  # the same for its sound; of a screen what is changed then
    plays: str = ""  # of an input: driven, it tells the player behind it what to do, by the cable
    power: str = ""  # of a screen: what is switched then
    needs: dict[str, str] = {}  # values without which the unit has no such jack


@dataclass(frozen=True)
class Signal:
    format: str
    protected: bool = False


def laid(jacks: dict[str, Any]) -> dict[str, Jack]:
    """`in-{1..8}` with all its paths as its eight."""
    found: dict[str, Jack] = {}
    for name, form in jacks.items():
        names = list(spread(name))
        for at, one in enumerate(names):
            each = {key: _at(value, at, len(names)) for key, value in form.items()}
            found[one] = Jack.model_validate(each)
    return found


def _at(value: Any, at: int, count: int) -> Any:
    if isinstance(value, dict):
        return {_at(key, at, count): _at(one, at, count) for key, one in value.items()}
    if not isinstance(value, str) or ".." not in value:
        return value
    return list(spread(value))[at] if re.search(r"\{\d+\.\.\d+\}", value) else value


class Picture:
    """All signals of a site. `settle` works them out anew; it is called whenever a unit's memory changes."""

    def __init__(self, site: dict[str, Any], units: Iterable[Any]) -> None:
        self.sources = {
            one["name"]: Signal(one.get("format", "1920x1080p60"), one.get("protected", False))
            for one in site.get("sources", [])
        }
        self.playing: dict[str, str] = {}  # what a source was told by its cable
        self.off: set[str] = set()  # sources that are switched off, cables that are pulled: by name of their target
        self._units = {unit.name: unit for unit in units if getattr(unit, "description", None) is not None}
        self._jacks = {
            name: laid(unit.description.signals) for name, unit in self._units.items() if unit.description.signals
        }
        self._into: dict[tuple[str, str], tuple[str, str]] = {}
        self._from: dict[tuple[str, str], tuple[str, str]] = {}
        for cable in site.get("cables", []):
            start, end = _end(cable["from"]), _end(cable["to"])
            self._into[end] = start
            self._from[start] = end
        self._screens: dict[str, dict[str, Any]] = site.get("screens", {})
        self._settling = False
        self._edids: dict[str, str] = {}
        for name in self._jacks:
            self._units[name].memory.changed.append(lambda path, value, name=name: self._changed(name, path, value))
        self._were: tuple[Any, ...] = ()

    def _changed(self, name: str, path: str, value: Any) -> None:
        if not self._settling:
            for ident, jack in self._jacks[name].items():
                if jack.way == "out" and path in (jack.wakes, jack.volume):
                    self._switch(name, ident, str(value), "volume" if path == jack.volume else "power")
                elif path == jack.plays and (start := self._into.get((name, ident))) and start[0] in self.sources:
                    self.playing[start[0]] = str(value)
        self.settle()

    def _switch(self, name: str, ident: str, word: str, what: str, hops: int = 0) -> None:
        """By the cable, through kits, to the display at its end."""
        end = self._from.get((name, ident))
        if end is None or hops > MOST_HOPS or end[0] not in self._units or not self._units[end[0]].up:
            return
        unit, jack = self._units[end[0]], self._jacks.get(end[0], {}).get(end[1])
        if jack is not None and jack.power:
            if place := getattr(jack, what):
                unit.written(place, word)
            return
        for other, out in self._jacks.get(end[0], {}).items():
            if out.way == "out" and out.fixed == end[1]:
                self._switch(end[0], other, word, what, hops + 1)

    def told(self) -> list[dict[str, Any]]:
        return [
            {"name": name, "on": name not in self.off, "format": one.format, "protected": one.protected}
            for name, one in self.sources.items()
        ]

    def turn(self, name: str, about: dict[str, Any]) -> None:
        """A source on or off, or to another format. Raises ValueError for what is none."""
        one = self.sources[name]
        shape, protected, on = about.get("format", one.format), about.get("protected", one.protected), about.get("on")
        if not isinstance(shape, str) or not _FORMAT.match(shape):
            raise ValueError("a format is such as 1920x1080p60")
        if not isinstance(protected, bool) or on not in (None, True, False):
            raise ValueError("on and protected are true or false")
        self.sources[name] = Signal(shape, protected)
        if on is not None:
            (self.off.discard if on else self.off.add)(name)
        self.settle()

    async def keep(self) -> None:
        """Units come and go without a word: they are looked at now and then."""
        while True:
            now = tuple(self._units[name].up for name in self._jacks)
            if now != self._were:
                self._were = now
                self.settle()
            await asyncio.sleep(EVERY_S)

    def settle(self) -> None:
        if self._settling:
            return
        self._settling = True
        try:
            for name, jacks in self._jacks.items():
                if self._units[name].up:
                    for ident, jack in jacks.items():
                        self._tell(name, ident, jack)
        finally:
            self._settling = False

    def _tell(self, name: str, ident: str, jack: Jack) -> None:
        unit = self._units[name]
        if any(str(unit.memory.value(path)) != word for path, word in jack.needs.items()):
            return
        if jack.way == "in":
            if jack.looks and str(unit.memory.value(jack.looks)) != ident:
                return
            signal = self._comes(name, ident)
            if signal is not None and jack.takes and not self._shows(jack, signal):
                signal = None
            self._put(unit, jack.signal, "on" if signal else "off")
            self._put(unit, jack.format, signal.format if signal else "-")
            self._put(unit, jack.size, re.split("[pi]", signal.format)[0] if signal else "-")
            self._put(unit, jack.linked, "on" if self._there(self._into.get((name, ident))) else "off")
            self._put(unit, jack.protected, "on" if signal and signal.protected else "off")
            return
        end = self._from.get((name, ident))
        other = self._jacks.get(end[0], {}).get(end[1]) if end else None
        there = self._there(end)
        self._put(unit, jack.taken, "on" if there else "off")
        self._put(unit, jack.edid, self._behind(end, other) if there and end and other else "")

    def _there(self, end: tuple[str, str] | None) -> bool:
        return end is not None and (end[0] not in self._units or self._units[end[0]].up) and end[0] not in self.off

    @staticmethod
    def _shows(jack: Jack, signal: Signal) -> bool:
        """A display with a lie in its EDID says that it takes more than it does."""
        most = jack.takes.get("forum", jack.takes.get("hdmi", 165))
        return most > 340 or not signal.format.startswith(("3840x2160p6", "3840x2160p5"))

    def _behind(self, end: tuple[str, str], jack: Jack) -> str:
        if jack.takes:
            key = f"{end[0]}/{end[1]}"
            if key not in self._edids:
                unit = self._units[end[0]]
                about = {"name": unit.profile.model, "serial_text": unit.serial, **jack.takes}
                about |= self._screens.get(end[0], {})
                self._edids[key] = edids.made(about).hex()
            return self._edids[key]
        unit = self._units[end[0]]
        return str(unit.memory.value(jack.edid)) if jack.edid else ""

    def _comes(self, name: str, ident: str, hops: int = 0) -> Signal | None:
        start = self._into.get((name, ident))
        if start is None or hops > MOST_HOPS or name in self.off or start[0] in self.off:
            return None
        if start[0] in self.sources and not start[1]:
            return self.sources[start[0]]
        return self._goes(*start, hops=hops + 1)

    def _goes(self, name: str, ident: str, hops: int) -> Signal | None:
        jack, unit = self._jacks.get(name, {}).get(ident), self._units.get(name)
        if jack is None or unit is None or not unit.up:
            return None
        if any(unit.memory.value(path) != value for path, value in jack.when.items()):
            return None
        if jack.mirror and (other := unit.memory.value(jack.mirror)):
            return self._goes(name, jack.mirrors.replace("{value}", str(other)), hops + 1) if hops < MOST_HOPS else None
        inner = jack.fixed or jack.of.replace("{value}", str(unit.memory.value(jack.by)))
        signal = self._comes(name, inner, hops)
        end = self._from.get((name, ident), ("", ""))
        if signal is not None and signal.protected and self._screens.get(end[0], {}).get("unprotected"):
            return None
        return signal

    @staticmethod
    def _put(unit: Any, path: str, value: Any) -> None:
        if not path or path not in unit.memory.cells:
            return
        if unit.memory.cells[path].flag:
            value = value == "on"
        if unit.memory.value(path) != value:
            unit.memory.set(path, value)


def _end(words: str) -> tuple[str, str]:
    name, _, jack = words.rpartition(" / ")
    return (name, jack) if name else (jack, "")
