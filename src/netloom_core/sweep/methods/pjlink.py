"""PJLink: the class 2 search by broadcast, and who a display is, asked on its port."""

from __future__ import annotations

import asyncio
import socket

from netloom_core.errors import NetloomError, NoAnswer, ProtocolError, WrongCredentials
from netloom_core.library.load import Library
from netloom_core.links.talk import Talk
from netloom_core.links.udp import UdpLink, broadcast_of
from netloom_core.protocols import pjlink
from netloom_core.sweep.base import Look, Method

ANSWER_S = 1.5
TALK_S = 12.0  # in all: a dozen questions, of which a slow display answers each in time
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
        lines, login = Lines(Talk(sock, TALK_S, look.pace.take)), None
        try:
            random = pjlink.parse_greeting(await lines.next(ANSWER_S))
            password = ""
            if random is not None:
                # Its answer to a question already gives away what the password can be guessed from.
                login = await look.login(address, SEARCH_S)
                if login and not look.access.refusals.may(address, login):
                    look.note(f"{address}: its PJLink password was refused twice and is not tried again by itself.")
                    login = None
                password = login.password if login else ""
            facts = await ask(lines, random, password)
        except WrongCredentials:
            look.access.refusals.refused(address, login)
            look.sight(address, self.name, ports=str(port), refused="PJLink wants its password")
            return
        except NetloomError:
            return
        look.access.refusals.taken(address, login)
        look.sight(address, self.name, ports=str(port), **facts)


class Lines:
    """Lines of a PJLink talk, each ended by a carriage return (clause 4.1), in however many pieces they come."""

    def __init__(self, talk: Talk) -> None:
        self._talk = talk
        self._rest = b""

    async def next(self, seconds: float) -> bytes:
        """One line, waited for at most `seconds` in all. Raises NoAnswer, or ProtocolError when it is none."""
        loop = asyncio.get_running_loop()
        deadline = loop.time() + seconds
        while b"\r" not in self._rest:
            if len(self._rest) > pjlink.MAX_LINE:
                raise ProtocolError("a PJLink line is too long")
            data = await self._talk.read(max(deadline - loop.time(), 0.0))
            if not data and self._talk.closed:
                raise ProtocolError("the display closed the connection")
            if not data:
                raise NoAnswer("The display did not finish a line.")
            self._rest += data
        line, _, self._rest = self._rest.partition(b"\r")
        return line

    async def say(self, data: bytes) -> None:
        await self._talk.say(data)
        if self._talk.closed:
            raise ProtocolError("the display closed the connection")


async def ask(lines: Lines, random: str | None, password: str) -> dict[str, str]:
    """Facts of the display at the other end; a question that it refuses is one fact less.

    `random` is what it greeted with, None where it wants no password. Raises WrongCredentials.
    """
    if random is not None and not password:
        raise WrongCredentials("The display wants its PJLink password.")
    prefix = pjlink.answer_to(random, password) if random is not None else b""
    facts: dict[str, str] = {}
    for number, (command, fact) in enumerate(pjlink.QUESTIONS.items()):
        try:
            await lines.say((prefix if not number else b"") + pjlink.ask(command))
            value = await _answer(lines, command)
        except NoAnswer:
            if command.startswith(pjlink.CLASS_2):
                break  # class 1 displays are silent to the questions of class 2
            continue
        except ProtocolError:
            if not facts:
                raise
            break  # it hung up; what it told before stays
        if value:
            facts[fact] = pjlink.POWER.get(value, value) if fact == "power" else value
    return facts


async def _answer(lines: Lines, command: str) -> str:
    """The reply to that command; late ones to an earlier one are passed over. Raises NoAnswer."""
    loop = asyncio.get_running_loop()
    deadline = loop.time() + ANSWER_S
    while True:
        line = await lines.next(deadline - loop.time())
        try:
            return pjlink.parse_reply(line, command)
        except ProtocolError:
            continue
