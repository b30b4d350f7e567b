"""Who a device is, and what is needed to reach it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from netloom_core.model.line import Line


@dataclass(frozen=True)
class Identity:
    """What a device says of itself. Maker and serial number together name it for good."""

    maker: str = ""
    model: str = ""
    serial: str = ""
    firmware: str = ""
    facts: dict[str, str] = field(default_factory=dict)

    @property
    def key(self) -> str:
        """Identity that survives a change of address; empty where the device tells none."""
        return f"{self.maker.casefold()}|{self.serial.casefold()}" if self.maker and self.serial else ""


@dataclass(frozen=True)
class Credentials:
    user: str = ""
    password: str = field(default="", repr=False)


@dataclass(frozen=True)
class Target:
    """A device as a driver needs it: which profile, where, who it must be, how to get in.

    `speed` is in baud, 0 on an IP line. `identity_key` is empty while it is not known.
    """

    device: str
    name: str
    profile: str
    line: Line
    address: str
    speed: int = 0
    identity_key: str = ""
    credentials: tuple[Credentials, ...] = ()

    def at(self, address: str, speed: int | None = None) -> Target:
        return replace(self, address=address, speed=self.speed if speed is None else speed)
