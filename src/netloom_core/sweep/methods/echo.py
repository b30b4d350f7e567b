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
AT_ONCE = 512
FULL_S, FULL_TRIES = 0.1, 10  # when this computer takes no more just now
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
        hosts, loop = look.hosts(), asyncio.get_running_loop()
        seen: set[str] = set()

        def hear() -> None:
            for _ in range(AT_ONCE):
                try:
                    data, (address, _) = sock.recvfrom(2048)
                except OSError:  # nothing more, or one that could not be delivered
                    return
                if address not in seen and look.line.holds(address) and _answers(data, payload, raw):
                    seen.add(address)
                    look.answered.add(address)
                    look.sight(address, self.name, echo="yes")

        loop.add_reader(sock, hear)
        refused, number = 0, 0
        try:
            async for host in look.presence.first():
                refused += not await self._ask(look, sock, host, icmp.echo(1, number & 0xFFFF, payload))
                number += 1
                if number % 64 == 0:
                    look.progress(number, len(hosts))
            await asyncio.sleep(LAST_S)
            hear()
            if refused:
                look.note(f"{refused} of {number} echoes did not leave this computer.")
            look.progress(len(hosts), len(hosts))
        finally:
            loop.remove_reader(sock)
            sock.close()

    async def _ask(self, look: Look, sock: socket.socket, host: str, packet: bytes) -> bool:
        """Whether it left. What the system refuses for one address (a filter, no route) costs the others nothing."""
        for _ in range(FULL_TRIES):
            await look.pace.take()
            try:
                sock.sendto(packet, (host, 0))
            except OSError as error:
                if error.errno not in (errno.ENOBUFS, errno.EAGAIN):
                    return False
                look.pace.slow()
                await asyncio.sleep(FULL_S)
            else:
                return True
        return False
