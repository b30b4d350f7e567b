"""Cables proven by a signal test: an output is switched off for a moment, and which inputs lose their signal is seen.

The output is held off, not switched: whatever happens to this process, it is let go again.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from netloom_core.errors import CannotDo, RequestError
from netloom_core.library.load import Library
from netloom_core.profiles.jacks import called
from netloom_core.profiles.signals import Jack
from netloom_core.routing.site import Thing
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device
from netloom_server.routing.models import Cable
from netloom_server.routing.services.cables import jack_meant
from netloom_server.routing.services.site import States, devices_with_jacks, site

HELD_S, GOES_S, BACK_S, PAUSE_S = 8.0, 5.0, 8.0, 0.25
Do = Callable[[dict[str, Any]], dict[str, Any]]


@dataclass(frozen=True)
class Switch:
    """The point that switches an output, with the state in which nothing comes out."""

    point: str
    off: str


def switch_of(device: Device, jack: str, library: Library) -> Switch:
    """Raises CannotDo where that output cannot be switched off from here."""
    profile = library.get(device.profile)
    known = profile.jacks.get(jack) if profile is not None else None
    for need in known.stops if known is not None else []:
        item = profile.points_by_path.get(need.path) if profile is not None else None
        if item is not None and item.drive and len(item.targets or item.states) == 2:
            return Switch(item.id, item.state_of(need.one_of[0]))
    raise CannotDo(f"{jack} of {device.name} cannot be switched off from here.", "Prove that cable with your own eyes.")


def prove(cable: Cable, by: str, library: Library, do: Do) -> str:
    """How it was proven, in words; kept with the cable. Raises RequestError where it cannot be tried, and Conflict
    where the test says otherwise: then what was known as proof before is dropped."""
    start, end = cable.source_device, cable.target_device
    if start is None or end is None:
        raise CannotDo("One end of that cable is not on record: nothing can be switched there.", "Prove it yourself.")
    switch = switch_of(start, cable.source_jack, library)
    devices = [start, end]
    before = _told(devices, library, do)
    jack = before[end.id].jacks.get(cable.target_jack)
    where = f"{called(before[end.id].profile, jack, before[end.id].facts)} of {end.name}" if jack else end.name
    if jack is None or before[end.id].told(jack.present) is not True:
        raise RequestError(f"No signal is known to come in at {where}: there is none to lose.", "Nothing was switched.")
    seen = _switched(start, switch, by, do, lambda: _present(end, jack, devices, library, do))
    if not seen.went:
        Cable.objects.filter(id=cable.id).update(proof="")
        raise Conflict(
            f"{cable.source_jack} of {start.name} was off for {seen.off_s:.0f} s, and the signal at {where} stayed: "
            "that cable comes from somewhere else.",
            "Look at the plug. The record was left as it is.",
        )
    if not seen.back:
        raise Conflict(
            f"The signal at {where} went, and did not come back within {BACK_S:g} s: that proves nothing.",
            f"Look at {cable.source_jack} of {start.name}: it was let go again.",
        )
    said = f"switched off by {by}: the signal at {where} went, and came back"
    Cable.objects.filter(id=cable.id).update(proof=said[:200])
    return said


def found_behind(device: Device, jack: str, by: str, library: Library, do: Do) -> list[tuple[Device, str, str]]:
    """Inputs that lost their signal while that output was off, and into which no cable is recorded: device, jack, and
    what it is called. One of them is plugged in there; the others are behind it."""
    meant = jack_meant(device, jack, "out", library)
    switch = switch_of(device, meant.id if meant else jack, library)
    devices = devices_with_jacks(library)
    before = _told(devices, library, do)
    lit = [(one, ident, j) for one in before.values() for ident, j in one.jacks.items()
           if j.way == "in" and one.told(j.present) is True]  # fmt: skip
    lost: set[tuple[str, str]] = set()
    watched = [one for one in devices if any(one.id == thing.id for thing, _, _ in lit)]

    def all_there() -> bool:
        now = _told(watched, library, do)
        gone = {(one.id, ident) for one, ident, j in lit if now[one.id].told(j.present) is False}
        lost.update(gone)
        return not gone

    _switched(device, switch, by, do, all_there)
    plugged = set(Cable.objects.exclude(target_device=None).values_list("target_device_id", "target_jack"))
    by_id = {one.id: one for one in devices}
    return [
        (by_id[one.id], ident, called(one.profile, j, one.facts))
        for one, ident, j in lit
        if (one.id, ident) in lost and (one.id, ident) not in plugged
    ]


@dataclass(frozen=True)
class Seen:
    went: bool
    back: bool
    off_s: float


def _switched(device: Device, switch: Switch, by: str, do: Do, there: Callable[[], bool | None]) -> Seen:
    """Held off until the signal is seen to be gone; let go, and seen to come back."""
    do({"do": "hold", "device": device.id, "point": switch.point, "state": switch.off, "by": by, "seconds": HELD_S})
    begun = time.monotonic()
    try:
        went = _until(lambda: there() is False, GOES_S)
        off_s = time.monotonic() - begun
    finally:
        do({"do": "let go", "device": device.id, "point": switch.point})
    return Seen(went, went and _until(lambda: there() is True, BACK_S), off_s)


def _until(good: Callable[[], bool], seconds: float) -> bool:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if good():
            return True
        time.sleep(PAUSE_S)
    return False


def _told(devices: list[Device], library: Library, do: Do) -> Mapping[str, Thing]:
    states: States = do({"do": "look", "devices": [one.id for one in devices][:256], "ask": True})["states"]
    return site(library, states, devices).things


def _present(end: Device, jack: Jack, devices: list[Device], library: Library, do: Do) -> bool | None:
    return _told([end], library, do)[end.id].told(jack.present)
