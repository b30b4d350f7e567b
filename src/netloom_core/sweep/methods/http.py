"""HTTP identification: by the question of each profile, else what a web page says of itself."""

from __future__ import annotations

import re
import socket

import orjson

from netloom_core.drivers.http_json import identity_of
from netloom_core.errors import NetloomError
from netloom_core.links.http import HttpLink
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import HttpReach
from netloom_core.protocols.xml import clean
from netloom_core.sweep.base import Look, Method

IDENTIFY_S = 2.0
MAX_IDENTITY_BYTES = 64_000
PLAIN = (80, 8080)
TITLE = re.compile(rb"<title[^>]*>([^<]{1,200})", re.IGNORECASE)


class HttpIdentify(Method):
    name = "http"
    title = "HTTP identification"
    needs = "A connection of the connect scan."
    sends = "The identity request of each profile with that port; on 80 and 8080 a GET of the first page."

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset({p.reach.http.port for p in library if p.reach.http} | set(PLAIN))

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        link = HttpLink(look.line.source, address, port, timeout=IDENTIFY_S, sock=sock)
        try:
            for reach in ways(look.library, port):
                if facts := await self._facts(reach, link):
                    look.sight(address, self.name, ports=str(port), **facts)
                    return
            if port in PLAIN and (title := await self._title(link)):
                look.sight(address, "page", title=title, ports=str(port))
        finally:
            link.close()

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
        named = {name: getattr(identity, name) for name in ("maker", "model", "serial", "firmware")}
        return {**identity.facts, **{name: value for name, value in named.items() if value}}

    async def _title(self, link: HttpLink) -> str:
        try:
            _, body = await link.beginning("/", MAX_IDENTITY_BYTES)
        except NetloomError:
            return ""
        found = TITLE.search(body)
        return clean(found.group(1).decode("utf-8", "replace"), 120) if found else ""


def ways(library: Library, port: int) -> list[HttpReach]:
    """The different questions that profiles ask on a port."""
    asked = {p.reach.http.identify.path: p.reach.http for p in library if p.reach.http and p.reach.http.port == port}
    return list(asked.values())
