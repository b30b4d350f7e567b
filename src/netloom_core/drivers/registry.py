"""Which driver speaks to a device, by the protocol of its profile. A new protocol is a line in DRIVERS."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.drivers import http_json, osdp
from netloom_core.drivers.abilities import Abilities
from netloom_core.errors import CannotDo, RequestError
from netloom_core.links.http import HttpLink
from netloom_core.model.device import Target
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import Profile


@dataclass(frozen=True)
class Kind:
    abilities: Callable[[Profile], Abilities]
    open: Callable[[Target, Profile, Owners], Any]


def _http(target: Target, profile: Profile, owners: Owners) -> http_json.HttpJsonDriver:
    port = profile.reach.http.port if profile.reach.http else 80
    return http_json.HttpJsonDriver(target, profile, HttpLink(target.line.source, target.address, port))


def _osdp(target: Target, profile: Profile, owners: Owners) -> osdp.OsdpDriver:
    return osdp.OsdpDriver(target, profile, owners.serial(target.line))


DRIVERS = {"http": Kind(http_json.abilities, _http), "osdp": Kind(osdp.abilities, _osdp)}


class Drivers:
    """Opens drivers for targets. Closing a driver does not close its line."""

    def __init__(self, library: Library, owners: Owners) -> None:
        self.library = library
        self.owners = owners
        self._abilities = lru_cache(maxsize=1024)(self._reckon)

    def abilities(self, profile: str, line_kind: str) -> Abilities:
        return self._abilities(profile, line_kind)

    def _reckon(self, profile: str, line_kind: str) -> Abilities:
        found = self.library.get(profile)
        kind = DRIVERS.get(found.driver_on(line_kind)) if found else None
        return kind.abilities(found) if kind and found else Abilities()

    async def open(self, target: Target) -> Any:
        profile = self.library.need(target.profile)
        if not target.address:
            raise RequestError(
                f"{target.name} has not been found anywhere yet.", "Sweep its line first.", target=target.device
            )
        kind = DRIVERS.get(profile.driver_on(target.line.kind))
        if kind is None:
            raise CannotDo(
                f"{profile.model} is not reached over a line like {target.line.name}.",
                "Say which line it really is on.",
                target=target.device,
            )
        return kind.open(target, profile, self.owners)
