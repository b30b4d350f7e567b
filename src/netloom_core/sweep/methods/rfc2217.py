"""Device servers: TCP ports that are serial ports, known by the COM port option."""

from __future__ import annotations

import socket

from netloom_core.errors import ProtocolError
from netloom_core.library.load import Library
from netloom_core.links.talk import Talk
from netloom_core.protocols import telnet
from netloom_core.sweep.base import Look, Method

ANSWER_S = 1.5
TALK_S = 3.0  # in all, whatever it prints meanwhile
USUAL = (2217, 4001)


class Rfc2217Servers(Method):
    name = "rfc2217"
    title = "Serial device servers"
    needs = "A connection of the connect scan on port 2217 or 4001."
    sends = "An offer of the Telnet COM port option; no setting, no data."

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset(USUAL)

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        options = telnet.Telnet(accept=frozenset({telnet.COM_PORT, telnet.BINARY}))
        options.offer(telnet.COM_PORT, ask=False)
        talk = Talk(sock, TALK_S, look.pace.take)
        try:
            await talk.say(options.taken())
            while data := await talk.read(ANSWER_S):
                options.receive(data)
                if telnet.COM_PORT in options.ours:
                    look.sight(address, self.name, ports=str(port), device_server=f"rfc2217://{address}:{port}")
                    return
                if telnet.COM_PORT in options.denied:
                    return
                await talk.say(options.taken())
        except ProtocolError:
            return
