"""The demo installation as stand-ins, built from its data file; `network` can be moved for tests."""

from __future__ import annotations

import ipaddress
from pathlib import Path
from typing import Any

import yaml

from netloom_core.plan.documents import Document, put
from netloom_core.profiles.defaults import default_document
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import Profile
from netloom_standins.http_box import HttpBox
from netloom_standins.osdp_line import OsdpLine, OsdpUnit
from netloom_standins.units import Unit


def moved(address: str, network: str, to: str) -> str:
    """The address of the same host in another network."""
    offset = int(ipaddress.ip_address(address)) - int(ipaddress.ip_network(network).network_address)
    return str(ipaddress.ip_network(to).network_address + offset)


def load_site(path: Path, network: str = "") -> dict[str, Any]:
    """The data file; with `network`, its one IP line and all on it lie there instead."""
    site: dict[str, Any] = yaml.safe_load(path.read_text())
    if network:
        line = next(line for line in site["lines"] if line["kind"] == "ip")
        old = line["network"]
        line["network"], line["source"] = network, moved(line["source"], old, network)
        for device in site["devices"]:
            if device["line"] == line["name"]:
                device["address"] = moved(device["address"], old, network)
    return site


def document_of(profile: Profile, device: dict[str, Any], line: dict[str, Any]) -> Document:
    """The approved values of a device of the site, complete."""
    document = default_document(profile)
    for path, value in device.get("values", {}).items():
        put(document, path, value)
    if line["kind"] == "ip":
        put(document, "/network/address", device["address"])
    else:
        put(document, "/bus/address", int(device["address"]))
        put(document, "/bus/speed", line["speed"])
    return document


def build_units(site: dict[str, Any], library: Library, folder: Path) -> tuple[list[Unit], list[OsdpLine]]:
    """All units of the site, and its serial lines with their ports in `folder`."""
    lines = {line["name"]: line for line in site["lines"]}
    units: list[Unit] = []
    on_line: dict[str, list[OsdpUnit]] = {}
    for device in site["devices"]:
        unit_data = device.get("unit")
        if unit_data is None:
            continue
        line = lines[device["line"]]
        profile = library.need(device["profile"])
        document = document_of(profile, device, line)
        for path, value in unit_data.get("changed", {}).items():
            put(document, path, value)
        common: dict[str, Any] = {
            "profile": profile,
            "serial": device["serial"],
            "name": device["name"],
            "firmware": unit_data["firmware"],
            "startup": document,
            "running": document,
            "factory": unit_data.get("factory", False),
        }
        unit: Unit
        if line["kind"] == "ip":
            unit = HttpBox(**common, user=profile.factory.user, password=profile.factory.password)
        else:
            unit = OsdpUnit(**common, address=int(device["address"]), speed=unit_data.get("speed", line["speed"]))
            on_line.setdefault(line["name"], []).append(unit)
        unit.lose_unkept()
        units.append(unit)
    ports = [OsdpLine(folder / lines[name]["port"], on_bus) for name, on_bus in on_line.items()]
    return units, ports
