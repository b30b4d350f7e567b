"""Second addresses of this computer, for the time of some work with a unit in another subnet.

Each is put for a short time and renewed, so that the system takes it away by itself when this process is no more.
"""

from __future__ import annotations

import asyncio
import ipaddress
import logging
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

from netloom_core.clock import Clock
from netloom_core.errors import Busy, CannotDo, LinkError, RequestError
from netloom_core.links import interfaces, second_address
from netloom_core.model import line as model
from netloom_core.model.line import Line

log = logging.getLogger("netloom.borrowed")
BITS = 24  # of a subnet whose mask nobody told
LASTS_S = 90  # that the system keeps it without being asked again
RENEW_S = 30.0


@dataclass(frozen=True)
class Borrowed:
    line: str
    interface: str
    address: str
    network: str
    until: float
    by: str


class Borrowing:
    def __init__(
        self, clock: Clock, tell: Callable[[str], None], *, lasts: int = LASTS_S, renew: float = RENEW_S
    ) -> None:
        self._clock = clock
        self._tell = tell
        self._lasts = lasts
        self._renew = renew
        self._coming: set[str] = set()  # networks for which an address is looked for now
        self._held: dict[str, tuple[Borrowed, asyncio.Task[None]]] = {}  # by network

    async def begin(self, line: Line, near: str, minutes: int, by: str) -> dict[str, Any]:
        """An address in the subnet of `near`, on that line's interface. Raises CannotDo, RequestError or LinkError."""
        if line.kind != "ip" or line.loopback:
            raise CannotDo(f"{line.name} has no interface that could have a second address.", "Choose another line.")
        try:
            network = ipaddress.IPv4Network(f"{near}/{BITS}", strict=False)
        except ValueError:
            raise RequestError(f"{near[:40]} is no address.", "Give the address of the unit.") from None
        if not network.is_private and not network.is_link_local:
            raise RequestError(f"{near} is an address of the public Internet.", "No second address is made there.")
        if line.holds(near) or any(network.overlaps(one.network) for one in interfaces.all_interfaces()):
            raise RequestError(f"This computer is in the network of {near} already.", "Add that network as a line.")
        interface = line.interface or interfaces.interface_of(line.source)
        if str(network) in self._coming:
            raise Busy(f"Somebody else is making a way into {network} just now.", "Look again in a moment.")
        self._coming.add(str(network))
        try:
            address = await second_address.free_in(interface, network, {near})
            by_hand = model.second_address(interface, address, BITS)
            await asyncio.to_thread(second_address.put, interface, address, BITS, self._lasts, by_hand)
        finally:
            self._coming.discard(str(network))
        made = Borrowed(line.id, interface, address, str(network), self._clock.now() + minutes * 60, by)
        task = asyncio.ensure_future(self._keep(made))
        self._held[made.network] = made, task
        log.info("%s has %s as a second address, for %s", interface, address, by)
        return asdict(made)

    async def _keep(self, made: Borrowed) -> None:
        try:
            loop = asyncio.get_running_loop()
            ends = loop.time() + made.until - self._clock.now()  # whatever the clock does meanwhile
            while loop.time() < ends:
                await asyncio.sleep(min(self._renew, max(0.1, ends - loop.time())))
                await asyncio.to_thread(second_address.put, made.interface, made.address, BITS, self._lasts)
        except LinkError as error:
            self._tell(f"{made.address} on {made.interface} is not kept: {error.message}")
        finally:
            self._held.pop(made.network, None)
            await asyncio.shield(asyncio.to_thread(self._gone, made))

    def _gone(self, made: Borrowed) -> None:
        try:
            second_address.take_away(made.interface, made.address, BITS)
        except LinkError as error:
            log.warning("%s", error.message)

    def shown(self, line: str) -> list[dict[str, Any]]:
        return [asdict(made) for made, _ in self._held.values() if made.line == line]

    async def end(self, line: str, network: str = "") -> None:
        """All on that line's interface, or the one of that network."""
        held = self._held.values()
        tasks = [task for made, task in held if made.line == line and network in ("", made.network)]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)

    async def stop(self) -> None:
        for made, _ in list(self._held.values()):
            await self.end(made.line)
