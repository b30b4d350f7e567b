"""ICMP echo, where the system lets this user send it."""

from __future__ import annotations

import asyncio
import errno
import os
import socket

from netloom_core.errors import LinkError, ProtocolError
from netloom_core.links.talk import readable
from netloom_core.links.udp import MAX_IN_ALL
from netloom_core.protocols import icmp
from netloom_core.sweep.base import Look, Method

LAST_S = 1.5  # after the last question
PAYLOAD = b"netloom-"


def open_socket(source: str) -> tuple[socket.socket, bool]:
    """A socket for echoes, and whether it gives IP headers. Raises LinkError where neither kind is allowed."""
    for kind in (socket.SOCK_DGRAM, socket.SOCK_RAW):
        try:
            sock = socket.socket(socket.AF_INET, kind, socket.IPPROTO_ICMP)
        except OSError:
            continue
        try:
            sock.bind((source, 0))
        except OSError:
            sock.close()
            continue
        sock.setblocking(False)
        return sock, kind == socket.SOCK_RAW
    raise LinkError(
        "This system does not let this user send ICMP echoes.",
        "Allow it with net.ipv4.ping_group_range, or do without: the other methods go on.",
    )


async def ping(source: str, address: str, seconds: float) -> bool:
    """Whether one address answers. Raises LinkError where the system does not allow it."""
    sock, raw = open_socket(source)
    payload = PAYLOAD + os.urandom(8)
    loop = asyncio.get_running_loop()
    until = loop.time() + seconds
    try:
        sock.sendto(icmp.echo(1, 1, payload), (address, 0))
        for _ in range(MAX_IN_ALL):
            over = loop.time() >= until
            try:
                data, sender = sock.recvfrom(2048)
            except BlockingIOError:
                if over:
                    return False
                await readable(sock, until - loop.time())
                continue
            if sender[0] == address and _answers(data, payload, raw):
                return True
        return False
    except OSError:
        return False
    finally:
        sock.close()


def _answers(data: bytes, payload: bytes, raw: bool) -> bool:
    try:
        icmp.parse_reply(data, payload, with_header=raw)
    except ProtocolError:
        return False
    return True


class Echo(Method):
    name = "echo"
    title = "ICMP echo"
    needs = "The system's leave to send ICMP."
    sends = "One echo request to each address."

    async def run(self, look: Look) -> None:
        if look.line.loopback:
            look.note("Left out: on loopback every address is this computer, and an echo would prove nothing.")
            return
        sock, raw = open_socket(look.line.source)
        payload = PAYLOAD + os.urandom(8)
        hearing = asyncio.ensure_future(self._hear(look, sock, payload, raw))
        hosts, loop = look.hosts(), asyncio.get_running_loop()
        try:
            for number, host in enumerate(hosts):
                await look.pace.take()
                try:
                    await loop.sock_sendto(sock, icmp.echo(1, number & 0xFFFF, payload), (host, 0))
                except OSError as error:
                    if error.errno not in (errno.EHOSTUNREACH, errno.EHOSTDOWN, errno.ENETUNREACH, errno.ENOBUFS):
                        raise LinkError(f"ICMP echo: {error.strerror}.", "The other methods go on.") from error
                if number % 64 == 0:
                    look.progress(number, len(hosts))
            await asyncio.sleep(LAST_S)
            look.progress(len(hosts), len(hosts))
        finally:
            hearing.cancel()
            await asyncio.gather(hearing, return_exceptions=True)
            sock.close()

    async def _hear(self, look: Look, sock: socket.socket, payload: bytes, raw: bool) -> None:
        seen: set[str] = set()
        for _ in range(MAX_IN_ALL):
            data, (address, _) = await asyncio.get_running_loop().sock_recvfrom(sock, 2048)
            if address not in seen and look.line.holds(address) and _answers(data, payload, raw):
                seen.add(address)
                look.sight(address, self.name, echo="yes")
