"""Devices with a text dialogue on a TCP port or Telnet, asked who they are as their profiles say.

Where a dialogue wants a sign-in, it gets one only from a login that is known here: the factory's, which is no
secret, and only of whoever greets as that model does; a person's to whom it was shown to belong.
"""

from __future__ import annotations

import asyncio
import re
import socket

from netloom_core.drivers.carrier import StreamPort
from netloom_core.drivers.dialogue.flow import Answer, Heard, Missing
from netloom_core.drivers.dialogue.form import DialogueChannel
from netloom_core.drivers.dialogue.talk import Conversation, facts_of
from netloom_core.errors import NetloomError, NoAnswer, NobodyThere, ProtocolError, WrongCredentials
from netloom_core.library.load import Library
from netloom_core.links.stream import TcpStream, TelnetStream, open_tcp
from netloom_core.model.device import Credentials
from netloom_core.profiles.profile import Profile
from netloom_core.protocols.xml import clean
from netloom_core.sweep.base import Look, Method

GREETING_S = 1.2
MOST = 6  # dialects that one host is asked in
KNOWN_S = 2.0  # for another method to tell who it is, before a person's login goes out


class TalkIdentify(Method):
    name = "talk"
    title = "Dialogues on the network"
    needs = "A connection of the connect scan."
    sends = "The questions of each profile with a dialogue on that port; a sign-in only with a login known for it."

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset(way.tcp_port for _, way in ways(library))

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        ours = [(profile, way) for profile, way in ways(look.library) if way.tcp_port == port]
        far = TelnetStream(sock.dup(), address) if ours[0][1].over == "telnet" else TcpStream(sock.dup(), address)
        try:
            text = await self._greeting(far, [way for _, way in ours])
        except NetloomError:
            far.close()
            return
        asked: set[str] = set()
        owed = look.owners.owed(look.line, address, port)
        for profile, way in ours:
            mark = way.model_dump_json(include={"identify", "sign_in", "prompt", "over"})
            if mark in asked or len(asked) >= MOST or not fits(way, text):
                continue
            asked.add(mark)
            try:
                if far.ended:
                    far = await open_tcp(look.line.source, address, port, telnet=way.over == "telnet")
                    text = ""
                facts = await self._facts(look, address, profile, way, StreamPort(far, owed, fresh=True), text)
            except WrongCredentials:
                look.sight(address, self.name, ports=str(port), refused="its dialogue wants another sign-in")
                return
            except NetloomError as error:
                if isinstance(error, NoAnswer | ProtocolError) and not isinstance(error, NobodyThere):
                    owed.left_waiting(way.answer_seconds)
                continue
            finally:
                far.close()
            if facts:
                look.sight(address, self.name, ports=str(port), **facts)
                return
        far.close()

    async def _greeting(self, far: TcpStream, ours: list[DialogueChannel]) -> str:
        """What it says by itself, until one of the dialogues knows it."""
        heard = Heard(ours[0])
        loop = asyncio.get_running_loop()
        deadline = loop.time() + GREETING_S
        while (left := deadline - loop.time()) > 0:
            heard.feed(await far.read(left))
            if any(signs(way) and fits(way, heard.text) for way in ours):
                break
        return heard.text

    async def _facts(
        self, look: Look, address: str, profile: Profile, way: DialogueChannel, port: StreamPort, text: str
    ) -> dict[str, str]:
        heard = Heard(way, text)
        talk = Conversation(way, port, heard, address)
        login = Credentials()
        if way.sign_in:
            found = await self._login(look, address, profile)
            if found is None:
                return {}
            login = found
        try:
            await talk.enter(login)
        except WrongCredentials:
            look.access.refusals.refused(address, login)
            raise
        facts: dict[str, str] = {}
        for ask in way.identify:
            await look.pace.take()
            answer = await talk.question(ask.send, Answer(sent=ask.send, wanted=ask.answer))
            if not isinstance(answer, Missing):
                facts |= {name: clean(value, 120) for name, value in facts_of(answer, ask.answer).items()}
        if way.sign_in:
            look.access.refusals.taken(address, login)
        return {**way.constant, **facts} if facts else {}

    async def _login(self, look: Look, address: str, profile: Profile) -> Credentials | None:
        login = await look.login(address, KNOWN_S)
        if login is None and address not in look.access.logins and profile.factory.password:
            login = Credentials(profile.factory.user, profile.factory.password)
        if login is not None and not look.access.refusals.may(address, login):
            look.note(f"{address}: its sign-in was refused twice and is not tried again by itself.")
            return None
        return login


def signs(way: DialogueChannel) -> str:
    """The pattern of what it says first; empty where it says nothing."""
    return way.sign_in[0].expect if way.sign_in else way.greeting or way.prompt


def fits(way: DialogueChannel, text: str) -> bool:
    return not signs(way) or re.search(signs(way), text) is not None


def ways(library: Library) -> list[tuple[Profile, DialogueChannel]]:
    """Every dialogue on the network that says how it is asked who it is, with its profile."""
    return [
        (profile, way)
        for profile in library
        for way in profile.of_protocol("dialogue")
        if way.over in ("tcp", "telnet") and way.identify
    ]
