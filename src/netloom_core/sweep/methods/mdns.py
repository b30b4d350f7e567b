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


class Browse:
    """One browse of one interface, for all lines that are looked along there at the time.

    Answers to port 5353 reach only one of several sockets of a computer, so lines on one
    interface must not each have their own.
    """

    _going: dict[tuple[asyncio.AbstractEventLoop, str], Browse] = {}

    def __init__(self, home: str, types: list[str]) -> None:
        self.looks: list[Look] = []
        self._pending: set[asyncio.Task[None]] = set()
        self._seen: set[str] = set()
        self._found: list[AsyncServiceInfo] = []
        self._zeroconf = AsyncZeroconf(interfaces=[home], ip_version=IPVersion.V4Only)
        self._browser = AsyncServiceBrowser(self._zeroconf.zeroconf, types, handlers=[self._changed])
        self.done = asyncio.ensure_future(self._run())

    @classmethod
    def on(cls, home: str, types: list[str]) -> Browse:
        """The one that goes on there, or a new one. Raises OSError when the port cannot be had."""
        key = (asyncio.get_running_loop(), home)
        browse = cls._going.get(key)
        if browse is None:
            browse = cls._going[key] = cls(home, types)
            browse.done.add_done_callback(lambda _: cls._going.pop(key, None))
        return browse

    def join(self, look: Look) -> None:
        self.looks.append(look)
        for info in self._found:
            self._tell(look, info)

    def leave(self, look: Look) -> None:
        """The last one ends it, as when a sweep is stopped."""
        self.looks.remove(look)
        if not self.looks:
            self.done.cancel()

    async def _run(self) -> None:
        try:
            await asyncio.sleep(BROWSE_S)
            await asyncio.gather(*self._pending, return_exceptions=True)
        finally:
            for task in self._pending:
                task.cancel()
            await self._browser.async_cancel()
            with contextlib.suppress(OSError):
                await self._zeroconf.async_close()

    def _changed(self, zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange) -> None:
        if state_change is ServiceStateChange.Removed or name in self._seen or len(self._seen) >= MAX_SERVICES:
            return
        self._seen.add(name)
        task = asyncio.get_running_loop().create_task(self._resolve(zeroconf, service_type, name))
        self._pending.add(task)
        task.add_done_callback(self._pending.discard)

    async def _resolve(self, zeroconf: Zeroconf, service_type: str, name: str) -> None:
        info = AsyncServiceInfo(service_type, name)
        if self.looks:
            await self.looks[0].pace.take(2)
        if await info.async_request(zeroconf, RESOLVE_MS):
            self._found.append(info)
            for look in self.looks:
                self._tell(look, info)

    def _tell(self, look: Look, info: AsyncServiceInfo) -> None:
        for address in info.parsed_addresses(IPVersion.V4Only):
            if look.accepts(address) and look.wanted(address):
                look.sight(address, MdnsBrowse.name, **facts_of(info), **look.outside(address))


class MdnsBrowse(Method):
    name = "mdns"
    title = "mDNS and DNS-SD"
    needs = "UDP port 5353, shared with other programs."
    sends = "Browsing questions for the service types of the profiles and some general ones, by multicast."
    wait_s = BROWSE_S

    async def run(self, look: Look) -> None:
        types = {service for profile in look.library for service in profile.reach.services}
        types |= {s for p in look.library if p.reach.http for s in p.reach.http.services} | set(GENERAL)
        await look.pace.take(QUESTIONS)
        # All of 127/8 is one interface, and multicast on it is joined by its first address.
        home = "127.0.0.1" if look.line.loopback else look.line.source
        try:
            browse = Browse.on(home, sorted(types))
        except OSError as error:
            raise LinkError(
                f"mDNS cannot be asked on {look.line.name}: {error.strerror or error}.",
                "Another program may hold UDP port 5353 for itself; the other methods go on.",
            ) from error
        browse.join(look)
        try:
            await asyncio.shield(browse.done)
        finally:
            browse.leave(look)
