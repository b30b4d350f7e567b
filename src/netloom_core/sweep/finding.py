"""What a sweep is told of the devices on record, and what it tells of those it saw."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from netloom_core.model.device import Identity
from netloom_core.model.sighting import Sighting

# Of one on record at an IPv4 address: it is on the wire, but not there.
BY_IPV6 = "by-ipv6"


@dataclass(frozen=True)
class Place:
    line: str
    address: str
    speed: int = 0


@dataclass(frozen=True)
class Known:
    """A device on record. `key` is empty while nobody has seen it (planned only).

    `keys` are all facts that ever named it, `places` where else it was (two interfaces),
    `apart` keys that a person said are not its. `ways` are the methods by which a key came.
    """

    device: str
    key: str
    profile: str
    line: str
    address: str
    speed: int = 0
    keys: tuple[str, ...] = ()
    places: tuple[Place, ...] = ()
    host: str = ""
    apart: tuple[str, ...] = ()
    ways: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def everywhere(self) -> tuple[Place, ...]:
        return (Place(self.line, self.address, self.speed), *self.places)


@dataclass
class Finding:
    """One device as one sweep saw it. `same_as` are other records whose facts it has, too.

    `ways` are the methods by which each of its keys came, `shared` what it tells that others bear, too,
    and that therefore names nobody, with the reason.
    """

    line: str
    address: str
    speed: int
    identity: Identity
    profile: str
    status: str
    device: str = ""
    methods: list[str] = field(default_factory=list)
    facts: dict[str, str] = field(default_factory=dict)
    keys: tuple[str, ...] = ()
    places: tuple[Place, ...] = ()
    same_as: tuple[str, ...] = ()
    sightings: list[Sighting] = field(default_factory=list)
    ways: dict[str, list[str]] = field(default_factory=dict)
    shared: dict[str, str] = field(default_factory=dict)
