"""mDNS and DNS-SD (RFC 6762, 6763): browse the services that the profiles name."""

from __future__ import annotations

import asyncio
import contextlib

from zeroconf import IPVersion, ServiceStateChange, Zeroconf
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

from netloom_core.errors import LinkError
from netloom_core.sweep.base import Look, Method

BROWSE_S = 2.5
RESOLVE_MS = 1500
TICK_S = 0.25
MAX_SERVICES = 4096
QUESTIONS = 12  # packets that browsing and resolving send at first, about
# Service types of equipment that are worth a look besides those of the profiles.
GENERAL = ("_http._tcp.local.", "_ssh._tcp.local.", "_telnet._tcp.local.", "_rtsp._tcp.local.", "_osc._udp.local.")
FACT_KEYS = ("maker", "model", "serial", "firmware", "mac", "uuid")


def facts_of(info: AsyncServiceInfo) -> dict[str, str]:
    """Facts from TXT records; only known keys, short and printable."""
    facts: dict[str, str] = {}
    for key, value in (info.decoded_properties or {}).items():
        if key.lower() in FACT_KEYS and value and value.isprintable():
            facts[key.lower()] = value[:120]
    if info.server:
        facts["host"] = info.server.rstrip(".")[:120]
    return facts


class MdnsBrowse(Method):
    name = "mdns"
    title = "mDNS and DNS-SD"
    needs = "UDP port 5353, shared with other programs."
    sends = "Browsing questions for the service types of the profiles and some general ones, by multicast."

    async def run(self, look: Look) -> None:
        types = {service for profile in look.library for service in profile.reach.services}
        types |= {s for p in look.library if p.reach.http for s in p.reach.http.services} | set(GENERAL)
        await look.pace.take(QUESTIONS)
        # All of 127/8 is one interface, and multicast on it is joined by its first address.
        home = "127.0.0.1" if look.line.loopback else look.line.source
        try:
            zeroconf = AsyncZeroconf(interfaces=[home], ip_version=IPVersion.V4Only)
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

        browser = AsyncServiceBrowser(zeroconf.zeroconf, sorted(types), handlers=[changed])
        try:
            ticks = round(BROWSE_S / TICK_S)
            for tick in range(ticks):
                await asyncio.sleep(TICK_S)
                look.progress(tick + 1, ticks)
            await asyncio.gather(*pending, return_exceptions=True)
        finally:
            await browser.async_cancel()
            with contextlib.suppress(OSError):
                await zeroconf.async_close()

    async def _resolve(self, look: Look, zeroconf: Zeroconf, service_type: str, name: str) -> None:
        info = AsyncServiceInfo(service_type, name)
        await look.pace.take(2)
        if not await info.async_request(zeroconf, RESOLVE_MS):
            return
        for address in info.parsed_addresses(IPVersion.V4Only):
            if look.accepts(address):
                look.sight(address, self.name, **facts_of(info), **look.outside(address))
