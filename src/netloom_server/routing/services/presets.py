"""Presets over one device or several: kept, compared with what is, matched with the devices' own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import IntegrityError, transaction

from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.routing.presets import Cell, OwnPreset, compare, matching, own_presets
from netloom_core.routing.site import facts_of
from netloom_core.run.drive import checked_point, short_name
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device
from netloom_server.installation.services.present import point_label
from netloom_server.installation.services.records import resolve_all
from netloom_server.routing.models import Preset

MOST, MOST_CELLS = 500, 4096
States = Mapping[str, Mapping[str, str]]


def crosspoints(device: Device, library: Library) -> list[str]:
    """The points that a preset holds where nobody says which: the cells of its grids that can be driven."""
    profile = library.get(device.profile)
    if profile is None:
        return []
    forms = {view.item for view in profile.views if view.kind == "crosspoint"}
    return [one.id for one in profile.by_point.values() if one.drive and profile.places[one.path][0] in forms]


def checked(cells: Sequence[Mapping[str, str]], library: Library) -> list[dict[str, str]]:
    """As they are kept, each point once. Raises RequestError for what is no point or no state of it."""
    if not cells or len(cells) > MOST_CELLS:
        raise RequestError(f"A preset holds 1 to {MOST_CELLS} cells, not {len(cells)}.", "Nothing was kept.")
    devices = resolve_all(cell["device"] for cell in cells)
    found: dict[tuple[str, str], dict[str, str]] = {}
    for cell in cells:
        device = devices[cell["device"]]
        profile = library.get(device.profile)
        if profile is None:
            raise RequestError(f"{device.name} has no profile, so nothing of it is in a preset.", "Say what it is.")
        point = short_name(profile, cell["point"])
        state = checked_point(profile, point, cell["state"])
        path = profile.by_point[point].path
        there = found.setdefault((device.id, path), {"device": device.id, "path": path, "state": state})
        if there["state"] != state:
            raise RequestError(f"{point} of {device.name} is in it twice, as {there['state']} and as {state}.", "Once.")
    return list(found.values())


def keep(name: str, cells: Sequence[Mapping[str, str]], by: str, library: Library, *, over: bool = False) -> Preset:
    """Raises Conflict where one of that name is kept and is not to be written over."""
    kept = checked(cells, library)
    there = Preset.objects.filter(name__iexact=name.strip()).first()
    if there is not None and not over:
        raise Conflict(f"A preset named {there.name} is kept already.", "Choose another name, or write over it.")
    if there is None and Preset.objects.count() >= MOST:
        raise Conflict(f"At most {MOST} presets are kept.", "Drop those that nobody uses.")
    try:
        with transaction.atomic():
            if there is not None:
                there.cells, there.by = kept, by
                there.save()
                return there
            return Preset.objects.create(name=name.strip(), cells=kept, by=by)
    except IntegrityError as error:
        raise Conflict("Somebody kept one of that name just now.", "Look again. Nothing was changed.") from error


def by_word(word: str) -> Preset:
    found = Preset.objects.filter(id=word).first() or Preset.objects.filter(name__iexact=word[:80]).first()
    if found is None:
        raise NotFound(f"There is no preset {word[:80]!r}.", "Nothing was changed.")
    return found


def cells_of(preset: Preset) -> list[Cell]:
    return [Cell(one["device"], one["path"], one["state"]) for one in preset.cells]


def listed() -> list[dict[str, Any]]:
    there = set(Device.objects.values_list("id", flat=True))
    return [
        {
            "id": one.id,
            "name": one.name,
            "devices": sorted({cell["device"] for cell in one.cells if cell["device"] in there}),
            "cells": len(one.cells),
            "by": one.by,
            "at": one.at,
        }
        for one in Preset.objects.all()
    ]


def compared(preset: Preset, states: States, library: Library) -> list[dict[str, Any]]:
    """Each cell against what is known now. A device that is gone is told as such: its cells are `gone`."""
    cells = cells_of(preset)
    devices = Device.objects.in_bulk({cell.device for cell in cells})
    documents = Document.load_many({one.running for one in devices.values() if one.running})
    now: dict[tuple[str, str], str] = {}
    for one in devices.values():
        profile = library.get(one.profile)
        for point, state in states.get(one.id, {}).items():
            if profile is not None and (item := profile.by_point.get(point)) is not None:
                now[one.id, item.path] = state
    rows = []
    for result in compare(cells, now):
        device = devices.get(result.cell.device)
        profile = library.get(device.profile) if device is not None else None
        item = profile.by_path.get(result.cell.path) if profile is not None else None
        verdict = "gone" if device is None or item is None else result.verdict
        running = documents.get(device.running, {}) if device is not None else {}
        rows.append(
            {
                "device": result.cell.device,
                "name": device.name if device is not None else result.cell.device,
                "point": item.id if item is not None else result.cell.path,
                "label": point_label(device, profile, item, running) if device and item else result.cell.path,
                "state": result.cell.state,
                "now": result.now or "",
                "verdict": verdict,
            }
        )
    return rows


def with_own(devices: Sequence[Device], library: Library) -> list[Device]:
    """Those that have presets of their own."""
    found = [(one, library.need(one.profile).signals) for one in devices]
    return [one for one, signals in found if signals is not None and signals.presets is not None]


def own(devices: Sequence[Device], states: States, library: Library) -> list[dict[str, Any]]:
    """The devices' own presets, with what they tell of them, and which of ours is the same there."""
    documents = Document.load_many({one.running for one in devices if one.running})
    presets = [(one, cells_of(one)) for one in Preset.objects.all()]
    found = []
    for device in devices:
        profile = library.get(device.profile)
        form = profile.signals.presets if profile is not None and profile.signals is not None else None
        if profile is None or form is None:
            continue
        facts = facts_of(profile, documents.get(device.running, {}), states.get(device.id, {}))
        mine = own_presets(profile, facts)
        same = {number: one for one, cells in presets if (number := matching(cells, device.id, mine)) is not None}
        for preset in mine:
            found.append(_own_as_dict(device, preset, form.recall, form.save, same.get(preset.number)))
    return found


def _own_as_dict(device: Device, preset: OwnPreset, recall: str, save: str, same: Preset | None) -> dict[str, Any]:
    return {
        "device": device.id,
        "device_name": device.name,
        "number": preset.number,
        "name": preset.name,
        "cells": dict(preset.cells),
        "recall": recall,
        "keep": save,
        "same": same.id if same is not None else "",
    }
