"""The demo installation as stand-ins, built from its data file; its networks can be moved for tests."""

from __future__ import annotations

import copy
import ipaddress
import re
from pathlib import Path
from typing import Any

import yaml

from netloom_core.documents.tree import Document
from netloom_core.library.load import Library
from netloom_standins.described import faces  # noqa: F401 - what units show registers itself
from netloom_standins.described.description import Description, descriptions
from netloom_standins.described.lines import RegisterLine, TalkLine
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.net_unit import NetUnit
from netloom_standins.osdp_line import OsdpLine, OsdpUnit
from netloom_standins.pty_port import PtyPort
from netloom_standins.serial_lines import NoisyLine
from netloom_standins.units import Unit

Data = dict[str, Any]


def load_site(path: Path, network: str = "") -> Data:
    """The data file with its series written out.

    With `network`, the first IP line lies there, and all other loopback networks move along
    (their second number becomes that network's).
    """
    text = path.read_text()
    if network:
        first = next(line for line in yaml.load(text, yaml.CSafeLoader)["lines"] if line["kind"] == "ip")
        old, new = first["network"].split(".")[:3], network.split(".")[:3]
        text = text.replace(".".join(old) + ".", ".".join(new) + ".")
        if old[:2] != new[:2]:
            text = re.sub(rf"\b{old[0]}\.{old[1]}\.(?=\d)", f"{new[0]}.{new[1]}.", text)
    site: Data = yaml.load(text, yaml.CSafeLoader)
    site["devices"] = [one for device in site["devices"] for one in written_out(device)]
    return site


def written_out(device: Data) -> list[Data]:
    """A device with `series: {count, first}` as that many: {n} counts from 1, {nn} in two digits; addresses follow,
    where they do not count by themselves.
    """
    series = device.get("series")
    if not series:
        return [device]
    found = []
    for n in range(1, series["count"] + 1):
        one = _filled({k: copy.deepcopy(v) for k, v in device.items() if k != "series"}, n)
        first = device["address"]
        if "{" not in first:
            one["address"] = str(ipaddress.ip_address(first) + n - 1) if "." in first else str(int(first) + n - 1)
        found.append(one)
    return found


def _filled(value: Any, n: int) -> Any:
    if isinstance(value, dict):
        return {name: _filled(one, n) for name, one in value.items()}
    if isinstance(value, list):
        return [_filled(one, n) for one in value]
    return value.replace("{n}", str(n)).replace("{nn}", f"{n:02}") if isinstance(value, str) else value


def build_units(site: Data, library: Library, folder: Path) -> tuple[list[Unit], list[PtyPort]]:
    """All units of the site, and its serial lines with their ports in `folder`."""
    lines = {line["name"]: line for line in site["lines"]}
    units: list[Unit] = []
    on_line: dict[str, list[Any]] = {}
    for device in site["devices"]:
        if device.get("unit") is None:
            continue
        line = lines[device["unit"].get("line", device["line"])]
        unit = _unit(device, line, library, folder)
        unit.lose_unkept()
        units.append(unit)
        on_line.setdefault(line["name"], []).append(unit)
    ports = [
        _port(line, on_line.get(line["name"], []), folder)
        for line in site["lines"]
        if line["kind"] == "serial" and not line.get("absent")
    ]
    return units, ports


NET: Data = {"kind": "ip"}
BUS: Data = {"kind": "serial", "protocol": "osdp", "speed": 9600}


def single(library: Library, model: str, serial: str, address: str, line: Data = NET, **unit: Any) -> Any:
    """One unit without a site, on a line of that kind."""
    device = {"name": serial, "profile": model, "serial": serial, "address": address}
    values = unit.pop("values", {})
    usual = "1.0.0" if line is BUS else "1.0"
    made = _unit({**device, "values": values, "unit": {"firmware": usual, **unit}}, line, library, Path())
    made.lose_unkept()
    return made


def _unit(device: Data, line: Data, library: Library, folder: Path) -> Unit:
    data = device["unit"]
    profile = library.need(data.get("profile", device["profile"]))
    common: Data = {
        "profile": profile,
        "serial": data.get("serial", device.get("serial", "")),
        "name": device["name"],
        "firmware": data.get("firmware", ""),
        "factory": data.get("factory", False),
        "answers": _answers(data, folder),
        "model_reported": data.get("model_reported", ""),
        "mac_reported": data.get("mac", ""),
    }
    address = data.get("address", device["address"])
    if (description := descriptions().get(profile.id)) is not None and data.get("described", True):
        return _described(description, device, line, common, address)
    known: Document = {"name": device.get("values", {}).get("/name", ""), "network": {"address": address}}
    return NetUnit(**common, running=known, startup=known, address=address)


def _answers(data: Data, folder: Path) -> Data:
    answers: Data = copy.deepcopy(data.get("answers", {}))
    if "device-server" in answers and answers["device-server"].get("port_name"):
        answers["device-server"]["path"] = str(folder / answers["device-server"]["port_name"])
    return answers


def _described(description: Description, device: Data, line: Data, common: Data, address: str) -> DescribedUnit:
    """A unit by its own description; the site says only what it was set to."""
    data = device["unit"]
    on_net = line["kind"] == "ip"
    speed = data.get("speed", line.get("speed", 9600))
    where: Data = {
        "description": description,
        "address": address if on_net else "",
        "bus_address": int(address) if not on_net and address.isdecimal() else 0,
        "speed": 0 if on_net else speed,
    }
    unit: DescribedUnit
    if not on_net and line["protocol"] == "osdp":
        key = bytes.fromhex(data.get("key", ""))
        unit = OsdpUnit(**common, **where, running={}, startup={}, key=key, must=data.get("must", False))
    else:
        unit = DescribedUnit(**common, **where, running={}, startup={})
    values = {**device.get("values", {}), **data.get("changed", {})}
    if description.address_at and on_net:
        values[description.address_at] = address
    if description.unit_at and not on_net:
        values[description.unit_at] = int(address)
    if description.speed_at and not on_net:
        values[description.speed_at] = speed
    unit.begin(values)
    return unit


def _port(line: Data, units: list[Any], folder: Path) -> PtyPort:
    adapter = {"adapter": line.get("adapter"), "described": folder.parent / "ports"} if line.get("adapter") else {}
    link: Path = folder / str(line.get("port_now") or line["port"])
    if line["protocol"] == "osdp":
        return OsdpLine(link, units, **adapter)
    if units and isinstance(units[0], DescribedUnit):
        made = (
            RegisterLine(link, units, **adapter)
            if line["protocol"] == "modbus"
            else TalkLine(link, units[0], **adapter)
        )
        return made
    return NoisyLine(link, noisy=line.get("noisy", False), **adapter)
