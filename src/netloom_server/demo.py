"""Seeds the records of the demo installation from its data file, once."""

from __future__ import annotations

import copy
from datetime import timedelta
from pathlib import Path
from typing import Any

import yaml
from django.db import transaction
from django.utils import timezone

from netloom_core.documents.tree import put
from netloom_core.identity.keys import serial_key
from netloom_core.library.load import Library
from netloom_core.links.ports import PortInfo
from netloom_core.profiles.defaults import default_document
from netloom_server.backups.models import Backup, Document
from netloom_server.firmware.services import files
from netloom_server.installation.models import Area, Device, Installation, Line, Unit
from netloom_server.installation.services.fitting import fit, unit_of
from netloom_server.installation.services.records import recount_all
from netloom_server.routing.models import Cable


@transaction.atomic
def seed(site_file: Path, ports: Path, library: Library) -> None:
    """Lines, areas, planned devices, and the records approved at handover. Nothing if there is a site."""
    if Installation.objects.exists():
        return
    site: dict[str, Any] = yaml.load(site_file.read_text(), yaml.CSafeLoader)
    Installation.objects.create(name=site["installation"])
    for outer in site["areas"]:
        area = Area.objects.create(name=outer["name"])
        for inner in outer["inside"]:
            Area.objects.create(name=inner, parent=area)
    lines = {data["name"]: _line(data, ports) for data in site["lines"]}
    made = [_device(data, lines[data["line"]], library) for data in site["devices"] if data.get("record", True)]
    recount_all(made, library)
    for data in site["lines"]:
        if data["kind"] == "behind":
            lines[data["name"]].parent = Device.objects.get(name=data["parent"])
            lines[data["name"]].save(update_fields=["parent"])
    for data in site["devices"]:
        if data.get("switch"):
            switch = Device.objects.get(name=data["switch"]["device"])
            place = {"address": switch.address, "port": str(data["switch"]["port"])}
            unit = unit_of(Device.objects.get(name=data["name"]))
            unit.switch = place
            unit.save(update_fields=["switch"])
    for data in site.get("firmware", []):
        path = ports / "firmware" / data["name"]
        if data.get("record", True) and path.exists():
            told = files.take_in(path, data["name"], "handover", "the maker's own pages", library)
            files.mark(
                told["added"][0]["id"], {"notes": data.get("notes", ""), "refused": data.get("refused", "")}, library
            )
    for data in site.get("cables", []):
        if data.get("record", True):
            start, end = _end(data["from"]), _end(data["to"])
            Cable.objects.create(
                source_device=start[0], source_jack=start[1], target_device=end[0], target_jack=end[1], by="handover"
            )


def _end(words: str) -> tuple[Device | None, str]:
    """`Device / jack`, or what is no device."""
    name, _, jack = words.rpartition(" / ")
    return (Device.objects.get(name=name), jack) if name else (None, jack)


def _line(data: dict[str, Any], ports: Path) -> Line:
    serial = data["kind"] == "serial"
    return Line.objects.create(
        name=data["name"],
        kind=data["kind"],
        network=data.get("network", ""),
        source=data.get("source", ""),
        interface=data.get("interface", "lo" if data.get("source") else ""),
        path=str(ports / data["port"]) if serial else "",
        adapter=PortInfo("", **data["adapter"]).adapter if data.get("adapter") else data.get("adapter_gone", ""),
        speed=data.get("speed", 9600),
        protocol=data.get("protocol", "ip"),
    )


def _device(data: dict[str, Any], line: Line, library: Library) -> Device:
    profile = library.need(data["profile"])
    serial = data.get("serial", "")
    keys = [f"mac:{data['mac']}"] if data.get("mac") else [f"rdm:{data['uid']}"] if data.get("uid") else []
    values = dict(data.get("values", {}))
    if "/network/address" in profile.by_path and line.kind == "ip":
        values["/network/address"] = data["address"]
    elif "/bus/address" in profile.by_path:
        values |= {"/bus/address": int(data["address"]), "/bus/speed": line.speed}
    intended: dict[str, Any] = {}
    whole = default_document(profile)
    for path, value in values.items():
        put(intended, path, value)
        put(whole, path, value)
    device = Device.objects.create(
        name=data["name"],
        profile=profile.id,
        area=Area.objects.get(name=data["area"]),
        line=line,
        address=data["address"],
        speed=line.speed if line.kind == "serial" else 0,
        taken_in=True,
        status="known" if serial or data.get("uid") else "planned",
        intended=intended,
    )
    if serial or keys:
        fit(
            device,
            Unit.objects.create(
                maker=profile.maker if serial or data.get("uid") else "",
                model=profile.model if serial or data.get("uid") else "",
                serial=serial,
                firmware=data.get("unit", {}).get("firmware", ""),
                identity_key=serial_key(profile.maker, serial),
                keys=keys,
            ),
            by="handover",
        )
    if data.get("staged"):
        _staged(device, whole, data["staged"])
    if data.get("baseline"):
        name = Document.keep(whole)
        Backup.objects.create(
            device=device,
            name=device.name,
            maker=profile.maker,
            model=profile.model,
            serial=serial,
            profile=profile.id,
            firmware=device.firmware,
            line=line.name,
            address=device.address,
            taken=timezone.now() - timedelta(days=30),
            by="handover",
            baseline=True,
            label="Handover",
            running_id=name,
            startup_id=name,
        )
    return device


def _staged(device: Device, running: dict[str, Any], values: dict[str, Any]) -> None:
    """It was told values that it takes at its next restart, and was not restarted since."""
    startup = copy.deepcopy(running)
    for path, value in values.items():
        put(startup, path, value)
    unit = unit_of(device)
    unit.running, unit.startup = Document.keep(running), Document.keep(startup)
    unit.read = device.seen = timezone.now() - timedelta(days=2)
    unit.save(update_fields=["running", "startup", "read"])
    device.save(update_fields=["seen"])
