"""What reaches a display, or wherever else a signal ends: through which devices, where it stops, and why."""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass, field
from typing import Literal

from netloom_core.edid.choose import takes
from netloom_core.edid.model import Edid
from netloom_core.edid.parse import NoEdid, parse
from netloom_core.profiles.jacks import called
from netloom_core.profiles.signals import Jack
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


def behind(site: Site, start: End) -> list[tuple[str, str]]:
    """The ends that an input reaches as everything is routed: what people call each, and the EDID that is told there,
    empty where none is. What is told nearest to a display counts."""
    found = []
    for path in paths(site):
        at = next((n for n, hop in enumerate(path.hops) if (hop.device, hop.into) == (start.device, start.jack)), None)
        if at is None:
            continue
        told = ""
        for hop in path.hops[at:]:
            thing = site.things[hop.device]
            out = thing.jacks.get(hop.out)
            told = (thing.text(out.edid_behind) if out is not None else "") or told
        end = site.things[path.end.device]
        jack = end.jacks[path.end.jack]
        found.append((end.name if jack.way == "shown" else _called(end, path.end.jack), told))
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
            way.source = f"{thing.name}: {called(thing.profile, jack, thing.facts)}" if jack.label else thing.name
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
    known = thing.jacks.get(jack)
    return f"{called(thing.profile, known, thing.facts)} of {thing.name}" if known is not None else thing.name


@dataclass
class _Flow:
    """What is known of the signal on its way: its format, whether it is protected, whether it came as far as here,
    and whether who is next says that it takes it."""

    shape: str = ""
    protected: bool = False
    alive: bool = True
    promised: bool = False
    stops: list[Stop] = field(default_factory=list)


def _stops(site: Site, hops: tuple[Hop, ...]) -> list[Stop]:
    flow = _Flow()
    for hop in hops:
        thing = site.things[hop.device]
        into, out = thing.jacks.get(hop.into), thing.jacks.get(hop.out)
        if into is not None:
            _comes_in(flow, hop, thing, into, ends=out is not None and out.way == "shown")
        if out is not None:
            _goes_out(flow, hop, thing, out)
    once: dict[tuple[str, str], Stop] = {}
    for one in flow.stops:
        once.setdefault((one.kind, one.why), one)
    return list(once.values())


def _held(thing: Thing, ident: str, jack: Jack) -> list[Stop]:
    return [
        Stop("held", thing.id, ident, need.why or thing.profile.called(need.path))
        for need in jack.stops
        if thing.stopped(need)
    ]


def _comes_in(flow: _Flow, hop: Hop, thing: Thing, jack: Jack, *, ends: bool) -> None:
    held = _held(thing, hop.into, jack)
    flow.stops += held
    flow.protected = flow.protected or thing.told(jack.protected) is True
    if hop.present is not False and hop.format:
        flow.shape = hop.format
    if hop.present is False and flow.alive and not held:
        why = f"No signal comes in at {_called(thing, hop.into)}"
        if flow.promised:
            why += f", though its EDID says that it takes {flow.shape}"
        if flow.protected:
            why += "; the picture is copy-protected, which not everything takes"
        flow.stops.append(Stop("no-signal", thing.id, hop.into, why))
    flow.alive = flow.alive and hop.present is not False
    if ends:
        flow.stops += _not_shown(thing, hop.into, flow.shape, _edid(thing.text(jack.edid)))


def _goes_out(flow: _Flow, hop: Hop, thing: Thing, jack: Jack) -> None:
    where = _called(thing, hop.out)
    flow.stops += _held(thing, hop.out, jack)
    if thing.told(jack.connected) is False:
        flow.stops.append(Stop("not-taken", thing.id, hop.out, f"{where} says that nothing is plugged in"))
    if flow.protected and thing.told(jack.passes_protected) is False:
        why = f"The picture is protected, and what is behind {where} has no protection"
        flow.stops.append(Stop("protected", thing.id, hop.out, why))
    behind = _edid(thing.text(jack.edid_behind))
    missing = _not_shown(thing, hop.out, flow.shape, behind)
    flow.promised = behind is not None and bool(FORMAT.match(flow.shape)) and not missing
    flow.stops += missing


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
