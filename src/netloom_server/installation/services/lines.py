"""What people decide about lines, and what is checked before it is kept."""

from __future__ import annotations

import ipaddress
import os
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import F, ProtectedError
from django.utils import timezone

from netloom_core.errors import AddressOutside, RequestError
from netloom_core.library.load import Library
from netloom_core.links.interfaces import own_address
from netloom_core.links.ports import adapter_of, all_ports
from netloom_core.links.rfc2217 import parts_of
from netloom_core.links.serial import check_port
from netloom_core.model.line import MAX_HOSTS
from netloom_core.sweep.sweep import fitting
from netloom_server.base.problems import Conflict
from netloom_server.consoles.models import ConsoleLog
from netloom_server.installation.models import Device, Line, LineAccess, Sighting
from netloom_server.installation.services.fitting import remove as remove_device
from netloom_server.runs.models import LIVE, Run

PORT = frozenset({"path", "speed", "parity"})


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
    _check_network(network, interface)
    return Line(
        name=data.get("name") or f"Network {network}",
        kind="ip",
        network=str(network),
        source=source,
        interface=interface,
        protocol="ip",
    )


def _check_network(network: ipaddress.IPv4Network, interface: str, line: str = "") -> None:
    for other in Line.objects.filter(kind="ip", archived=None).exclude(id=line):
        # The same network through two interfaces can be; then each is a line of its own.
        if ipaddress.ip_network(other.network).overlaps(network) and other.interface == interface:
            raise Conflict(f"{network} overlaps the line {other.name} ({other.network}).", "Give another network.")


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
    other = Line.objects.filter(name__iexact=line.name).exclude(id=line.id).first()
    if other is not None:
        archived = ", and it is archived" if other.archived else ""
        raise Conflict(f"There is a line named {other.name} already{archived}.", "Choose another name.")


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
    for other in Line.objects.filter(kind="serial", archived=None).exclude(id=line):
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
    if port := PORT & data.keys():
        if line.kind != "serial":
            raise RequestError(f"{line.name} is no serial line: it has no port.", "Nothing was changed.")
        _idle(line)
        for name in port:
            setattr(line, name, data[name])
    if "path" in data:
        check_path(line.path, line.id)
        line.adapter = adapter_of(line.path, all_ports(settings.DATA / "ports"))
    line.note = ""
    line.save()


@transaction.atomic
def put_in_order(idents: list[str]) -> None:
    """The loom's strands from left to right. Raises RequestError where a line is named twice, or is none."""
    known = {line.id: line for line in Line.objects.all()}
    if len(set(idents)) != len(idents) or any(ident not in known for ident in idents):
        raise RequestError("The order names a line twice, or one that is none.", "Look at the lines again.")
    for position, ident in enumerate(idents, 1):
        Line.objects.filter(id=ident).exclude(position=position).update(position=position)
    Line.objects.exclude(id__in=idents).exclude(position=0).update(position=0)


@transaction.atomic
def remove(line: Line) -> None:
    """Take a line away with the strangers on it. Raises Conflict where anything of the installation is on it."""
    _idle(line)
    mine = list(line.devices.filter(taken_in=True).order_by("name").values_list("name", flat=True))
    if mine:
        raise Conflict(
            f"{some_of(mine)} on {line.name} would lose {'its' if len(mine) == 1 else 'their'} place.",
            "Merge the line into another one, or remove its devices first. Nothing was changed.",
        )
    for stranger in line.devices.all():
        remove_device(stranger)
    _forget_places(line)
    try:
        line.delete()
    except ProtectedError as error:
        raise Conflict(f"{line.name} is still needed.", "Nothing was changed.") from error


def network_of(network: str, interface: str) -> Line:
    """The line of a network that this computer has come into; made where there is none."""
    known = Line.objects.filter(kind="ip", network=network, interface=interface, archived=None).first()
    if known is not None:
        return known
    line = new_ip({"network": network, "interface": interface, "name": f"{network} on {interface}"})
    check_name(line)
    line.save()
    return line


def in_use(line: Line) -> Line:
    """The line itself. Raises Conflict where it is archived: nothing goes out on it, and nothing is planned there."""
    if line.archived is not None:
        raise Conflict(f"{line.name} is archived.", "Bring it back first. Nothing was sent or changed.")
    return line


def line_of(line: Line, address: str) -> Line:
    """The line itself; where it is a network that does not hold the address, another one in use that does, those on
    its interface first."""
    if line.kind != "ip" or not address or line.as_core().holds(address):
        return line
    others = [one for one in Line.objects.filter(kind="ip", archived=None) if one.as_core().holds(address)]
    return min(others, key=lambda one: one.interface != line.interface, default=line)


@transaction.atomic
def archive(line: Line) -> int:
    """Put a line away with the devices that are on no other one; nothing is lost. How many devices went along.

    A device that is on a line in use, too, has its place there from then on.
    """
    _idle(line)
    used = set(Line.objects.filter(archived=None).exclude(id=line.id).values_list("id", flat=True))
    went = 0
    for device in line.devices.all():
        at = next((place for place in device.places if place["line"] in used), None)
        if at is None:
            went += 1
            continue
        here = {"line": line.id, "address": device.address, "speed": device.speed}
        device.places = [here, *(place for place in device.places if place != at)]
        device.line_id, device.address, device.speed = at["line"], at["address"], at["speed"]
        device.version = F("version") + 1
        device.save(update_fields=["places", "line", "address", "speed", "version"])
    line.archived = timezone.now()
    line.save(update_fields=["archived"])
    Line.objects.filter(parent__line=line, archived=None).update(archived=line.archived)  # buses behind them
    return went


@transaction.atomic
def bring_back(line: Line) -> None:
    """Raises Conflict where its network or its port is another line's by now."""
    if line.archived is None:
        return
    if line.kind == "ip":
        _check_network(ipaddress.IPv4Network(line.network), line.interface, line.id)
    elif line.kind == "serial":
        check_path(line.path, line.id)
    Line.objects.filter(parent__line=line, archived=line.archived).update(archived=None)  # which went with it
    line.archived = None
    line.save(update_fields=["archived"])


@transaction.atomic
def merge(line: Line, into: Line) -> int:
    """All that is known of a line goes to another one, and the line is gone. The number of devices that went.

    No device is told anything. Raises Conflict where one of them could not be there.
    """
    if line.id == into.id or line.kind != into.kind or line.kind == "behind":
        raise Conflict(f"{line.name} cannot be merged into {into.name}.", "Give another line of its kind.")
    in_use(into)
    for one in (line, into):
        _idle(one)
    core, there = into.as_core(), {d.address: d.name for d in into.devices.all() if d.address}
    devices = list(line.devices.all())
    outside = [d.name for d in devices if d.address and not core.holds(d.address)]
    twice = [f"{d.name} and {there[d.address]}" for d in devices if d.address in there]
    if outside:
        raise Conflict(f"{some_of(outside)}: no address of {into.name}.", "Move them first. Nothing was changed.")
    if twice:
        raise Conflict(
            f"{some_of(twice)} have the same address.", "Join them, or give one another address. Nothing was changed."
        )
    line.devices.update(line=into, version=F("version") + 1)
    Sighting.objects.filter(line=line).update(line=into)
    ConsoleLog.objects.filter(line=line).update(line=into)
    if not LineAccess.objects.filter(line=into).exists():  # else it has logins of its own
        LineAccess.objects.filter(line=line).update(line=into)
    _forget_places(line, into)
    line.delete()
    return len(devices)


def _idle(line: Line) -> None:
    if Run.objects.filter(state__in=LIVE).exists():
        raise Conflict(f"A run is under way, and it may be using {line.name}.", "Wait for it, or stop it.")


def some_of(names: list[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _forget_places(line: Line, into: Line | None = None) -> None:
    """Where devices of other lines were seen, too."""
    for device in Device.objects.filter(places__icontains=f'"{line.id}"'):
        left = [place for place in device.places if into or place["line"] != line.id]
        kept = [{**place, "line": into.id} if into and place["line"] == line.id else place for place in left]
        device.places = [p for at, p in enumerate(kept) if p not in kept[:at]]
        device.save(update_fields=["places"])
