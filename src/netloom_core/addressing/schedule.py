"""The address schedule in open forms: a table, a hosts file, and reservations for two common DHCP servers. Pure."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from netloom_core.addressing.hostnames import LABEL, host_label
from netloom_core.documents import tables

COLUMNS = ("name", "host name", "area", "line", "address", "found at", "mask", "gateway", "speed", "model", "serial",
           "mac")  # fmt: skip
_ADDRESS = re.compile(r"[0-9.]{7,15}|[0-9a-f:]{2,39}")
_MAC = re.compile(r"([0-9a-f]{2}:){5}[0-9a-f]{2}")


@dataclass(frozen=True)
class Place:
    """One device and where it is to be. `ip` is whether its address is one of a network; `found` is where it is.

    `host` is the host name that it is to have itself, where `names_itself`; `label` is the one made of its name.
    """

    name: str
    line: str
    address: str
    ip: bool = False
    area: str = ""
    found: str = ""
    mask: str = ""
    gateway: str = ""
    model: str = ""
    serial: str = ""
    mac: str = ""
    speed: str = ""
    host: str = ""
    names_itself: bool = False
    label: str = ""


def host_names(places: Iterable[Place]) -> dict[str, str]:
    """By device name a label of RFC 1123 clause 2.1 for it: letters, digits and hyphens; each only once."""
    found: dict[str, str] = {}
    taken: set[str] = set()
    for place in places:
        plain = host_label(place.name)
        label, number = plain, 1
        while label in taken:
            number += 1
            label = f"{plain[: LABEL - len(str(number)) - 1].rstrip('-')}-{number}"
        taken.add(label)
        found[place.name] = label
    return found


def table_of(places: Iterable[Place]) -> list[tuple[str, ...]]:
    """With its first row: what `table.py` reads back."""
    rows: list[tuple[str, ...]] = [COLUMNS]
    for one in places:
        host = one.host if one.names_itself else one.label if one.ip else ""
        cells = (one.name, host, one.area, one.line, one.address, one.found, one.mask, one.gateway, one.speed,
                 one.model, one.serial, one.mac)  # fmt: skip
        rows.append(cells)
    return rows


def labelled(places: Iterable[Place]) -> list[Place]:
    """Each with its own label of a host name."""
    places = list(places)
    names = host_names(places)
    return [replace(one, label=names[one.name]) for one in places]


def as_csv(places: Iterable[Place]) -> str:
    return tables.as_csv(table_of(labelled(places)))


def as_xlsx(places: Iterable[Place]) -> bytes:
    return tables.as_xlsx("Addresses", table_of(labelled(places)))


def as_hosts(places: Iterable[Place]) -> str:
    """As hosts(5): an address and its name on each line; what the device is called here stands behind."""
    places = list(places)
    names = host_names(places)
    lines = ["# Made by Netloom from its address plan."]
    lines += [f"{one.address}\t{names[one.name]}\t# {_plain(one.name)}" for one in _with_host_address(places)]
    return "\n".join(lines) + "\n"


def as_dnsmasq(places: Iterable[Place]) -> str:
    """`dhcp-host` lines; without a MAC address there is nothing to know a device by, which is said."""
    return _reservations("dnsmasq", "dhcp-host={mac},{name},{address}", places)


def as_dhcpd(places: Iterable[Place]) -> str:
    """`host` declarations for the ISC's DHCP server."""
    form = "host {name} {{ hardware ethernet {mac}; fixed-address {address}; }}"
    return _reservations("the ISC's dhcpd", form, places)


def _reservations(server: str, form: str, places: Iterable[Place]) -> str:
    places = list(places)
    names = host_names(places)
    lines = [f"# Reservations for {server}, made by Netloom from its address plan."]
    for one in _with_host_address(places):
        lines.append(form.format(mac=one.mac, name=names[one.name], address=one.address) if one.mac else _without(one))
    return "\n".join(lines) + "\n"


def _with_host_address(places: Iterable[Place]) -> Iterator[Place]:
    """Those with an address of their own on a network; a unit behind another one has none. What a device tells as its
    MAC address and is none, stands in no file that a server reads."""
    for one in places:
        if one.ip and _ADDRESS.fullmatch(one.address):
            yield one if _MAC.fullmatch(one.mac) else replace(one, mac="")


def _without(one: Place) -> str:
    return f"# {one.address} {_plain(one.name)}: its MAC address is not known"


def _plain(text: str) -> str:
    """On one line, whatever somebody called it."""
    return re.sub(r"[\x00-\x1f\x7f]+", " ", text)
