"""What people decide about lines, and what is checked before it is kept."""

from __future__ import annotations

import ipaddress
import os
from typing import Any

from django.conf import settings

from netloom_core.errors import AddressOutside, RequestError
from netloom_core.library.load import Library
from netloom_core.links.interfaces import own_address
from netloom_core.links.ports import adapter_of, all_ports
from netloom_core.links.rfc2217 import parts_of
from netloom_core.links.serial import check_port
from netloom_core.model.line import MAX_HOSTS
from netloom_core.sweep.sweep import fitting
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Line


def new_ip(data: dict[str, Any]) -> Line:
    try:
        network = ipaddress.IPv4Network(data.get("network") or "", strict=False)
    except ValueError as error:
        raise RequestError(
            f"{data.get('network') or 'Nothing'} is not a network.", "Write it like 127.20.10.0/24."
        ) from error
    if network.num_addresses > MAX_HOSTS:
        raise AddressOutside(f"{network} has more than {MAX_HOSTS} addresses.", "Give a /20 or smaller.")
    source, interface = own_address(network, data.get("interface") or "", loopback_only=settings.LOOPBACK_ONLY)
    for other in Line.objects.filter(kind="ip"):
        # The same network through two interfaces can be; then each is a line of its own.
        if ipaddress.ip_network(other.network).overlaps(network) and other.interface == interface:
            raise Conflict(f"{network} overlaps the line {other.name} ({other.network}).", "Give another network.")
    return Line(
        name=data.get("name") or f"Network {network}",
        kind="ip",
        network=str(network),
        source=source,
        interface=interface,
        protocol="ip",
    )


def new_serial(data: dict[str, Any]) -> Line:
    path = data.get("path") or ""
    check_path(path)
    if path.startswith("/"):
        check_port(path, data["speed"])
    return Line(
        name=data.get("name") or f"Serial {path.rpartition('/')[2]}",
        kind="serial",
        path=path,
        speed=data["speed"],
        parity=data["parity"],
        protocol=data["protocol"],
        adapter=adapter_of(path, all_ports(settings.DATA / "ports")),
    )


def check_name(line: Line) -> None:
    if Line.objects.filter(name__iexact=line.name).exclude(id=line.id).exists():
        raise Conflict(f"There is a line named {line.name} already.", "Choose another name.")


def check_path(path: str, line: str = "") -> None:
    """Raises RequestError for what is no port's path, Conflict when another line has it."""
    if path.startswith("rfc2217://"):
        host, _ = parts_of(path)
        if settings.LOOPBACK_ONLY and not host.startswith("127."):
            raise RequestError("The demo sends on loopback only.", "Give a device server on 127.x.y.z.")
    elif not path.startswith("/"):
        raise RequestError(
            "A serial line needs the whole path of its port, or a device server's address.",
            "Write it like /dev/ttyUSB0, or rfc2217://127.20.40.41:4001.",
        )
    for other in Line.objects.filter(kind="serial").exclude(id=line):
        if os.path.realpath(other.path) == os.path.realpath(path):
            raise Conflict(f"The line {other.name} uses the port {path} already.", "One port is one line.")


def edit(line: Line, data: dict[str, Any], library: Library) -> None:
    if "name" in data:
        line.name = data["name"]
        check_name(line)
    if "off" in data:
        known = {method.name for method in fitting(line.as_core(), library)}
        if strange := set(data["off"]) - known:
            raise RequestError(f"{line.name} has no method {', '.join(sorted(strange))}.", "See the line's methods.")
        line.off = sorted(set(data["off"]))
    if "path" in data and line.kind == "serial":
        check_path(data["path"], line.id)
        line.path, line.adapter = data["path"], adapter_of(data["path"], all_ports(settings.DATA / "ports"))
    for name in ("speed", "parity"):
        if name in data:
            setattr(line, name, data[name])
    line.note = ""
    line.save()
