"""Which driver speaks to a device, by the channel of its profile that lies on its line. A new protocol is a line in
OPENERS.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any, Protocol

from netloom_core.bus.owner import Owners
from netloom_core.drivers.http.driver import HttpDriver
from netloom_core.drivers.osdp.driver import OsdpDriver
from netloom_core.errors import CannotDo, RequestError
from netloom_core.links.http import HttpLink
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.profiles.abilities import Abilities
from netloom_core.profiles.profile import Profile


class Profiles(Protocol):
    """Where profiles are had from."""

    def get(self, ident: str) -> Profile | None: ...

    def need(self, ident: str) -> Profile: ...


Opener = Callable[[Target, Profile, str, Owners], Any]


def _http(target: Target, profile: Profile, name: str, owners: Owners) -> HttpDriver:
    link = HttpLink(target.line.source, target.address, profile.channels[name].port)
    return HttpDriver(target, profile, name, link)


def _osdp(target: Target, profile: Profile, name: str, owners: Owners) -> OsdpDriver:
    return OsdpDriver(target, profile, name, owners.serial(target.line))


OPENERS: dict[str, Opener] = {"http": _http, "osdp": _osdp}


class Drivers:
    """Opens drivers for targets. Closing a driver does not close its line."""

    def __init__(self, library: Profiles, owners: Owners) -> None:
        self.library = library
        self.owners = owners
        self._abilities = lru_cache(maxsize=1024)(self._reckon)

    def abilities(self, profile: str, line: Line) -> Abilities:
        return self._abilities(profile, line.kind, line.protocol)

    def _reckon(self, profile: str, kind: str, protocol: str) -> Abilities:
        found = self.library.get(profile)
        name = found.channel_for(kind, protocol) if found else ""
        return found.channels[name].abilities(name, found) if found and name else Abilities()

    async def open(self, target: Target) -> Any:
        profile = self.library.need(target.profile)
        if not target.address:
            raise RequestError(
                f"{target.name} has not been found anywhere yet.", "Sweep its line first.", target=target.device
            )
        name = profile.channel_for(target.line.kind, target.line.protocol)
        if not name:
            raise CannotDo(
                f"{profile.model} is not reached over a line like {target.line.name}.",
                "Say which line it really is on.",
                target=target.device,
            )
        return OPENERS[profile.channels[name].protocol](target, profile, name, self.owners)
