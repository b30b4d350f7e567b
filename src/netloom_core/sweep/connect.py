"""Connect scan of an IP line, and HTTP identification of what takes the connection."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable

import httpx

from netloom_core.drivers.http_json import identity_of
from netloom_core.errors import LinkError
from netloom_core.links import tcp
from netloom_core.model.line import Line
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import HttpReach
from netloom_core.sweep.base import Look

AT_ONCE = 256  # connections under way; more gains little and worries small switches
CONNECT_S = 1.0
IDENTIFY_AT_ONCE = 32
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


async def scan(
    line: Line, targets: Iterable[tuple[str, int]], took: asyncio.Queue[tuple[str, int]], done: Callable[[], None]
) -> None:
    """Try every (address, port) with bounded load; what takes the connection goes in the queue."""
    todo = iter(targets)

    async def worker() -> None:
        for address, port in todo:
            if await tcp.probe_port(line.source, address, port, CONNECT_S) == "open":
                took.put_nowait((address, port))
            done()

    async with asyncio.TaskGroup() as group:
        for _ in range(AT_ONCE):
            group.create_task(worker())


class ConnectScan:
    name = "connect"

    def fits(self, line: Line) -> bool:
        return line.kind == "ip"

    async def run(self, look: Look) -> None:
        ways = ports_of(look.library)
        expected = [address for address, _ in look.expected if look.line.holds(address)]
        hosts = list(dict.fromkeys([*expected, *look.line.hosts()]))
        targets = [(host, port) for host in hosts for port in ways]
        took: asyncio.Queue[tuple[str, int]] = asyncio.Queue()
        count = 0

        def one_done() -> None:
            nonlocal count
            count += 1
            if count % REPORT_EVERY == 0 or count == len(targets):
                look.progress(self.name, count, len(targets))

        async with tcp.client(look.line.source, "", timeout=IDENTIFY_S) as client:
            askers = [asyncio.create_task(self._ask(look, took, ways, client)) for _ in range(IDENTIFY_AT_ONCE)]
            try:
                await scan(look.line, targets, took, one_done)
                await took.join()
            except* LinkError as group:
                raise group.exceptions[0] from None
            finally:
                for asker in askers:
                    asker.cancel()
                await asyncio.gather(*askers, return_exceptions=True)

    async def _ask(
        self,
        look: Look,
        took: asyncio.Queue[tuple[str, int]],
        ways: dict[int, list[HttpReach]],
        client: httpx.AsyncClient,
    ) -> None:
        while True:
            address, port = await took.get()
            try:
                await self._identify(look, address, port, ways[port], client)
            finally:
                took.task_done()

    async def _identify(
        self, look: Look, address: str, port: int, ways: list[HttpReach], client: httpx.AsyncClient
    ) -> None:
        look.sight(address, self.name, ports=str(port))
        for reach in ways:
            try:
                async with asyncio.timeout(IDENTIFY_S):
                    response = await client.request(
                        reach.identify.method, f"http://{address}:{port}{reach.identify.path}", json=reach.identify.body
                    )
                if response.status_code != 200 or len(response.content) > MAX_IDENTITY_BYTES:
                    continue
                identity = identity_of(reach, response.json())
            except (httpx.HTTPError, TimeoutError, ValueError, RecursionError):
                continue  # whoever it is does not answer this question; the port stays as evidence
            facts = {name: value for name, value in identity.facts.items() if value}
            for name in ("maker", "model", "serial", "firmware"):
                if getattr(identity, name):
                    facts[name] = getattr(identity, name)
            if facts:
                look.sight(address, "http", **facts)
                return
