"""This computer's own addresses: which one lies in a line's network."""

from __future__ import annotations

import ipaddress

import ifaddr

from netloom_core.errors import AddressOutside

LOOPBACK = ipaddress.IPv4Network("127.0.0.0/8")


def own_address(network: ipaddress.IPv4Network, interface: str = "") -> tuple[str, str]:
    """(address, interface) to send from on that network.

    All of 127/8 is this computer, so there its first host address serves. Raises
    AddressOutside that lists what there is.
    """
    if network.subnet_of(LOOPBACK):
        return str(next(network.hosts())), interface or "lo"
    seen = []
    for adapter in ifaddr.get_adapters():
        for one in adapter.ips:
            if not isinstance(one.ip, str):
                continue
            seen.append(f"{one.ip} on {adapter.name}")
            if ipaddress.ip_address(one.ip) in network and interface in ("", adapter.name):
                return one.ip, adapter.name
    raise AddressOutside(
        f"This computer has no address in {network}{' on ' + interface if interface else ''}.",
        f"Give its network card an address there. It has: {', '.join(seen) or 'none'}.",
    )
