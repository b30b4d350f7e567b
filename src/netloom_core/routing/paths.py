"""What reaches a display, or wherever else a signal ends: through which devices, where it stops, and why."""

from __future__ import annotations

import re
from typing import Literal, NamedTuple

from netloom_core.edid.choose import takes
from netloom_core.edid.model import Edid
from netloom_core.edid.parse import NoEdid, parse
from netloom_core.profiles.jacks import called
from netloom_core.profiles.signals import Jack
from netloom_core.routing.site import Cable, End, Feed, Site, Thing

Kind = Literal["no-cable", "no-signal", "not-routed", "held", "protected", "format", "not-taken", "unknown", "loop"]
FORMAT = re.compile(r"^(\d{3,5})x(\d{3,5})\s?([pi]?)\s?@?(\d{2,3}(?:\.\d+)?)?(?:\s?Hz)?$")
MOST_HOPS = 64


class Hop(NamedTuple):
    """A device on the way. `into` and `out` are its jacks, empty where the way begins or ends in it. `by` is the item
    that chose; `present` whether it says that a signal comes in, None where it does not say; `format` which. `over` is
    what lies before it and is no device on record, as a splitter."""

    device: str
    into: str
    out: str
    by: str = ""
    present: bool | None = None
    format: str = ""
    cable: str = ""  # by which it comes in
    over: str = ""


class Stop(NamedTuple):
    kind: Kind
    device: str
    jack: str
    why: str


class Path(NamedTuple):
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


class _Flow(NamedTuple):
    """What is known of the signal on its way: its format, whether it is protected, whether it came as far as here,
    whether who is next says that it takes it, and all that may stop it."""

    shape: str = ""
    protected: bool = False
    alive: bool = True
    promised: bool = False
    stops: tuple[Stop, ...] = ()


class _Trunk(NamedTuple):
    """The way from a source as far as an output: many ends have most of it in common. `begun` is why it is not known
    or led any further back."""

    hops: tuple[Hop, ...] = ()
    source: str = ""
    begun: Stop | None = None
    flow: _Flow = _Flow()
    notes: tuple[str, ...] = ()


def paths(site: Site) -> list[Path]:
    """Of every screen, and of every output into which no other device of the site is plugged but somebody is."""
    found: list[Path] = []
    trunks: dict[End, _Trunk] = {}
    for thing in site.things.values():
        cables = site.out_of(thing.id)
        for ident, jack in thing.there.ends:
            cable = cables.get(ident)
            if jack.way == "shown" or ((cable or jack.connected) and _ends(site, thing, jack, cable)):
                found.append(_path(site, End(thing.id, ident), trunks))
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


def _ends(site: Site, thing: Thing, jack: Jack, cable: Cable | None) -> bool:
    """Somebody is known to be there, and nobody on record: a cable to what is not, or the device says so."""
    if cable is not None:
        return not cable.target.device and site.through(cable.target) is None
    return jack.connected is not None and thing.told(jack.connected) is True


def path_to(site: Site, end: End) -> Path:
    return _path(site, end, {})


def _path(site: Site, end: End, trunks: dict[End, _Trunk]) -> Path:
    trunk = _trunk(site, end, trunks)
    hops, once = trunk.hops, {(one.kind, one.why): one for one in reversed(trunk.flow.stops)}
    stops = list(reversed(once.values()))
    if trunk.begun is not None and trunk.begun.kind != "no-cable":
        stops.insert(0, trunk.begun)
    elif trunk.begun is not None and hops[0].present is not True:
        stops.append(trunk.begun)  # of what stops it, a cable that nobody recorded is the least
    return Path(end, trunk.source, hops, tuple(stops), trunk.notes, hops[-1].present if hops else None)


def _trunk(site: Site, end: End, known: dict[End, _Trunk]) -> _Trunk:
    """Back to the source, or to where the way is known already; then forth. What goes in a circle is not kept."""
    chain: list[tuple[End, Hop]] = []
    at, circle, seen = end, False, {end}
    while True:
        there = known.get(at)
        if there is not None and len(there.hops) + len(chain) <= MOST_HOPS:
            trunk = there
            break
        hop, before, source, begun = _hop(site, at)
        chain.append((at, hop))
        if before is None:
            trunk = _Trunk(source=source, begun=begun)
            break
        if before.device not in site.things or before in seen or len(chain) >= MOST_HOPS:
            why = (
                "The cables lead in a circle"
                if len(chain) < MOST_HOPS
                else f"It goes over more than {MOST_HOPS} devices"
            )
            trunk, circle = _Trunk(begun=Stop("loop", at.device, hop.into, why)), True
            break
        at = before
        seen.add(at)
    hops, notes, flow = list(trunk.hops), list(trunk.notes), trunk.flow
    for number in range(len(chain) - 1, -1, -1):
        place, hop = chain[number]
        if hops:
            notes += _unlike(site, hops[-1], hop)
        flow = _through(flow, hop, site.things[place.device])
        hops.append(hop)
        # Kept where several ways go on from here.
        if number and not circle and len(site.things[chain[number - 1][0].device].there.ends) > 1:
            known[place] = _Trunk(tuple(hops), trunk.source, trunk.begun, flow, tuple(notes))
    return _Trunk(tuple(hops), trunk.source, trunk.begun, flow, tuple(notes))


def _hop(site: Site, at: End) -> tuple[Hop, End | None, str, Stop | None]:
    """What is at one output: the hop, and where the cable at its input comes from; where the way ends there, the
    source in words, or why it is not known."""
    thing = site.things[at.device]
    ways = site.feeds(thing, at.jack)
    if not ways:
        return Hop(thing.id, "", at.jack), None, thing.name, None
    inner, by, begun = _inside(site, thing, at.jack, ways)
    if begun is not None:
        return Hop(thing.id, "", at.jack, by), None, "", begun
    jack = thing.jacks.get(inner)
    if jack is None:
        stop = Stop("not-routed", thing.id, at.jack, f"{_called(thing, at.jack)} has no input")
        return Hop(thing.id, "", at.jack, by), None, "", stop
    present, told = thing.told(jack.present), thing.text(jack.format)
    if jack.way == "made":
        name = f"{thing.name}: {called(thing.profile, jack, thing.facts)}" if jack.label else thing.name
        return Hop(thing.id, inner, at.jack, by, present, told), None, name, None
    cable = site.into(thing.id).get(inner)
    hop = Hop(thing.id, inner, at.jack, by, present, told, cable.id if cable else "")
    if cable is None:
        why = f"What is plugged into {_called(thing, inner)} is not recorded"
        return hop, None, "", Stop("no-cable", thing.id, inner, why)
    if cable.source.device:
        return hop, cable.source, "", None
    before = site.through(cable.source)
    if before is None or _carried(site, before.source) != jack.carries:
        return hop, None, cable.source.jack, None
    return hop._replace(over=cable.source.jack), before.source, "", None


def _carried(site: Site, end: End) -> str:
    thing = site.things.get(end.device)
    jack = thing.jacks.get(end.jack) if thing is not None else None
    return jack.carries if jack is not None else ""


def _inside(site: Site, thing: Thing, jack: str, ways: list[Feed]) -> tuple[str, str, Stop | None]:
    """Which of its places leads to that one, by way of those that show the same, and the item that chose; empty where
    none does, with why where that is not known."""
    seen = [jack]
    while True:
        inner, by = "", ""
        for feed in ways:
            by = feed.by
            inner = feed.table.get(str(thing.facts.get(by)), "") if by else feed.always
            if inner:
                break
        if not inner and by and thing.facts.get(by) is None:
            why = f"{thing.profile.called(by)} was not read yet"
            return "", by, Stop("unknown", thing.id, jack, why)
        there = thing.jacks.get(inner)
        if there is None or there.way != "out":
            return inner, by, None
        if inner in seen:
            return "", by, Stop("loop", thing.id, jack, f"{_called(thing, jack)} shows the same as itself, in a circle")
        seen.append(inner)
        ways = site.feeds(thing, inner)


def _called(thing: Thing, jack: str) -> str:
    known = thing.jacks.get(jack)
    return f"{called(thing.profile, known, thing.facts)} of {thing.name}" if known is not None else thing.name


def _through(flow: _Flow, hop: Hop, thing: Thing) -> _Flow:
    into, out = thing.jacks.get(hop.into), thing.jacks.get(hop.out)
    if into is not None:
        flow = _comes_in(flow, hop, thing, into, ends=out is not None and out.way == "shown")
    return _goes_out(flow, hop, thing, out) if out is not None else flow


def _held(thing: Thing, ident: str, jack: Jack) -> list[Stop]:
    return [
        Stop("held", thing.id, ident, need.why or thing.profile.called(need.path))
        for need in jack.stops
        if thing.stopped(need)
    ]


def _comes_in(flow: _Flow, hop: Hop, thing: Thing, jack: Jack, *, ends: bool) -> _Flow:
    found = _held(thing, hop.into, jack) if jack.stops else []
    held = bool(found)
    protected = flow.protected or thing.told(jack.protected) is True
    shape = hop.format if hop.present is not False and hop.format else flow.shape
    if hop.present is False and flow.alive and not held:
        why = f"No signal comes in at {_called(thing, hop.into)}"
        if flow.promised:
            why += f", though its EDID says that it takes {shape}"
        if protected:
            why += "; the picture is copy-protected, which not everything takes"
        found.append(Stop("no-signal", thing.id, hop.into, why))
    if ends and jack.edid:
        found += _not_shown(thing, hop.into, shape, _edid(thing.text(jack.edid)))
    alive = flow.alive and hop.present is not False
    if not found and (shape, protected, alive) == flow[:3]:
        return flow
    return _Flow(shape, protected, alive, flow.promised, (*flow.stops, *found))


def _goes_out(flow: _Flow, hop: Hop, thing: Thing, jack: Jack) -> _Flow:
    if not flow.promised and not jack.stops and jack.connected is None and not jack.edid_behind and not flow.protected:
        return flow
    found = _held(thing, hop.out, jack) if jack.stops else []
    if thing.told(jack.connected) is False:
        found.append(Stop("not-taken", thing.id, hop.out, f"{_called(thing, hop.out)} says that nothing is plugged in"))
    if flow.protected and thing.told(jack.passes_protected) is False:
        why = f"The picture is protected, and what is behind {_called(thing, hop.out)} has no protection"
        found.append(Stop("protected", thing.id, hop.out, why))
    behind = _edid(thing.text(jack.edid_behind)) if jack.edid_behind else None
    missing = _not_shown(thing, hop.out, flow.shape, behind) if behind is not None else []
    promised = behind is not None and not missing and bool(FORMAT.match(flow.shape))
    if not found and not missing and promised == flow.promised:
        return flow
    return flow._replace(promised=promised, stops=(*flow.stops, *found, *missing))


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
    if edid is None or _takes(edid, shape):
        return []
    who = edid.name or "the display"
    return [Stop("format", thing.id, jack, f"{who} at {_called(thing, jack)} does not say that it takes {shape}")]


_judged: dict[tuple[int, str], tuple[Edid, bool]] = {}


def _takes(edid: Edid, shape: str) -> bool:
    """Whether it says so; what is no format is nobody's."""
    key = id(edid), shape
    if key not in _judged:
        if len(_judged) > 2000:
            _judged.clear()
        found = FORMAT.match(shape)
        good = found is None or takes(
            edid, int(found[1]), int(found[2]), float(found[4]) if found[4] else None, interlaced=found[3] == "i"
        )  # some say the size alone
        _judged[key] = edid, good  # with the EDID itself, so that its place in memory is no other's
    return _judged[key][1]


def _unlike(site: Site, one: Hop, other: Hop) -> tuple[str, ...]:
    """What stops nothing and is worth a look: two halves of a kit with unlike versions."""
    here, there = site.things[one.device], site.things[other.device]
    if here.profile.id != there.profile.id or not here.firmware or not there.firmware:
        return ()
    jack = there.jacks.get(other.into)
    if jack is None or jack.carries != "link" or here.firmware == there.firmware:
        return ()
    return (f"{here.name} has firmware {here.firmware}, its other half {there.name} {there.firmware}",)
