"""Shared ears of the stand-ins: one socket for each group or broadcast port, for all units."""

from __future__ import annotations

import asyncio
import contextlib
import socket
import struct
from collections.abc import Callable

Heard = Callable[[bytes, str, int], None]
BROADCAST = "127.255.255.255"


class Ears(asyncio.DatagramProtocol):
    """Listens on one port, for a multicast group or for broadcasts on loopback."""

    _open: dict[tuple[int, str], Ears] = {}

    def __init__(self) -> None:
        self.listeners: list[Heard] = []
        self.transport: asyncio.DatagramTransport | None = None

    @classmethod
    async def on(cls, port: int, group: str, heard: Heard) -> None:
        ears = cls._open.get((port, group))
        if ears is None:
            ears = cls._open[port, group] = cls()
            sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
            if group == BROADCAST:
                sock.bind((BROADCAST, port))
            else:
                sock.bind((group, port))
                member = struct.pack("4s4s", socket.inet_aton(group), socket.inet_aton("127.0.0.1"))
                sock.setsockopt(socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, member)
            await asyncio.get_running_loop().create_datagram_endpoint(lambda: ears, sock=sock)
        ears.listeners.append(heard)

    @classmethod
    def off(cls, port: int, group: str, heard: Heard) -> None:
        ears = cls._open.get((port, group))
        if ears is not None and heard in ears.listeners:
            ears.listeners.remove(heard)
            if not ears.listeners and ears.transport is not None:
                ears.transport.close()
                del cls._open[port, group]

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport  # type: ignore[assignment]

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        for heard in list(self.listeners):
            heard(data, addr[0], addr[1])


def send_from(address: str, data: bytes, to: str, port: int, *, own_port: int = 0) -> None:
    """One datagram from a unit's own address."""
    with contextlib.closing(socket.socket(socket.AF_INET, socket.SOCK_DGRAM)) as sock, contextlib.suppress(OSError):
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
        sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton("127.0.0.1"))
        sock.bind((address, own_port))
        sock.sendto(data, (to, port))
