"""HTTP identification: by the question of each profile, else what a web page says of itself."""

from __future__ import annotations

import re
import socket

from netloom_core.drivers.http.bodies import decoded
from netloom_core.drivers.http.driver import identity_of
from netloom_core.drivers.http.form import HttpChannel
from netloom_core.errors import NetloomError
from netloom_core.library.load import Library
from netloom_core.links.http import HttpLink
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
        return frozenset({way.port for p in library for way in p.of_protocol("http")} | set(PLAIN))

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        questions = ways(look.library, port)
        tls = bool(questions) and questions[0].tls
        link = HttpLink(look.line.source, address, port, timeout=IDENTIFY_S, sock=sock, tls=tls)
        try:
            for way in questions:
                await look.pace.take()
                if facts := await self._facts(way, link):
                    look.sight(address, self.name, ports=str(port), **facts)
                    return
            if port in PLAIN:
                await look.pace.take()
                if title := await self._title(link):
                    look.sight(address, "page", title=title, ports=str(port))
        finally:
            link.close()

    async def _facts(self, way: HttpChannel, link: HttpLink) -> dict[str, str]:
        """What it says of itself; nothing where it does not answer this question as it should."""
        try:
            status, body = await link.request(way.identify.method, way.identify.path)
            small = status == 200 and len(body) <= MAX_IDENTITY_BYTES
            identity = identity_of(way, decoded(body, way.told, "It")) if small else None
        except NetloomError:
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


def ways(library: Library, port: int) -> list[HttpChannel]:
    """The different questions that profiles ask on a port, all in clear or all by TLS."""
    asked: dict[tuple[str, str], HttpChannel] = {}
    for profile in library:
        for way in profile.of_protocol("http"):
            if way.port == port and not way.known_after_sign_in:
                # The same question means the same dialect, unless what it tells is to be had elsewhere.
                asked.setdefault((way.identify.path, str(sorted(way.identity.items()))), way)
    plain = [way for way in asked.values() if not way.tls]
    return plain or list(asked.values())
