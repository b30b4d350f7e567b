"""mDNS and DNS-SD (RFC 6762, 6763): every service type that the network tells of is browsed, within bounds."""

from __future__ import annotations

import asyncio
import contextlib
import ipaddress

from zeroconf import BadTypeInNameException, IPVersion, NotRunningException, ServiceStateChange, Zeroconf
from zeroconf.asyncio import AsyncServiceBrowser, AsyncServiceInfo, AsyncZeroconf

from netloom_core.errors import LinkError
from netloom_core.links.interfaces import link_local_of
from netloom_core.protocols.xml import clean
from netloom_core.sweep.base import Look, Method

BROWSE_S = 3.0
LOOK_S = 0.25
QUIET_S, LONGER_S = 2.3, 5.0  # while something new comes it goes on over a repeat of its questions, but no longer
RESOLVE_MS = 1500
MAX_SERVICES = 4096
MAX_TYPES = 256  # of which nobody of ours knew; a host may tell hundreds
MAX_OF_ONE = 8  # services of one address that are told each; all are in its list
MAX_LISTED = 380  # characters
QUESTIONS = 12  # packets that browsing and resolving send at first, about
META = "_services._dns-sd._udp.local."  # RFC 6763 clause 9: which types there are
# Service types of equipment that are worth a look even where nobody answers the question for all types.
GENERAL = ("_http._tcp.local.", "_ssh._tcp.local.", "_telnet._tcp.local.", "_rtsp._tcp.local.", "_osc._udp.local.")
FACT_KEYS = ("maker", "model", "serial", "firmware", "mac", "uuid")


def facts_of(info: AsyncServiceInfo) -> dict[str, str]:
    """Its names, port and TXT records; those keys of TXT that name a device are facts by themselves."""
    facts: dict[str, str] = {}
    told = []
    for key, value in (info.decoded_properties or {}).items():
        word, text = clean(key, 40), clean(value or "", 120)
        if word.lower() in FACT_KEYS and text and (value or "").isprintable():
            facts[word.lower()] = text
        elif word:
            told.append(f"{word}={text}" if text else word)
    if info.server:
        facts["host"] = clean(info.server.rstrip("."), 120)
    if told:
        facts["txt"] = clean("; ".join(told), 300)
    facts["instance"] = clean(info.name.removesuffix("." + info.type), 80)
    facts["service"] = f"{info.type.removesuffix('.local.')}:{info.port or 0}"
    return {name: value for name, value in facts.items() if value}


def whole_words(words: list[str], most: int) -> str:
    """As many of them as there is room for, none cut."""
    text = ""
    for word in words:
        if len(text) + len(word) + 1 > most:
            break
        text = f"{text} {clean(word, most)}".strip()
    return text


def addresses_of(info: AsyncServiceInfo) -> tuple[list[str], list[str]]:
    """(IPv4, IPv6) addresses, without those that no device has."""
    four: list[str] = []
    six: list[str] = []
    for text in info.parsed_scoped_addresses(IPVersion.All):
        parsed = ipaddress.ip_address(text)
        if not (parsed.is_unspecified or parsed.is_multicast):
            (four if parsed.version == 4 else six).append(text)
    return four, six


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
        self.types = set(types)
        self.left_out = 0
        self.mute = 0
        self._homes: dict[str, list[str]] = {}  # IPv4 addresses by host name
        self._homeless: list[AsyncServiceInfo] = []
        self._news = 0.0
        self._listed: dict[tuple[str, str], list[str]] = {}
        self._zeroconf = _opened(home)
        self._browsers = [self._browse([META, *types])]
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
            loop = asyncio.get_running_loop()
            for _ in range(round(LONGER_S / LOOK_S)):
                if loop.time() - self._news > QUIET_S and not self._pending:
                    break
                await asyncio.sleep(LOOK_S)
            await asyncio.gather(*self._pending, return_exceptions=True)
            self._tell_all(self._homeless)
        finally:
            for task in self._pending:
                task.cancel()
            for browser in self._browsers:
                await browser.async_cancel()
            with contextlib.suppress(OSError):
                await self._zeroconf.async_close()

    def _changed(self, zeroconf: Zeroconf, service_type: str, name: str, state_change: ServiceStateChange) -> None:
        if state_change is ServiceStateChange.Removed or name in self._seen or len(self._seen) >= MAX_SERVICES:
            return
        if service_type == META:
            self._another_type(name)
            return
        self._seen.add(name)
        self._news = asyncio.get_running_loop().time()
        task = asyncio.get_running_loop().create_task(self._resolve(zeroconf, service_type, name))
        self._pending.add(task)
        task.add_done_callback(self._pending.discard)

    def _browse(self, types: list[str]) -> AsyncServiceBrowser:
        return AsyncServiceBrowser(self._zeroconf.zeroconf, types, handlers=[self._changed])

    def _another_type(self, service_type: str) -> None:
        """A type that the network tells of; one that is not written as a type is nobody's."""
        if service_type in self.types or service_type == META:
            return
        if len(self.types) >= MAX_TYPES:
            self.left_out += 1
            return
        self.types.add(service_type)
        self._news = asyncio.get_running_loop().time()
        # What stops the browse stops this one, too: then there is nothing left to begin.
        with contextlib.suppress(BadTypeInNameException, NotRunningException):
            self._browsers.append(self._browse([service_type]))

    async def _resolve(self, zeroconf: Zeroconf, service_type: str, name: str) -> None:
        info = AsyncServiceInfo(service_type, name)
        if self.looks:
            await self.looks[0].pace.take(2)
        told = await info.async_request(zeroconf, RESOLVE_MS) or await info.async_request(zeroconf, RESOLVE_MS)
        if not told:
            self.mute += 1
            return
        self._found.append(info)
        four, _ = addresses_of(info)
        host = info.server or ""
        if four:
            self._homes[host] = four
        elif host not in self._homes:
            self._homeless.append(info)  # its IPv4 address comes with another service of that host, as a rule
            return
        self._tell_all([info, *(one for one in self._homeless if (one.server or "") == host)])
        self._homeless = [one for one in self._homeless if (one.server or "") != host]

    def _tell_all(self, infos: list[AsyncServiceInfo]) -> None:
        for info in infos:
            for look in self.looks:
                self._tell(look, info)

    def _tell(self, look: Look, info: AsyncServiceInfo) -> None:
        four, six = addresses_of(info)
        four = four or self._homes.get(info.server or "", [])
        facts = facts_of(info)
        for address in four or six[:1]:
            if not (look.accepts(address) and look.wanted(address)):
                continue
            listed = self._listed.setdefault((look.line.id, address), [])
            listed.append(facts["service"])
            if len(listed) <= MAX_OF_ONE:
                look.sight(address, MdnsBrowse.name, **facts, ipv6=" ".join(six), **look.outside(address))

    def conclude(self, look: Look) -> None:
        """One list of all services for each address, since only the first few are told one by one."""
        for (line, address), services in self._listed.items():
            if line == look.line.id:
                listed = whole_words(sorted(set(services)), MAX_LISTED)
                look.sight(address, MdnsBrowse.name, services=listed, services_count=str(len(services)),
                           **look.outside(address))  # fmt: skip
        if self.mute:
            look.note(f"{self.mute} services were told of and did not say where they are.")
        if self.left_out:
            look.note(f"{self.left_out} more service types were told of than are browsed ({MAX_TYPES}).")


def _opened(home: str) -> AsyncZeroconf:
    """Over IPv4, and over IPv6 too where the interface has a link-local address. Raises OSError."""
    six = link_local_of(home)
    if six:
        with contextlib.suppress(OSError, RuntimeError):
            return AsyncZeroconf(interfaces=[home, six], ip_version=IPVersion.All)
    return AsyncZeroconf(interfaces=[home], ip_version=IPVersion.V4Only)


class MdnsBrowse(Method):
    name = "mdns"
    title = "mDNS and DNS-SD"
    needs = "UDP port 5353, shared with other programs."
    sends = "Browsing questions for all service types that the network tells of, by multicast."
    wait_s = BROWSE_S

    async def run(self, look: Look) -> None:
        types = {service for profile in look.library for service in profile.signs.services}
        types |= {s for p in look.library for way in p.of_protocol("http") for s in way.services} | set(GENERAL)
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
            browse.conclude(look)
        finally:
            browse.leave(look)
