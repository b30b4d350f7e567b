"""IPv6 on the line: all nodes are asked by one ICMPv6 echo, and joined with their IPv4 side by the MAC address.

A device whose IPv4 address is wrong, or that has none, still has a link-local one (RFC 4291, 2.5.6).
"""

from __future__ import annotations

import asyncio
import ipaddress
import os
import socket
import struct

from netloom_core.links import neighbours
from netloom_core.links.interfaces import interface_of, link_local_of
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.methods.neighbour import TICK_S, registered_maker

ALL_NODES = "ff02::1"  # RFC 4291, 2.7.1
ECHO_REQUEST, ECHO_REPLY = 128, 129  # RFC 4443, clauses 4.1 and 4.2
ROUNDS = 2
ROUND_S = 0.8
LAST_S = 1.0
MAX_NODES = 2048
AT_ONCE = 256


class Ipv6Nodes(Method):
    name = "ipv6"
    title = "IPv6 nodes"
    needs = "An IPv6 link-local address of this computer on the line, and the system's leave to send ICMPv6."
    sends = "Two ICMPv6 echo requests to all nodes of the link, and one to each that answered."
    wait_s = ROUNDS * ROUND_S + LAST_S

    async def run(self, look: Look) -> None:
        line = look.line
        if look.only:
            return
        if line.loopback:
            look.note("Left out: on loopback there are no other nodes.")
            return
        interface = line.interface or interface_of(line.source)
        if not link_local_of(line.source):
            look.note("Left out: this computer has no IPv6 address on that line.")
            return
        sock = _socket()
        if sock is None:
            look.note("Left out: this system does not let this user send ICMPv6 echoes.")
            return
        with sock:
            await Asking(look, sock, interface).run()


def _socket() -> socket.socket | None:
    for kind in (socket.SOCK_DGRAM, socket.SOCK_RAW):
        try:
            sock = socket.socket(socket.AF_INET6, kind, socket.IPPROTO_ICMPV6)
        except OSError:
            continue
        sock.setblocking(False)
        return sock
    return None


def mac_in(address: str) -> str:
    """The MAC address that a link-local address was made of (RFC 4291, appendix A); empty when of none."""
    bits = ipaddress.IPv6Address(address).packed[8:]
    if bits[3:5] != b"\xff\xfe":
        return ""
    return bytes((bits[0] ^ 2, *bits[1:3], *bits[5:])).hex(":")


class Asking:
    def __init__(self, look: Look, sock: socket.socket, interface: str) -> None:
        self._look, self._sock, self._interface = look, sock, interface
        self._index = socket.if_nametoindex(interface)
        self._payload = os.urandom(8)
        self._nodes: dict[str, None] = {}
        self._own = {link_local_of(look.line.source)}

    async def run(self) -> None:
        loop = asyncio.get_running_loop()
        self._sock.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_MULTICAST_IF, self._index)
        loop.add_reader(self._sock, self._hear)
        try:
            for number in range(ROUNDS):
                await self._ask(ALL_NODES, number)
                await asyncio.sleep(ROUND_S)
            for node in list(self._nodes):  # makes the system learn its MAC address, and proves it
                await self._ask(node, ROUNDS)
            await asyncio.sleep(LAST_S)
        finally:
            loop.remove_reader(self._sock)
        since = loop.time() - self._look.begun - TICK_S
        macs = neighbours.confirmed(self._interface, since, socket.AF_INET6)
        for node in self._nodes:
            mac = macs.get(node) or mac_in(node)
            maker = self._look.library.maker_of_mac(mac) or registered_maker(mac)
            facts = {"mac": mac, "mac_maker": maker if mac else "", "ipv6": node}
            self._look.sight(node, Ipv6Nodes.name, outside="yes", **facts)

    async def _ask(self, node: str, number: int) -> None:
        await self._look.pace.take()
        # The checksum is the system's to make (RFC 3542, clause 3.1).
        packet = struct.pack("!BBHHH", ECHO_REQUEST, 0, 0, 1, number) + self._payload
        try:
            self._sock.sendto(packet, (node, 0, 0, self._index))
        except OSError:
            self._look.note("An ICMPv6 echo did not leave this computer.")

    def _hear(self) -> None:
        for _ in range(AT_ONCE):
            try:
                data, (address, *_) = self._sock.recvfrom(2048)
            except OSError:
                return
            node = address.partition("%")[0]
            ours = data[:1] == bytes((ECHO_REPLY,)) and data[8:16] == self._payload
            if ours and node not in self._own and len(self._nodes) < MAX_NODES:
                self._nodes[node] = None
