"""Fetching a file by TFTP, as a device does it. It shares no code with the side that gives."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable

WAIT_S = 1.0
TRIES = 4
BLOCK = 1024


async def fetch(own: str, host: str, port: int, name: str, came: Callable[[float], bool]) -> tuple[bytes, str]:
    """The file, or why there is none. `came` hears the share that is here, and says whether there still is power."""
    loop = asyncio.get_running_loop()
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setblocking(False)
    sock.bind((own, 0))
    data, expected, size, block = bytearray(), 1, 0, 512
    out = b"\x00\x01" + b"\0".join((name.encode(), b"octet", b"blksize", str(BLOCK).encode(), b"tsize", b"0", b""))
    to = (host, port)
    try:
        tries = 0
        sock.sendto(out, to)
        while True:
            try:
                async with asyncio.timeout(WAIT_S):
                    packet, sender = await loop.sock_recvfrom(sock, 2048)
            except TimeoutError:
                tries += 1
                if tries >= TRIES:
                    return b"", "nobody answers there"
                sock.sendto(out, to)
                continue
            except ConnectionError:
                return b"", "nobody answers there"
            code, number = int.from_bytes(packet[:2], "big"), int.from_bytes(packet[2:4], "big")
            if code == 5:
                return b"", packet[4:].split(b"\0")[0].decode("ascii", "replace") or "error"
            if code == 6:
                words = packet[2:].split(b"\0")
                told = dict(zip(words[::2], words[1::2], strict=False))
                block, size = int(told.get(b"blksize", b"512")), int(told.get(b"tsize", b"0"))
                out, to = b"\x00\x04\x00\x00", sender
            elif code == 3 and number == expected & 0xFFFF:
                data += packet[4:]
                out, to = b"\x00\x04" + packet[2:4], sender
                expected, tries = expected + 1, 0
                if not came(len(data) / size if size else 0.0):
                    return b"", "power"
            else:
                continue
            sock.sendto(out, to)
            if code == 3 and len(packet) - 4 < block:
                return bytes(data), ""
    finally:
        sock.close()
