"""Which driver speaks to a device, by the protocol of its profile."""

from __future__ import annotations

from netloom_core.bus.owner import Owners
from netloom_core.drivers.http_json import HttpJsonDriver
from netloom_core.drivers.osdp import OsdpDriver
from netloom_core.errors import RequestError
from netloom_core.links.http import HttpLink
from netloom_core.model.device import Target
from netloom_core.model.ports import Driver
from netloom_core.profiles.load import Library


class Drivers:
    """Opens drivers for targets. Closing a driver does not close its line."""

    def __init__(self, library: Library, owners: Owners) -> None:
        self.library = library
        self.owners = owners

    async def open(self, target: Target) -> Driver:
        profile = self.library.need(target.profile)
        if not target.address:
            raise RequestError(
                f"{target.name} has not been found anywhere yet.", "Sweep its line first.", target=target.device
            )
        driver = profile.driver_on(target.line.kind)
        if driver == "http" and profile.reach.http is not None:
            link = HttpLink(target.line.source, target.address, profile.reach.http.port)
            return HttpJsonDriver(target, profile, link)
        if driver == "osdp":
            return OsdpDriver(target, profile, self.owners.serial(target.line))
        raise RequestError(
            f"{profile.model} is not reached over a line like {target.line.name}.",
            "Say which line it really is on.",
            target=target.device,
        )
