"""This computer's own interfaces: which one lies in a line's network, and how they are."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass
from pathlib import Path

import ifaddr

from netloom_core.errors import AddressOutside

LOOPBACK = ipaddress.IPv4Network("127.0.0.0/8")
SYS_NET = Path("/sys/class/net")
ARPHRD_ETHER = 1  # in its `type`


@dataclass(frozen=True)
class Interface:
    """One address of one interface. `link` is False when no cable carries a signal."""

    name: str
    address: str
    network: ipaddress.IPv4Network
    link: bool


def is_loopback(address: str) -> bool:
    return ipaddress.ip_address(address) in LOOPBACK


def has_link(name: str) -> bool:
    """Whether the interface is up and has a carrier (Linux sysfs-class-net)."""
    try:
        return (SYS_NET / name / "carrier").read_text().strip() == "1"
    except OSError:
        return False  # reading it fails while the interface is down


def is_ethernet(name: str) -> bool:
    """Whether hosts on it are found by ARP; tunnels and point-to-point links have none."""
    try:
        return int((SYS_NET / name / "type").read_text()) == ARPHRD_ETHER
    except (OSError, ValueError):
        return False


def mac_of(name: str) -> bytes:
    """The interface's own MAC address, 6 bytes; zeros where the system does not tell."""
    try:
        return bytes.fromhex((SYS_NET / name / "address").read_text().strip().replace(":", ""))[:6].ljust(6, b"\0")
    except (OSError, ValueError):
        return bytes(6)


def all_interfaces() -> list[Interface]:
    found = []
    for adapter in ifaddr.get_adapters():
        for one in adapter.ips:
            if isinstance(one.ip, str):
                network = ipaddress.IPv4Network((one.ip, one.network_prefix), strict=False)
                found.append(Interface(adapter.name, one.ip, network, has_link(adapter.name)))
    return found


def own_address(network: ipaddress.IPv4Network, interface: str = "", *, loopback_only: bool = False) -> tuple[str, str]:
    """(address, interface) to send from on that network.

    All of 127/8 is this computer, so there its first host address serves. With
    `loopback_only`, as in the demo, no other network is ever sent to. Raises AddressOutside
    that lists what there is.
    """
    if network.subnet_of(LOOPBACK):
        return str(next(network.hosts())), interface or "lo"
    known = all_interfaces()
    mine = [one for one in known if ipaddress.ip_address(one.address) in network]
    if loopback_only and any(interface in ("", one.name) for one in mine):
        raise AddressOutside(
            f"{network} is a real network of this computer, and the demo sends on loopback only.",
            "For a real installation start `./netloom serve` with another data folder.",
        )
    for one in known:
        if ipaddress.ip_address(one.address) in network and interface in ("", one.name):
            return one.address, one.name
    seen = ", ".join(f"{one.address} on {one.name}" for one in known)
    raise AddressOutside(
        f"This computer has no address in {network}{' on ' + interface if interface else ''}.",
        f"Give its network card an address there. It has: {seen or 'none'}.",
    )


def interface_of(address: str) -> str:
    """The name of the interface that has this address; empty when none has."""
    return next((one.name for one in all_interfaces() if one.address == address), "")


def link_local_of(address: str) -> str:
    """The IPv6 link-local address of the interface that has this IPv4 address; empty when there is none."""
    for adapter in ifaddr.get_adapters():
        if any(one.ip == address for one in adapter.ips):
            for one in adapter.ips:
                if isinstance(one.ip, tuple) and ipaddress.IPv6Address(one.ip[0]).is_link_local:
                    return one.ip[0]
    return ""
