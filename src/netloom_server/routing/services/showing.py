"""Paths and grids as the interface shows them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from netloom_core.library.load import Library
from netloom_core.profiles.jacks import called, place_of
from netloom_core.profiles.people import View
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.signals import Jack, Told
from netloom_core.routing import site as core
from netloom_core.routing.kits import kits
from netloom_core.routing.paths import Path, paths
from netloom_server.installation.models import Device
from netloom_server.installation.services.present import point_label


def all_paths(site: core.Site, troubles: Mapping[str, str]) -> list[dict[str, Any]]:
    """`troubles` say by device why it told nothing: that is why something of it is not known."""
    return [_path(site, one, troubles) for one in paths(site)]


def all_kits(site: core.Site) -> list[dict[str, Any]]:
    return [
        {**one._asdict(), "sender": one.sender._asdict(), "receiver": one.receiver._asdict(),
         "carries": list(one.carries)}
        for one in kits(site)
    ]  # fmt: skip


def _path(site: core.Site, path: Path, troubles: Mapping[str, str]) -> dict[str, Any]:
    end = site.things[path.end.device]
    label, cable = _label(end, path.end.jack), site.out_of(end.id).get(path.end.jack)
    if cable is not None and not cable.target.device:
        label = f"{label} to {cable.target.jack}"
    return {
        "end": {"device": end.id, "name": end.name, "jack": path.end.jack, "label": label},
        "source": path.source,
        "arrives": path.arrives,
        "hops": [
            {
                "device": hop.device,
                "name": site.things[hop.device].name,
                "into": hop.into,
                "into_label": _label(site.things[hop.device], hop.into),
                "out": hop.out,
                "out_label": _label(site.things[hop.device], hop.out),
                "by": _point(site.things[hop.device].profile, hop.by),
                "present": hop.present,
                "format": hop.format,
                "cable": hop.cable,
                "over": hop.over,
            }
            for hop in path.hops
        ],
        "stops": [
            {"kind": one.kind, "device": one.device, "name": site.things[one.device].name, "jack": one.jack,
             "why": troubles.get(one.device, one.why).rstrip(".") if one.kind == "unknown" else one.why}
            for one in path.stops
        ],
        "notes": list(path.notes),
    }  # fmt: skip


def _label(thing: core.Thing, jack: str) -> str:
    known = thing.jacks.get(jack)
    return called(thing.profile, known, thing.facts) if known is not None else jack


def _point(profile: Profile, path: str) -> str:
    item = profile.points_by_path.get(path) if path else None
    return item.id if item is not None else ""


_NO_JACK: dict[str, Any] = {"jack": "", "present": None, "format": "", "protected": None, "edid": "", "stops": []}


def grids(device: Device, thing: core.Thing, library: Library) -> list[dict[str, Any]]:
    """Each crosspoint view of a device that can be driven: its rows and columns, and which points tell what of them."""
    profile = library.need(device.profile)
    found = []
    for view in profile.views:
        if view.kind != "crosspoint":
            continue
        all_cells = {
            (numbers[view.down], numbers.get(view.across)): profile.points_by_path[path]
            for path, (form, numbers) in profile.places.items()
            if form == view.item and path in profile.points_by_path
        }
        cells = {down: item for (down, _), item in reversed(all_cells.items())}
        if not cells:
            continue
        one = next(iter(cells.values()))
        leveled = one.type.name in ("decimal", "integer")
        rows, columns = profile.axes[view.down], profile.axes[view.across]
        names = thing.facts
        found.append(
            {
                "label": view.label,
                "rows": [
                    {
                        "number": number,
                        "label": rows.called(number),
                        "name": str(names.get(rows.name_path(view.down, number)) or ""),
                        "point": cells[number].id,
                        "said": point_label(device, profile, cells[number], {}),
                        "drive": cells[number].drive,
                        "points": [all_cells[number, n].id for n in columns.numbers if (number, n) in all_cells],
                        **_jack_at(profile, view, view.down, number, "out"),
                    }
                    for number in rows.numbers
                    if number in cells
                ],
                "columns": [
                    {"number": 0, "state": str(option.value), "label": option.label, "name": "", **_NO_JACK}
                    for option in getattr(one.type, "options", [])
                    if option.value not in columns.numbers
                ]
                + [
                    {
                        "number": number,
                        "state": str(number),
                        "label": columns.called(number),
                        "name": str(names.get(columns.name_path(view.across, number)) or ""),
                        **_jack_at(profile, view, view.across, number, "in"),
                    }
                    for number in columns.numbers
                ],
                "levels": {**one.type.limits(), "unit": one.unit} if leveled else None,
            }
        )  # fmt: skip
    return found


def _jack_at(profile: Profile, view: View, axis: str, number: int, way: str) -> dict[str, Any]:
    """Which points tell of the jack at that place: signal, display, format, protection, EDID, and what stops it. Of
    several on that axis it is the one that the view's own crosspoints join."""
    passes = profile.signals.passes if profile.signals is not None else []
    joined = {name for one in passes if one.by == view.item for name in (one.into, one.of)}
    jack = next(
        (
            jack
            for jack in profile.jacks.values()
            if (jack.axis, place_of(jack), jack.way) == (axis, number, way)
            and (not joined or jack.id.removesuffix(f"-{number}") in joined)
        ),
        None,
    )
    if jack is None:
        return _NO_JACK
    return {
        "jack": jack.id,
        "present": _told(profile, jack.present if way == "in" else jack.connected),
        "format": _point(profile, jack.format),
        "protected": _told(profile, jack.protected if way == "in" else jack.passes_protected),
        "edid": _point(profile, jack.edid if way == "in" else jack.edid_behind),
        "stops": _stops(profile, jack),
    }


def _told(profile: Profile, told: Told | None) -> dict[str, Any] | None:
    item = profile.points_by_path.get(told.path) if told is not None else None
    if told is None or item is None:
        return None
    return {
        "point": item.id,
        "one_of": [item.state_of(value) for value in told.one_of or ([] if told.none_of else [True])],
        "none_of": [item.state_of(value) for value in told.none_of],
    }


def _stops(profile: Profile, jack: Jack) -> list[dict[str, Any]]:
    found = []
    for need in jack.stops:
        item = profile.points_by_path.get(need.path)
        if item is not None:
            states = [item.state_of(value) for value in need.one_of]
            found.append({"point": item.id, "states": states, "why": need.why, "drive": item.drive})
    return found
