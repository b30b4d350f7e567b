"""Connect scan of an IP line; who takes a connection is greeted on it by the methods that know the port.

Every address is tried on the ports that methods and profiles name. The short general list
comes after, and only where somebody is: an address that refused, or that any method saw.
"""

from __future__ import annotations

import asyncio
import contextlib
import socket
from collections.abc import Iterable, Iterator

from netloom_core.errors import LinkError
from netloom_core.links import tcp
from netloom_core.profiles.load import Library
from netloom_core.sweep.base import Look, Method

AT_ONCE = 256  # connections under way; more gains little and worries small switches
CONNECT_S = 1.0
REPORT_EVERY = 64
GREETING_PACKETS = 6  # what a conversation of a greeting costs of the allowance, about
# Ports of services that say something of what a device is, by the name shown.
GENERAL = {21: "FTP", 22: "SSH", 23: "Telnet", 80: "HTTP", 443: "HTTPS", 554: "RTSP", 5900: "RFB", 8080: "HTTP"}


def named_ports(methods: Iterable[Method], library: Library) -> list[int]:
    """Ports to try everywhere, those of profiles first."""
    by_profile = {port for profile in library for port in profile.reach.ports}
    by_profile |= {profile.reach.http.port for profile in library if profile.reach.http}
    by_method = {port for method in methods for port in method.ports(library)}
    return [*sorted(by_profile), *sorted(by_method - by_profile)]


class ConnectScan(Method):
    name = "connect"
    title = "Connect scan"
    needs = "TCP to the line."
    sends = "One TCP connection for each address and port; closed again at once, or greeted."

    async def run(self, look: Look) -> None:
        everywhere = named_ports(look.methods, look.library)
        general = [port for port in GENERAL if port not in everywhere]
        for port in [*everywhere, *general]:
            if look.line.loopback and await self._our_own(look, port):
                (everywhere if port in everywhere else general).remove(port)
                look.note(f"Port {port} was left out: a service of this computer answers there on every address.")
        hosts = look.hosts()
        total = len(hosts) * (len(everywhere) + len(general))
        refused: set[str] = set()
        await self._scan(look, ((h, p) for h in hosts for p in everywhere), 0, total, refused)
        alive = [host for host in hosts if host in look.heard or host in refused]
        await self._scan(look, ((h, p) for h in alive for p in general), len(hosts) * len(everywhere), total, refused)
        look.progress(total, total)

    async def _our_own(self, look: Look, port: int) -> bool:
        """On loopback a service bound to all addresses looks like a device on each of them."""
        await look.pace.take()
        return await tcp.probe_port(look.line.source, look.line.source, port, CONNECT_S) == "open"

    async def _scan(
        self, look: Look, targets: Iterator[tuple[str, int]], count: int, total: int, refused: set[str]
    ) -> None:
        async def worker() -> None:
            nonlocal count
            for address, port in targets:
                await look.pace.take()
                answer = await tcp.connect(look.line.source, address, port, CONNECT_S)
                if not isinstance(answer, str):
                    look.sight(address, self.name, ports=str(port))
                    with contextlib.closing(answer):
                        await self._greet(look, address, port, answer)
                elif answer == "refused":
                    refused.add(address)
                count += 1
                if count % REPORT_EVERY == 0:
                    look.progress(count, total)

        try:
            async with asyncio.TaskGroup() as group:
                for _ in range(AT_ONCE):
                    group.create_task(worker())
        except* LinkError as group:
            raise group.exceptions[0] from None

    async def _greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        """The first method has this connection; others that know the port get one of their own."""
        speakers = [method for method in look.methods if port in method.ports(look.library)]
        for number, method in enumerate(speakers):
            await look.pace.take(GREETING_PACKETS)
            if number == 0:
                await method.greet(look, address, port, sock)
                continue
            another = await tcp.connect(look.line.source, address, port, CONNECT_S)
            if not isinstance(another, str):
                with contextlib.closing(another):
                    await method.greet(look, address, port, another)
