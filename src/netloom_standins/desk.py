"""Lighting desks: each sends one universe by sACN on and on, with a slow wave over its slots.

A site names them under `desks`: `name`, `address` on the lighting network, `universe`, and `priority`, `slots`,
`still`.
Its own writing of ANSI E1.31-2018.
"""

from __future__ import annotations

import asyncio
import contextlib
import math
import socket
import time
import uuid
from typing import Any

EVERY_S = 0.1
PORT = 5568


def packet(cid: bytes, name: str, priority: int, sequence: int, universe: int, levels: bytes) -> bytes:
    count = len(levels) + 1
    dmp = bytes([0x70 | (10 + count) >> 8, (10 + count) & 0xFF, 2, 0xA1, 0, 0, 0, 1]) + count.to_bytes(2, "big")
    dmp += b"\x00" + levels
    words = name.encode()[:63].ljust(64, b"\0") + bytes([priority, 0, 0, sequence, 0]) + universe.to_bytes(2, "big")
    size = 6 + len(words) + len(dmp)
    framing = bytes([0x70 | size >> 8, size & 0xFF, 0, 0, 0, 2]) + words + dmp
    size = 22 + len(framing)
    root = bytes([0x70 | size >> 8, size & 0xFF, 0, 0, 0, 4]) + cid
    return b"\x00\x10\x00\x00ASC-E1.17\x00\x00\x00" + root + framing


async def keep(desk: dict[str, Any]) -> None:
    cid = uuid.uuid5(uuid.NAMESPACE_DNS, desk["name"]).bytes
    universe, slots = int(desk["universe"]), int(desk.get("slots", 48))
    group = f"239.255.{universe >> 8}.{universe & 255}"
    sequence = 0
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.setblocking(False)
        sock.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(desk["address"]))
        sock.bind((desk["address"], 0))
        while True:
            sequence = (sequence + 1) % 256
            turn = 0.0 if desk.get("still") else time.monotonic() / 4
            levels = bytes(int(127 + 120 * math.sin(turn + slot / 6)) for slot in range(slots))
            said = packet(cid, desk["name"], int(desk.get("priority", 100)), sequence, universe, levels)
            with contextlib.suppress(OSError):
                sock.sendto(said, (group, PORT))
            await asyncio.sleep(EVERY_S)
