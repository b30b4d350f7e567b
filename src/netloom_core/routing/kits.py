"""The two halves of a transmitter and receiver kit as one thing: what is told of both and of the link between them."""

from __future__ import annotations

from typing import NamedTuple

from netloom_core.profiles.signals import Jack
from netloom_core.routing.site import Site, Thing


class Half(NamedTuple):
    """`quality` is what it tells of the link, with its unit; empty where it tells nothing."""

    device: str
    name: str
    firmware: str
    quality: str


class Kit(NamedTuple):
    """`linked` is None where neither half told; `why` says what keeps them apart. `carries` is what goes over the link
    beside the picture; `unlike` that both halves told versions and they differ."""

    sender: Half
    receiver: Half
    linked: bool | None
    why: str
    carries: tuple[str, ...]
    unlike: bool


def kits(site: Site) -> list[Kit]:
    """By the cables between two jacks that carry a link, in the order of the devices."""
    found = []
    for thing in site.things.values():
        for ident, cable in site.out_of(thing.id).items():
            jack, other = thing.jacks.get(ident), site.things.get(cable.target.device)
            end = other.jacks.get(cable.target.jack) if other is not None else None
            if jack is None or other is None or end is None or not jack.carries == end.carries == "link":
                continue
            found.append(_kit(thing, jack, other, end))
    return found


def _kit(thing: Thing, jack: Jack, other: Thing, end: Jack) -> Kit:
    ends = ((thing, jack), (other, end))
    stops = [(one, need) for one, at in ends for need in at.stops]
    why = next((f"{one.name}: {need.why or need.path}" for one, need in stops if one.stopped(need)), "")
    told = [one.facts.get(need.path) is not None for one, need in stops]
    linked = False if why else True if told and all(told) else None
    over = {one.carries for one in thing.there.all.values() if one.over == jack.id}
    back = {one.carries for one in other.there.all.values() if one.over == end.id}
    sender, receiver = (_half(one, at) for one, at in ends)
    unlike = bool(sender.firmware and receiver.firmware and sender.firmware != receiver.firmware)
    return Kit(sender, receiver, linked, why, tuple(sorted(over & back)), unlike)


def _half(thing: Thing, jack: Jack) -> Half:
    value = thing.facts.get(jack.quality) if jack.quality else None
    item = thing.profile.points_by_path.get(jack.quality)
    unit = f" {item.unit}" if item is not None and item.unit else ""
    return Half(thing.id, thing.name, thing.firmware, "" if value is None else f"{value}{unit}")
