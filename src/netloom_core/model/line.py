"""Lines and the places on them."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from netloom_core.errors import AddressOutside

MAX_HOSTS = 4096  # a /20; larger sweeps are refused, they would take minutes and flood the network


@dataclass(frozen=True)
class Line:
    """One thing that devices hang on.

    `kind` is `ip` or `serial`. An IP line has a `network` (CIDR) and the `source`
    address of this computer in it; all its traffic is sent from there. A serial
    line has a `path`, its usual `speed` in baud and the `protocol` spoken on it.
    """

    id: str
    name: str
    kind: str
    network: str = ""
    source: str = ""
    path: str = ""
    speed: int = 9600
    protocol: str = ""

    def hosts(self) -> list[str]:
        """Addresses of an IP line that a device can have, own address left out, in order."""
        network = ipaddress.ip_network(self.network)
        if network.num_addresses > MAX_HOSTS:
            raise AddressOutside(
                f"{self.network} has {network.num_addresses} addresses; a line has at most {MAX_HOSTS}.",
                "Give the line the part of the network where the devices are, a /20 or smaller.",
                target=self.name,
            )
        return [str(host) for host in network.hosts() if str(host) != self.source]

    def holds(self, address: str) -> bool:
        """Whether the address can be one of this line's devices."""
        if self.kind == "serial":
            return address.isdecimal() and 0 <= int(address) <= 126
        try:
            parsed = ipaddress.ip_address(address)
        except ValueError:
            return False
        network = ipaddress.ip_network(self.network)
        return parsed in network and parsed not in (network.network_address, network.broadcast_address)


def address_key(address: str) -> int:
    """Sort key that puts addresses of one line in their order on the wire."""
    if address.isdecimal():
        return int(address)
    try:
        return int(ipaddress.ip_address(address))
    except ValueError:
        return -1
