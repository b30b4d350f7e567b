"""Connect scan of an IP line, and HTTP identification of what takes the connection."""

from __future__ import annotations

import asyncio
import contextlib
import socket

import orjson

from netloom_core.drivers.http_json import identity_of
from netloom_core.errors import LinkError, NetloomError
from netloom_core.links import tcp
from netloom_core.links.http import HttpLink
from netloom_core.model.line import Line
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import HttpReach
from netloom_core.sweep.base import Look

AT_ONCE = 256  # connections under way; more gains little and worries small switches
CONNECT_S = 1.0
IDENTIFY_S = 2.0
MAX_IDENTITY_BYTES = 64_000
REPORT_EVERY = 64


def ports_of(library: Library) -> dict[int, list[HttpReach]]:
    """Ports to try, each with the different ways to ask for an identity there."""
    ports: dict[int, dict[str, HttpReach]] = {}
    for profile in library:
        if profile.reach.http is not None:
            ports.setdefault(profile.reach.http.port, {}).setdefault(
                profile.reach.http.identify.path, profile.reach.http
            )
    return {port: list(ways.values()) for port, ways in ports.items()}


class ConnectScan:
    name = "connect"

    def fits(self, line: Line) -> bool:
        return line.kind == "ip"

    async def run(self, look: Look) -> None:
        """Try every address and port with bounded load; who takes the connection is asked on it who he is."""
        ways = ports_of(look.library)
        expected = [address for address, _ in look.expected if look.line.holds(address)]
        hosts = dict.fromkeys([*expected, *look.line.hosts()])
        targets = [(host, port) for host in hosts for port in ways]
        todo = iter(targets)
        count = 0

        async def worker() -> None:
            nonlocal count
            for address, port in todo:
                answer = await tcp.connect(look.line.source, address, port, CONNECT_S)
                if not isinstance(answer, str):
                    look.sight(address, self.name, ports=str(port))
                    await self._identify(look, address, port, ways[port], answer)
                count += 1
                if count % REPORT_EVERY == 0 or count == len(targets):
                    look.progress(self.name, count, len(targets))

        try:
            async with asyncio.TaskGroup() as group:
                for _ in range(min(AT_ONCE, len(targets))):
                    group.create_task(worker())
        except* LinkError as group:
            raise group.exceptions[0] from None

    async def _identify(self, look: Look, address: str, port: int, ways: list[HttpReach], sock: socket.socket) -> None:
        first: socket.socket | None = sock
        for reach in ways:
            link = HttpLink(look.line.source, address, port, timeout=IDENTIFY_S, sock=first)
            first = None
            with contextlib.closing(link):
                facts = await self._facts(reach, link)
            if facts:
                look.sight(address, "http", **facts)
                return

    async def _facts(self, reach: HttpReach, link: HttpLink) -> dict[str, str]:
        """What it says of itself; nothing where it does not answer this question as it should."""
        try:
            status, body = await link.request(reach.identify.method, reach.identify.path)
            small = status == 200 and len(body) <= MAX_IDENTITY_BYTES
            identity = identity_of(reach, orjson.loads(body)) if small else None
        except (NetloomError, orjson.JSONDecodeError):
            return {}
        if identity is None:
            return {}
        facts = {name: value for name, value in identity.facts.items() if value}
        for name in ("maker", "model", "serial", "firmware"):
            if getattr(identity, name):
                facts[name] = getattr(identity, name)
        return facts
