"""Who a device is, and what is needed to reach it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from netloom_core.model.line import Line
from netloom_core.model.snmp import SnmpAccess


@dataclass(frozen=True)
class Identity:
    """What a device says of itself; `identity/` judges it."""

    maker: str = ""
    model: str = ""
    serial: str = ""
    firmware: str = ""
    facts: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Credentials:
    """`level` is which of several levels of access they open, "" the usual one (profiles/levels.py)."""

    user: str = ""
    password: str = field(default="", repr=False)
    level: str = ""


@dataclass(frozen=True)
class Target:
    """A device as a session needs it: which profile, where, who it must be, how to get in.

    `speed` is in baud, 0 on an IP line. `keys` are all facts that ever named it (identity/keys.py),
    `maker` and `models` what it is called, for one that bears nothing unique. `found` is False for
    a record that nobody has seen yet: then nobody can be proven to be it. `secrets` are the texts
    behind references in its values, by reference; only drivers look them up. `pins` are fingerprints of keys that it
    showed before, by protocol; `snmp` is how agents of its line are asked. `nearby` are other IP networks
    to which it may go. `trouble` says why its credentials cannot be had.
    """

    device: str
    name: str
    profile: str
    line: Line
    address: str
    speed: int = 0
    keys: tuple[str, ...] = ()
    maker: str = ""
    models: tuple[str, ...] = ()
    found: bool = True
    credentials: tuple[Credentials, ...] = ()
    secrets: Mapping[str, str] = field(default_factory=dict, repr=False)
    trouble: str = ""
    pins: Mapping[str, str] = field(default_factory=dict)
    snmp: SnmpAccess = field(default_factory=SnmpAccess)
    nearby: tuple[Line, ...] = ()

    def logins(self, level: str = "") -> tuple[Credentials, ...]:
        """How one gets in at that level, the likeliest first."""
        return tuple(one for one in self.credentials if one.level == level)

    def at(self, address: str, speed: int | None = None) -> Target:
        """There; on another network where that one holds the address and its own does not."""
        line = self.line
        if line.kind == "ip" and not line.holds(address):
            line = next((other for other in self.nearby if other.holds(address)), line)
        return replace(self, line=line, address=address, speed=self.speed if speed is None else speed)

    @property
    def place(self) -> tuple[str, str, int]:
        return self.line.id, self.address, self.speed
