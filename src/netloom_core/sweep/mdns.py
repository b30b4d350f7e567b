"""mDNS and DNS-SD (RFC 6762, 6763): browse the services that the profiles name."""

from __future__ import annotations

import asyncio
import contextlib
import ipaddress

from zeroconf import IPVersion, ServiceStateChange, Zeroconf
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

from netloom_core.errors import LinkError
from netloom_core.model.line import Line
from netloom_core.sweep.base import Look

BROWSE_S = 2.5
RESOLVE_MS = 1500
TICK_S = 0.25
MAX_SERVICES = 4096
FACT_KEYS = ("maker", "model", "serial", "firmware", "mac")


def facts_of(info: AsyncServiceInfo) -> dict[str, str]:
    """Facts from TXT records; only known keys, short and printable."""
    facts: dict[str, str] = {}
    for key, value in (info.decoded_properties or {}).items():
        if key.lower() in FACT_KEYS and value and value.isprintable():
            facts[key.lower()] = value[:120]
    if info.server:
        facts["host"] = info.server.rstrip(".")[:120]
    return facts


class MdnsBrowse:
    name = "mdns"

    def fits(self, line: Line) -> bool:
        return line.kind == "ip"

    async def run(self, look: Look) -> None:
        types = sorted({s for p in look.library if p.reach.http for s in p.reach.http.services})
        if not types:
            return
        # All of 127/8 is one interface, and multicast on it is joined by its first address.
        loopback = bool(look.line.source) and ipaddress.ip_address(look.line.source).is_loopback
        try:
            zeroconf = AsyncZeroconf(
                interfaces=["127.0.0.1" if loopback else look.line.source], ip_version=IPVersion.V4Only
            )
        except OSError as error:
            raise LinkError(
                f"mDNS cannot be asked on {look.line.name}: {error.strerror or error}.",
                "Another program may hold UDP port 5353 for itself; the other methods go on.",
            ) from error
        pending: set[asyncio.Task[None]] = set()
        seen: set[str] = set()

        def changed(zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange) -> None:
            if state_change is ServiceStateChange.Removed or name in seen or len(seen) >= MAX_SERVICES:
                return
            seen.add(name)
            task = asyncio.get_running_loop().create_task(self._resolve(look, zeroconf, service_type, name))
            pending.add(task)
            task.add_done_callback(pending.discard)

        browser = AsyncServiceBrowser(zeroconf.zeroconf, types, handlers=[changed])
        try:
            ticks = round(BROWSE_S / TICK_S)
            for tick in range(ticks):
                await asyncio.sleep(TICK_S)
                look.progress(self.name, tick + 1, ticks)
            await asyncio.gather(*pending, return_exceptions=True)
        finally:
            await browser.async_cancel()
            with contextlib.suppress(OSError):
                await zeroconf.async_close()

    async def _resolve(self, look: Look, zeroconf: Zeroconf, service_type: str, name: str) -> None:
        info = AsyncServiceInfo(service_type, name)
        if not await info.async_request(zeroconf, RESOLVE_MS):
            return
        for address in info.parsed_addresses(IPVersion.V4Only):
            if look.line.holds(address):
                look.sight(address, self.name, **facts_of(info))
