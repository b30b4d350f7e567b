"""PJLink: the class 2 search by broadcast, and who a display is, asked on its port."""

from __future__ import annotations

import asyncio
import socket

from netloom_core.errors import NetloomError, ProtocolError, WrongCredentials
from netloom_core.links.udp import UdpLink, broadcast_of
from netloom_core.profiles.load import Library
from netloom_core.protocols import pjlink
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.methods.banners import read_some

ANSWER_S = 1.5
SEARCH_S = 2.5


class Pjlink(Method):
    name = "pjlink"
    title = "PJLink"
    needs = "UDP and TCP port 4352."
    sends = "One search by broadcast; queries for maker, model, name, serial number and version."
    wait_s = SEARCH_S

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset({pjlink.PORT})

    async def run(self, look: Look) -> None:
        with UdpLink(look.line.source) as link:
            await look.pace.take()
            await link.send(pjlink.SEARCH, broadcast_of(look.line.source, look.line.network), pjlink.PORT)
            async for data, address, _ in link.answers(SEARCH_S):
                if look.accepts(address):
                    try:
                        look.sight(address, "pjlink-search", mac=pjlink.parse_found(data), **look.outside(address))
                    except ProtocolError:
                        continue

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        try:
            facts = await ask(sock, look.access.logins[address].password if address in look.access.logins else "")
        except NetloomError as error:
            if isinstance(error, WrongCredentials):
                look.sight(address, self.name, ports=str(port), refused="PJLink wants its password")
            return
        look.sight(address, self.name, ports=str(port), **facts)


async def ask(sock: socket.socket, password: str) -> dict[str, str]:
    """Facts of the display at the other end. Raises ProtocolError and WrongCredentials."""
    random = pjlink.parse_greeting(await read_some(sock, ANSWER_S))
    if random is not None and not password:
        raise WrongCredentials("The display wants its PJLink password.")
    prefix = pjlink.answer_to(random, password) if random is not None else b""
    loop = asyncio.get_running_loop()
    facts: dict[str, str] = {}
    for command, fact in pjlink.QUESTIONS.items():
        try:
            await loop.sock_sendall(sock, prefix + pjlink.ask(command))
        except OSError as error:
            raise ProtocolError("the display closed the connection") from error
        prefix = b""
        line = await read_some(sock, ANSWER_S)
        if not line:
            break
        value = pjlink.parse_reply(line, command)
        if value:
            facts[fact] = pjlink.POWER.get(value, value) if fact == "power" else value
    return facts
