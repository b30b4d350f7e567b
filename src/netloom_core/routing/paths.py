"""What reaches a display, or wherever else a signal ends: through which devices, where it stops, and why."""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass, field
from typing import Literal

from netloom_core.edid.choose import takes
from netloom_core.edid.model import Edid
from netloom_core.edid.parse import NoEdid, parse
from netloom_core.routing.site import End, Site, Thing

Kind = Literal["no-cable", "no-signal", "not-routed", "held", "protected", "format", "not-taken", "unknown", "loop"]
FORMAT = re.compile(r"^(\d{3,5})x(\d{3,5})\s?([pi]?)\s?@?(\d{2,3}(?:\.\d+)?)?(?:\s?Hz)?$")
MOST_HOPS = 64


@dataclass(frozen=True)
class Hop:
    """A device on the way. `into` and `out` are its jacks, empty where the way begins or ends in it. `by` is the item
    that chose; `present` whether it says that a signal comes in, None where it does not say; `format` which."""

    device: str
    into: str
    out: str
    by: str = ""
    present: bool | None = None
    format: str = ""
    cable: str = ""  # by which it comes in


@dataclass(frozen=True)
class Stop:
    kind: Kind
    device: str
    jack: str
    why: str


@dataclass(frozen=True)
class Path:
    """`hops` from the source to the end. The first of `stops` is the cause; the others come to light when it is gone.

    `arrives` is None where no device at the end says whether a signal is there; `source` is what it comes from in
    words, empty where nobody knows.
    """

    end: End
    source: str
    hops: tuple[Hop, ...]
    stops: tuple[Stop, ...] = ()
    notes: tuple[str, ...] = ()
    arrives: bool | None = None


@dataclass
class _Way:
    hops: list[Hop] = field(default_factory=list)  # from the end to the source
    source: str = ""
    begun: Stop | None = None  # why it is not known or led any further back


def paths(site: Site) -> list[Path]:
    """Of every screen, and of every output into which no other device of the site is plugged but somebody is."""
    plugged = {cable.source for cable in site.cables if cable.target.device}
    found = []
    for thing in site.things.values():
        for ident, jack in thing.jacks.items():
            if jack.way == "shown" or (
                jack.way == "out" and End(thing.id, ident) not in plugged and _wanted(site, thing, ident)
            ):
                found.append(path_to(site, End(thing.id, ident)))
    return found


def _wanted(site: Site, thing: Thing, ident: str) -> bool:
    """Somebody is known to be there: a cable to what is not on record, or the device says so."""
    jack = thing.jacks[ident]
    return thing.told(jack.connected) is True or any(c.source == End(thing.id, ident) for c in site.cables)


def path_to(site: Site, end: End) -> Path:
    way = _back(site, end)
    hops = tuple(reversed(way.hops))
    stops = _stops(site, hops)
    if way.begun is not None and way.begun.kind != "no-cable":
        stops.insert(0, way.begun)
    elif way.begun is not None and hops[0].present is not True:
        stops.append(way.begun)  # of what stops it, a cable that nobody recorded is the least
    return Path(end, way.source, hops, tuple(stops), tuple(_notes(site, hops)), hops[-1].present if hops else None)


def _back(site: Site, end: End) -> _Way:
    way = _Way()
    at, seen = end, {end}
    for _ in range(MOST_HOPS):
        thing = site.things[at.device]
        feed = site.feed(thing, at.jack)
        if feed is None:
            way.hops.append(Hop(thing.id, "", at.jack))
            way.source = thing.name
            return way
        inner = feed.always
        if feed.by:
            value = thing.facts.get(feed.by)
            if value is None:
                way.hops.append(Hop(thing.id, "", at.jack, feed.by))
                way.begun = Stop("unknown", thing.id, at.jack, f"{thing.profile.called(feed.by)} was not read yet")
                return way
            inner = feed.table.get(str(value), "")
        jack = thing.jacks.get(inner)
        if jack is None:
            way.hops.append(Hop(thing.id, "", at.jack, feed.by))
            way.begun = Stop("not-routed", thing.id, at.jack, f"{_called(thing, at.jack)} has no input")
            return way
        if jack.way == "made":
            way.hops.append(Hop(thing.id, inner, at.jack, feed.by, thing.told(jack.present), thing.text(jack.format)))
            way.source = f"{thing.name}: {jack.label}" if jack.label else thing.name
            return way
        cable = site.into.get(End(thing.id, inner))
        present, told = thing.told(jack.present), thing.text(jack.format)
        way.hops.append(Hop(thing.id, inner, at.jack, feed.by, present, told, cable.id if cable else ""))
        if cable is None:
            way.begun = Stop(
                "no-cable", thing.id, inner, f"What is plugged into {_called(thing, inner)} is not recorded"
            )
            return way
        if not cable.source.device:
            way.source = cable.source.jack
            return way
        at = cable.source
        if at in seen or at.device not in site.things:
            way.begun = Stop("loop", thing.id, inner, "The cables lead in a circle")
            return way
        seen.add(at)
    way.begun = Stop("loop", end.device, end.jack, f"It goes over more than {MOST_HOPS} devices")
    return way


def _called(thing: Thing, jack: str) -> str:
    known = thing.profile.jacks.get(jack)
    return f"{known.label or jack} of {thing.name}" if known is not None else thing.name


def _stops(site: Site, hops: tuple[Hop, ...]) -> list[Stop]:
    found: list[Stop] = []
    shape, protected, before = "", False, True
    for hop in hops:
        thing = site.things[hop.device]
        into, out = thing.jacks.get(hop.into), thing.jacks.get(hop.out)
        if into is not None:
            shape = hop.format or shape
            protected = protected or thing.told(into.protected) is True
            held = [
                Stop("held", thing.id, hop.into, n.why or thing.profile.called(n.path))
                for n in into.stops
                if thing.stopped(n)
            ]
            found += held
            if hop.present is False and before and not held:
                found.append(Stop("no-signal", thing.id, hop.into, f"No signal comes in at {_called(thing, hop.into)}"))
            before = before and hop.present is not False
            behind = _edid(thing.text(into.edid)) if out is not None and out.way == "shown" else None
            found += _not_shown(thing, hop.into, shape, behind)
        if out is None:
            continue
        found += [
            Stop("held", thing.id, hop.out, n.why or thing.profile.called(n.path))
            for n in out.stops
            if thing.stopped(n)
        ]
        if thing.told(out.connected) is False:
            found.append(
                Stop("not-taken", thing.id, hop.out, f"{_called(thing, hop.out)} says that nothing is plugged in")
            )
        if protected and thing.told(out.passes_protected) is False:
            found.append(
                Stop(
                    "protected",
                    thing.id,
                    hop.out,
                    f"The picture is protected, and what is behind {_called(thing, hop.out)} has no protection",
                )
            )
        found += _not_shown(thing, hop.out, shape, _edid(thing.text(out.edid_behind)))
    kinds: set[tuple[str, str]] = set()
    return [one for one in found if not ((key := (one.kind, one.why)) in kinds or kinds.add(key))]  # type: ignore[func-returns-value]


_read: dict[str, Edid | None] = {}


def _edid(text: str) -> Edid | None:
    """Parsed once; there are few of them, and the same ones again and again."""
    if not text:
        return None
    if text not in _read:
        if len(_read) > 500:
            _read.clear()
        try:
            _read[text] = parse(bytes.fromhex(text))
        except (NoEdid, ValueError):
            _read[text] = None
    return _read[text]


def _not_shown(thing: Thing, jack: str, shape: str, edid: Edid | None) -> list[Stop]:
    found = FORMAT.match(shape)
    if edid is None or found is None:
        return []
    width, height, how = int(found[1]), int(found[2]), found[3]
    rate = float(found[4]) if found[4] else None  # some say the size alone
    if takes(edid, width, height, rate, interlaced=how == "i"):
        return []
    who = edid.name or "the display"
    return [Stop("format", thing.id, jack, f"{who} at {_called(thing, jack)} does not say that it takes {shape}")]


def _notes(site: Site, hops: tuple[Hop, ...]) -> list[str]:
    """What stops nothing and is worth a look: two halves of a kit with unlike versions."""
    found = []
    for one, other in itertools.pairwise(hops):
        here, there = site.things[one.device], site.things[other.device]
        jack = there.jacks.get(other.into)
        if jack is None or jack.carries != "link" or here.profile.id != there.profile.id:
            continue
        if here.firmware and there.firmware and here.firmware != there.firmware:
            found.append(f"{here.name} has firmware {here.firmware}, its other half {there.name} {there.firmware}")
    return found
