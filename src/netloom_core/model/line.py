"""Lines and the places on them."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass
from functools import lru_cache

from netloom_core.errors import AddressOutside

MAX_HOSTS = 4096  # a /20; larger sweeps are refused, they would take minutes and flood the network
DIRECT = "direct"  # the address of the one device at the end of a point-to-point serial line
UNIT_MARK = "#"
RDM_DIGITS = 12  # of a UID: who is behind a lighting node is told apart by it
PLACE_ROLES = ("address", "mask", "gateway", "name", "speed")  # of items that say where a device is found on its line
UNITS = {"osdp": (0, 126), "modbus": (1, 247)}  # addresses on a bus, first and last
PARITIES = {"N": "no", "E": "even", "O": "odd"}  # in words


@dataclass(frozen=True)
class Line:
    """One thing that devices hang on.

    `kind` is `ip`, `serial` or `behind`. An IP line has a `network` (CIDR), the `source`
    address of this computer in it, and the `interface`; all its traffic leaves there. A
    serial line has a `path` (a port or an `rfc2217://` address), the `adapter` that the
    port belongs to, its usual `speed` in baud, `parity` and the `protocol` spoken on it. A
    line `behind` a device is the bus that its `parent` (a device id) leads. `off` are the
    sweep methods that are switched off on it.
    """

    id: str
    name: str
    kind: str
    network: str = ""
    source: str = ""
    path: str = ""
    speed: int = 9600
    protocol: str = ""
    interface: str = ""
    parity: str = "N"
    adapter: str = ""
    parent: str = ""
    off: tuple[str, ...] = ()

    @property
    def loopback(self) -> bool:
        return bool(self.source) and ipaddress.ip_address(self.source).is_loopback

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

    def places(self) -> list[str]:
        """Every address that a device on it may have, in order."""
        if self.kind == "ip":
            return self.hosts()
        low, high = (0, 255) if self.kind == "behind" else UNITS.get(self.protocol, (1, 0))
        return [str(n) for n in range(low, high + 1)]

    def holds(self, address: str) -> bool:
        """Whether the address can be one of this line's devices."""
        if self.kind == "serial":
            low, high = UNITS.get(self.protocol, (1, 0))
            return (address.isdecimal() and low <= int(address) <= high) or (
                self.protocol not in UNITS and address == DIRECT
            )
        if self.kind == "behind":
            return address.isdecimal() and int(address) <= 255
        try:
            parsed = ipaddress.ip_address(host_of(address))
        except ValueError:
            return False
        network = ipaddress.ip_network(self.network)
        return parsed in network and parsed not in (network.network_address, network.broadcast_address)


def second_address(interface: str, address: str, bits: int) -> str:
    """The command by which a person gives an interface a second address."""
    return f"ip address add {address}/{bits} dev {interface}"


def host_of(address: str) -> str:
    """Of who is behind a gateway, `192.0.2.5#7`, or a node, `192.0.2.5#7ff000001234`, that one's own address; any
    other address as it is.
    """
    host, _, unit = address.partition(UNIT_MARK)
    return host if _unit_number(unit) >= 0 else address


def _unit_number(unit: str) -> int:
    """The Modbus unit or the RDM UID as a number; -1 where it is neither."""
    if unit.isdecimal() and len(unit) <= 3 and int(unit) <= 255:
        return int(unit)
    if len(unit) == RDM_DIGITS and all(digit in "0123456789abcdef" for digit in unit):
        return int(unit, 16)
    return -1


@lru_cache(maxsize=1 << 16)
def address_key(address: str) -> int:
    """Sort key that puts addresses of one line in their order on the wire, units behind a gateway after it."""
    if address.isdecimal():
        return int(address)
    host = host_of(address)
    try:
        place = int(ipaddress.ip_address(host)) << 49
    except ValueError:
        return -1
    return place if host == address else place + 1 + _unit_number(address.rpartition(UNIT_MARK)[2])
