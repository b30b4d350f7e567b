"""SSDP: search by multicast, and the device description that an answer leads to."""

from __future__ import annotations

import asyncio
from urllib.parse import urlsplit

from netloom_core.errors import NetloomError, ProtocolError
from netloom_core.links.http import HttpLink
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import ssdp
from netloom_core.sweep.base import Look, Method

SPREAD_S = 2  # MX: answers come spread over it
LISTEN_S = SPREAD_S + 0.8
REPEATS = 2  # datagrams get lost; the architecture asks for more than one
DESCRIPTION_S = 2.0
FETCH_PACKETS = 6
MAX_DESCRIPTIONS = 1024


class SsdpSearch(Method):
    name = "ssdp"
    title = "SSDP"
    needs = "UDP multicast on the line."
    sends = "Two searches by multicast, and a GET of each device's description."
    wait_s = LISTEN_S

    async def run(self, look: Look) -> None:
        tasks: dict[tuple[str, str], asyncio.Task[None]] = {}
        with UdpLink(look.line.source) as link:
            for _ in range(REPEATS):
                await look.pace.take()
                await link.send(ssdp.search(SPREAD_S), ssdp.GROUP, ssdp.PORT)
            async for data, address, _ in link.answers(LISTEN_S):
                try:
                    headers = ssdp.parse_answer(data)
                except ProtocolError:
                    continue
                key = (address, headers.get("location", ""))
                if key not in tasks and look.accepts(address) and len(tasks) < MAX_DESCRIPTIONS:
                    tasks[key] = asyncio.ensure_future(self._tell(look, address, headers))
        await look.all_of(tasks.values())

    async def _tell(self, look: Look, address: str, headers: dict[str, str]) -> None:
        facts = {"uuid": ssdp.uuid_of(headers), "server": headers.get("server", "")}
        facts.update(await describe(look, address, headers.get("location", "")))
        look.sight(address, self.name, **facts, **look.outside(address))


async def describe(look: Look, address: str, location: str) -> dict[str, str]:
    """Facts of the description; nothing where it cannot be had. Only the answering device itself is asked."""
    try:
        split = urlsplit(location)
        host, port = split.hostname, split.port or 80
    except ValueError:
        return {}
    if split.scheme != "http" or host != address:
        return {}
    await look.pace.take(FETCH_PACKETS)
    link = HttpLink(look.line.source, address, port, timeout=DESCRIPTION_S)
    path = (split.path or "/") + (f"?{split.query}" if split.query else "")
    try:
        status, body = await link.request("GET", path)
        return ssdp.parse_description(body) if status == 200 else {}
    except NetloomError:
        return {}
    finally:
        link.close()
