"""Services of many hosts in one process: each socket is made inside its host's namespace, and stays there.

The plan is a JSON list of {"space": name, "services": [{"kind", ...}]}. Kinds are the methods below; the
hostile ones show what a stranger on the wire can do.
"""

from __future__ import annotations

import asyncio
import contextlib
import ctypes
import json
import os
import socket
import sys
from collections.abc import Awaitable, Callable
from typing import Any

from netloom_core.protocols import snmp

CLONE_NEWNET = 0x40000000
Serve = Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]
_libc = ctypes.CDLL(None, use_errno=True)
_home = os.open("/proc/self/ns/net", os.O_RDONLY)


@contextlib.contextmanager
def inside(space: str) -> Any:
    fd = os.open(f"/run/netns/{space}", os.O_RDONLY)
    try:
        if _libc.setns(fd, CLONE_NEWNET):
            raise OSError(ctypes.get_errno(), "setns")
        yield
    finally:
        os.close(fd)
        _libc.setns(_home, CLONE_NEWNET)


def listener(space: str, port: int) -> socket.socket:
    with inside(space):
        sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    sock.bind(("", port))
    sock.listen(64)
    return sock


def datagrams(space: str, port: int, group: str = "", source: str = "") -> socket.socket:
    with inside(space):
        sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        sock.bind(("", port))
        if group:
            sock.setsockopt(
                socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, socket.inet_aton(group) + socket.inet_aton(source)
            )
    sock.setblocking(False)
    return sock


class Services:
    """`started` holds what must not be collected."""

    def __init__(self) -> None:
        self.started: list[Any] = []

    async def serve(self, space: str, port: int, serve: Serve) -> None:
        async def guarded(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            with contextlib.suppress(OSError, asyncio.IncompleteReadError):
                await serve(reader, writer)
            writer.close()

        self.started.append(await asyncio.start_server(guarded, sock=listener(space, port)))

    async def says(self, space: str, port: int, text: str, **_: Any) -> None:
        """Says a text to whoever connects, and stays."""

        async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            writer.write(text.encode("latin-1"))
            await reader.read(1 << 16)
            await asyncio.sleep(1)

        await self.serve(space, port, serve)

    async def page(self, space: str, port: int, title: str, **_: Any) -> None:
        """A web server with a first page."""

        async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            while head := await reader.readuntil(b"\r\n\r\n"):
                body = f"<html><title>{title}</title></html>".encode() if b"GET / " in head else b"no"
                status = b"200 OK" if b"GET / " in head else b"404 Not Found"
                writer.write(b"HTTP/1.1 %s\r\ncontent-length: %d\r\n\r\n%s" % (status, len(body), body))

        await self.serve(space, port, serve)

    async def agent(
        self, space: str, late: float = 0.0, name: str = "agent", rows: list[Any] | None = None, **_: Any
    ) -> None:
        """An SNMP agent; `rows` are [oid as text, kind, value], `late` seconds pass before each answer."""
        from tests.laboratory.agent import Agent

        self.started.append(Agent(datagrams(space, snmp.PORT), late, name, rows or []))

    async def switch(self, space: str, name: str = "Rack switch", bridge: str = "wire", **_: Any) -> None:
        """The agent of the switch that the laboratory's bridge is: its ports by name, and who is behind each."""
        from tests.laboratory.agent import Agent, bridge_rows

        self.started.append(Agent(datagrams(space, snmp.PORT), 0, name, [], bridge_rows(space, bridge)))

    # Hostile ones

    async def drips(self, space: str, port: int, every: float = 1.0, byte: str = ".", **_: Any) -> None:
        """One byte now and then, for ever."""

        async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            for _ in range(600):
                writer.write(byte.encode("latin-1"))
                await writer.drain()
                await asyncio.sleep(every)

        await self.serve(space, port, serve)

    async def floods(self, space: str, port: int, begin: str = "", **_: Any) -> None:
        """As many bytes as are taken, in lines or headers without end."""

        async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            writer.write(begin.encode("latin-1"))
            for _ in range(4000):
                writer.write(b"x" * 16384)
                await writer.drain()

        await self.serve(space, port, serve)

    async def silent(self, space: str, port: int, **_: Any) -> None:
        """Takes connections and says nothing."""

        async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            while await reader.read(1 << 16):
                pass

        await self.serve(space, port, serve)

    def _answers(self, sock: socket.socket, answer: Callable[[bytes, Any], list[bytes]]) -> None:
        def take() -> None:
            data, sender = sock.recvfrom(65_507)
            for reply in answer(data, sender):
                with contextlib.suppress(OSError):
                    sock.sendto(reply, sender)

        asyncio.get_running_loop().add_reader(sock, take)
        self.started.append(sock)

    async def endless_agent(self, space: str, **_: Any) -> None:
        """An agent whose every table has one more row, for ever, and that says everything twice."""
        from netloom_standins.services.snmp import V2C, answer_from

        rows = sorted(((*column, n), V2C.Integer(n)) for column in TABLES for n in range(1, 4000))

        def answer(data: bytes, sender: Any) -> list[bytes]:
            return [answer_from(rows, data, "public")] * 2

        self._answers(datagrams(space, snmp.PORT), answer)

    async def liar(self, space: str, address: str, **_: Any) -> None:
        """Answers each SSDP search with three hundred places, all of which drip, and one that is none."""

        def answer(data: bytes, sender: Any) -> list[bytes]:
            places = [f"http://{address}:8099/{n}" for n in range(300)] + ["http://[::1", "gopher://x y/\xe4"]
            head = "HTTP/1.1 200 OK\r\nST: upnp:rootdevice\r\nUSN: uuid:x{n}\r\nLOCATION: {place}\r\n\r\n"
            return [head.format(n=n, place=place).encode("latin-1") for n, place in enumerate(places)]

        self._answers(datagrams(space, 1900, "239.255.255.250", address), answer)
        await self.drips(space, 8099)

    async def noise(self, space: str, address: str, port: int, group: str, **_: Any) -> None:
        """Bytes without sense to a multicast group, all the time."""
        with inside(space):
            sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(address))
        sock.setblocking(False)

        async def send() -> None:
            for number in range(60_000):
                with contextlib.suppress(OSError):
                    sock.sendto(os.urandom(number % 900), (group, port))
                await asyncio.sleep(0.001)

        self.started.append(asyncio.create_task(send()))


TABLES = (
    snmp.IF_MAC, snmp.IF_NAME, snmp.ENTITY_CLASS, snmp.ENTITY_SERIAL, snmp.BRIDGE_PORT_IF, snmp.VLAN_FDB_PORT,
    snmp.BRIDGE_FDB_PORT, snmp.LLDP_CHASSIS,
)  # fmt: skip


async def main() -> None:
    services = Services()
    with open(sys.argv[1]) as plan:
        hosts = json.load(plan)
    for host in hosts:
        for service in host["services"]:
            await getattr(services, service.pop("kind"))(host["space"], **service)
    print("ready", flush=True)
    await asyncio.Event().wait()


if __name__ == "__main__":
    asyncio.run(main())
