"""Connect scan of an IP line; who takes a connection is greeted on it by the methods that know the port.

Every address is tried on the ports that methods and profiles name, those first where somebody was met.
The short general list comes after, and only where somebody is: an address that refused, or that any method saw.
Each host has its own work, so that slow ones and silent ones are in nobody's way.
"""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import Iterable

from netloom_core.errors import Crowded, LinkError
from netloom_core.library.load import Library
from netloom_core.links import tcp
from netloom_core.sweep.base import Look, Method

AT_ONCE = 256  # connections being opened; more gains little and worries small switches
HOSTS_AT_ONCE = 128
GREETINGS_AT_ONCE = 48  # more talks at once would make this computer late for all of them
CONNECT_S = 1.0
CROWDED_S = 0.25  # before a connection is tried again that this computer had no room for
CROWDED_TRIES = 8
REPORT_EVERY = 64
GREETING_PACKETS = 6  # what a conversation of a greeting costs of the allowance, about
# Ports of services that say something of what a device is, by the name shown.
GENERAL = {21: "FTP", 22: "SSH", 23: "Telnet", 80: "HTTP", 443: "HTTPS", 554: "RTSP", 5900: "RFB", 8080: "HTTP"}


def named_ports(methods: Iterable[Method], library: Library) -> list[int]:
    """Ports to try everywhere, those of profiles first."""
    by_profile = {port for profile in library for port in profile.signs.ports}
    by_profile |= {channel.port for profile in library for channel in profile.of_protocol("http")}
    by_method = {port for method in methods for port in method.ports(library)}
    return [*sorted(by_profile), *sorted(by_method - by_profile)]


class ConnectScan(Method):
    name = "connect"
    title = "Connect scan"
    needs = "TCP to the line."
    sends = "One TCP connection for each address and port; closed again at once, or greeted."

    def budget(self, look: Look) -> float:
        """For a network of which every address is silent, twice over."""
        tries = len(look.hosts()) * len(named_ports(look.methods, look.library))
        return 25.0 + 2 * tries * CONNECT_S / AT_ONCE

    async def run(self, look: Look) -> None:
        everywhere = named_ports(look.methods, look.library)
        general = [port for port in GENERAL if port not in everywhere]
        for port in [*everywhere, *general]:
            if look.line.loopback and await self._our_own(look, port):
                (everywhere if port in everywhere else general).remove(port)
                look.note(f"Port {port} was left out: a service of this computer answers there on every address.")
        await Scan(look, everywhere, general).run()

    async def _our_own(self, look: Look, port: int) -> bool:
        """On loopback a service bound to all addresses looks like a device on each of them."""
        await look.pace.take()
        return await tcp.probe_port(look.line.source, look.line.source, port, CONNECT_S) == "open"


class Scan:
    """One scan of one line."""

    def __init__(self, look: Look, everywhere: list[int], general: list[int]) -> None:
        self._look, self._everywhere, self._general = look, everywhere, general
        self._opening = asyncio.Semaphore(AT_ONCE)
        self._greeting = asyncio.Semaphore(GREETINGS_AT_ONCE)
        self._refused: set[str] = set()
        self._with_general: set[str] = set()
        self._left_out: set[str] = set()
        self._count = 0
        self._total = len(look.hosts()) * (len(everywhere) + len(general))

    async def run(self) -> None:
        look, hosts = self._look, asyncio.Semaphore(HOSTS_AT_ONCE)
        asked: list[str] = []

        async def one(host: str) -> None:
            try:
                await self._host(host)
            finally:
                hosts.release()

        try:
            async with asyncio.TaskGroup() as group:
                async for host in look.presence.first():
                    await hosts.acquire()
                    asked.append(host)
                    group.create_task(one(host))
            # Whoever was met by another method only after it was its turn here.
            async with asyncio.TaskGroup() as group:
                for host in [host for host in asked if host in look.heard and host not in self._with_general]:
                    group.create_task(self._ports(host, self._general))
        except* LinkError as group:
            raise group.exceptions[0] from None
        if self._left_out:
            look.note(f"{len(self._left_out)} addresses were not asked on every port: this computer was full.")
        if look.presence.proven and look.presence.silent:
            look.note(f"{look.presence.silent} addresses were not tried: nobody there answers ARP.")
        look.progress(self._total, self._total)

    async def _host(self, host: str) -> None:
        await self._ports(host, self._everywhere)
        if host in self._look.heard or host in self._refused:
            self._with_general.add(host)
            await self._ports(host, self._general)

    async def _ports(self, host: str, ports: list[int]) -> None:
        async with asyncio.TaskGroup() as group:
            for port in ports:
                group.create_task(self._port(host, port))

    async def _port(self, host: str, port: int) -> None:
        look = self._look
        answer = await self._open(host, port)
        if isinstance(answer, str):
            if answer == "refused":
                self._refused.add(host)
                look.answered.add(host)
        else:
            look.answered.add(host)
            with contextlib.closing(answer):
                look.sight(host, ConnectScan.name, ports=str(port))
                async with self._greeting:
                    await self._greet(host, port, answer)
        self._count += 1
        if self._count % REPORT_EVERY == 0:
            look.progress(self._count, self._total)

    async def _open(self, host: str, port: int) -> socket.socket | str:
        """What `tcp.connect` gives; when this computer is full it is tried again, more slowly."""
        look = self._look
        for _ in range(CROWDED_TRIES):
            async with self._opening:
                await look.pace.take()
                try:
                    return await tcp.connect(look.line.source, host, port, CONNECT_S)
                except Crowded:
                    look.pace.slow()
            await asyncio.sleep(CROWDED_S)
        self._left_out.add(host)
        return "silent"

    async def _greet(self, address: str, port: int, sock: socket.socket) -> None:
        """The first method has this connection; others that know the port get one of their own."""
        look = self._look
        speakers = [method for method in look.methods if port in method.ports(look.library)]
        for number, method in enumerate(speakers):
            await look.pace.take(GREETING_PACKETS)
            if number == 0:
                await look.greeted(method, address, port, sock)
                continue
            another = await self._open(address, port)
            if not isinstance(another, str):
                with contextlib.closing(another):
                    await look.greeted(method, address, port, another)
