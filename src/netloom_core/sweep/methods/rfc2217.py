"""Device servers: TCP ports that are serial ports, known by the COM port option."""

from __future__ import annotations

import asyncio
import socket

from netloom_core.errors import ProtocolError
from netloom_core.profiles.load import Library
from netloom_core.protocols import telnet
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.methods.banners import read_some

ANSWER_S = 1.5
USUAL = (2217, 4001)


class Rfc2217Servers(Method):
    name = "rfc2217"
    title = "Serial device servers"
    needs = "A connection of the connect scan on port 2217 or 4001."
    sends = "An offer of the Telnet COM port option; no setting, no data."

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset(USUAL)

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        talk = telnet.Telnet(accept=frozenset({telnet.COM_PORT, telnet.BINARY}))
        loop = asyncio.get_running_loop()
        talk.offer(telnet.COM_PORT, ask=False)
        try:
            await loop.sock_sendall(sock, talk.taken())
            while data := await read_some(sock, ANSWER_S):
                talk.receive(data)
                if telnet.COM_PORT in talk.ours:
                    look.sight(address, self.name, ports=str(port), device_server=f"rfc2217://{address}:{port}")
                    return
                if telnet.COM_PORT in talk.denied:
                    return
                await loop.sock_sendall(sock, talk.taken())
        except (ProtocolError, OSError):
            return
