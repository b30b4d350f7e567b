"""What came of a take, with the names that people know."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from netloom_core.library.load import Library
from netloom_core.run.drive import short_name
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device
from netloom_server.installation.services.present import point_label
from netloom_server.installation.services.records import resolve_all


def asked(cells: Sequence[Mapping[str, str]]) -> list[dict[str, str]]:
    """With the devices' ids. Raises NotFound and Conflict where a word means none, or several."""
    devices = resolve_all(cell["device"] for cell in cells)
    return [{"device": devices[c["device"]].id, "point": c["point"], "state": c["state"]} for c in cells]


def named(taken: Sequence[Mapping[str, str]], library: Library) -> list[dict[str, str]]:
    devices = Device.objects.in_bulk({one["device"] for one in taken})
    documents = Document.load_many({one.running for one in devices.values() if one.running})
    return [{**one, **_words(devices.get(one["device"]), one["point"], documents, library)} for one in taken]


def _words(
    device: Device | None, point: str, documents: Mapping[str, dict[str, Any]], library: Library
) -> dict[str, str]:
    profile = library.get(device.profile) if device is not None else None
    item = profile.by_point.get(short_name(profile, point)) if profile is not None else None
    if device is None or item is None:
        return {"name": device.name if device is not None else "", "label": point}
    return {
        "name": device.name,
        "point": item.id,
        "label": point_label(device, profile, item, documents.get(device.running, {})),
    }
