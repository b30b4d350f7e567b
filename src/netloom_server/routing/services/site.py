"""The installation as far as signals go: devices with what is known of them, and the cables on record."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from netloom_core.library.load import Library
from netloom_core.profiles.jacks import called
from netloom_core.routing import site as core
from netloom_core.routing.site import facts_of
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device
from netloom_server.routing.models import Cable

States = Mapping[str, Mapping[str, str]]


def devices_with_jacks(library: Library) -> list[Device]:
    found = Device.objects.filter(taken_in=True, line__archived=None).select_related("line").order_by("name")
    return [one for one in found if (p := library.get(one.profile)) is not None and p.signals]


def site(library: Library, states: States, devices: list[Device] | None = None) -> core.Site:
    """`states` are those of live points by device, as last told. Cables of devices that are put away are left out."""
    devices = devices_with_jacks(library) if devices is None else devices
    documents = Document.load_many({one.running for one in devices if one.running})
    things = []
    for one in devices:
        profile = library.need(one.profile)
        facts = facts_of(profile, documents.get(one.running, {}), states.get(one.id, {}))
        things.append(core.Thing(one.id, one.name, profile, facts, one.firmware))
    there = {one.id for one in devices}
    cables = [
        core.Cable(
            one.id,
            core.End(one.source_device_id or "", one.source_jack),
            core.End(one.target_device_id or "", one.target_jack),
        )
        for one in Cable.objects.all()
        if (one.source_device_id or "") in there | {""} and (one.target_device_id or "") in there | {""}
    ]
    return core.Site(things, cables)


def jacks_of(thing: core.Thing) -> list[dict[str, Any]]:
    return [
        {"id": ident, "label": called(thing.profile, jack, thing.facts), "way": jack.way, "carries": jack.carries}
        for ident, jack in thing.jacks.items()
        if not jack.over
    ]
