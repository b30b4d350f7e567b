"""Firmware: what each protocol costs beyond the bare transfer, and what 16 MB over HTTP cost in memory.

python -m bench.firmware serve: what takes the files, in a process of its own.
"""

from __future__ import annotations

import asyncio
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

from bench.field import library, told
from netloom_core.drivers.artnet.loading import load as artnet_load
from netloom_core.drivers.framed.driver import Talk
from netloom_core.drivers.framed.frames import Receiver as Receiving
from netloom_core.drivers.framed.loading import load as blocks_load
from netloom_core.drivers.framed.loading import whole_of
from netloom_core.drivers.http.form import HttpLoad
from netloom_core.drivers.http.loading import PIECE, enclosed
from netloom_core.links.http import HttpLink
from netloom_core.links.shared_udp import SharedPort
from netloom_core.links.tftp import giving
from netloom_core.model.device import Target
from netloom_core.model.image import Image
from netloom_core.model.line import Line
from netloom_core.protocols import artnet_firmware, tftp
from netloom_core.protocols.block_transfer import Sender, block
from netloom_standins.receiving import Receiver

SOURCE, SINK, PORT = "127.28.1.1", "127.28.1.2", 8080
LARGE, SMALL = 16_000_000, 2_000_000
LINE_FILE = 30_000
BYTE_S = 10 / 115_200
ARTNET, BLOCK_S = 6454, 0.002
GIGABIT = 125e6  # bytes a second
CHANNEL: Any = library().need("kestrel-ac3").channels["port"]
ROUNDS = 5


async def serve() -> None:
    async def sink(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while head := await _head(reader):
            left = int(next(line for line in head if line.startswith("content-length")).partition(":")[2])
            size, begun, pace = left, time.perf_counter(), GIGABIT if "/paced" in head[0] else float("inf")
            while left:
                left -= len(await reader.read(min(left, 1 << 16)))
                if (ahead := (size - left) / pace - (time.perf_counter() - begun)) > 0:
                    await asyncio.sleep(ahead)
            writer.write(b"HTTP/1.1 200 OK\r\nContent-Length: 2\r\n\r\nok")
            await writer.drain()

    await asyncio.start_server(sink, SINK, PORT)
    print("ready", flush=True)
    await asyncio.Event().wait()


async def _head(reader: asyncio.StreamReader) -> list[str]:
    try:
        return (await reader.readuntil(b"\r\n\r\n")).decode().lower().splitlines()
    except asyncio.IncompleteReadError:
        return []


def image_of(path: Path, size: int) -> Image:
    with path.open("wb") as out:
        for _ in range(size // 1000):
            out.write(os.urandom(1000))

    def read(offset: int, most: int) -> bytes:
        with path.open("rb") as opened:
            opened.seek(offset)
            return opened.read(most)

    return Image("f", path.name, size, "", "", "1.0", read)


async def bare_http(image: Image, path: str = "/f") -> None:
    reader, writer = await asyncio.open_connection(SINK, PORT, local_addr=(SOURCE, 0))
    writer.write(f"POST {path} HTTP/1.1\r\nHost: x\r\nContent-Length: {image.size}\r\n\r\n".encode())
    for piece in image.chunks(PIECE):
        writer.write(piece)
        await writer.drain()
    await reader.readuntil(b"ok")
    writer.close()


async def our_http(image: Image, path: str = "/f") -> None:
    link = HttpLink(SOURCE, SINK, PORT)
    body, size, kind = enclosed(HttpLoad(path=path), image)
    status, _ = await link.upload(
        "POST", path, body, size, (("content-type", kind),), seconds=30, told=lambda sent: None
    )
    link.close()
    assert status == 200


class Fetch(asyncio.DatagramProtocol):
    """A client that answers each block at once."""

    def __init__(self, block_size: int, over: asyncio.Future[int]) -> None:
        self.block, self.over, self.had = block_size, over, 0

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        code = int.from_bytes(data[:2], "big")
        number = b"\0\0" if code == 6 else data[2:4]
        self.had += len(data) - 4 if code == 3 else 0
        self.transport.sendto(b"\x00\x04" + number, addr)  # type: ignore[attr-defined]
        if code == 3 and len(data) - 4 < self.block and not self.over.done():
            self.over.set_result(self.had)


async def fetched(to: tuple[str, int], name: str) -> int:
    loop = asyncio.get_running_loop()
    over: asyncio.Future[int] = loop.create_future()
    transport, _ = await loop.create_datagram_endpoint(lambda: Fetch(1428, over), local_addr=(SINK, 0))
    transport.sendto(b"\x00\x01" + name.encode() + b"\0octet\0blksize\x001428\0", to)
    try:
        return await over
    finally:
        transport.close()


async def our_tftp(image: Image) -> None:
    file = tftp.File(image.name, image.size, image.read)
    async with giving(SOURCE, "", 6969, SINK, file, lambda sent: None):
        assert await fetched((SOURCE, 6969), image.name) == image.size


async def bare_tftp(image: Image) -> None:
    """The same blocks, each after the answer to the one before, by nothing but a socket of the loop."""
    loop = asyncio.get_running_loop()

    class Give(asyncio.DatagramProtocol):
        def connection_made(self, transport: asyncio.BaseTransport) -> None:
            self.transport = transport

        def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
            if data[:2] == b"\x00\x01":
                out = b"\x00\x06blksize\x001428\0"
            else:
                number = int.from_bytes(data[2:4], "big")
                part = image.read(number * 1428, 1428)
                out = b"\x00\x03" + (number + 1).to_bytes(2, "big") + part
                if number * 1428 > image.size:
                    return
            self.transport.sendto(out, addr)  # type: ignore[attr-defined]

    transport, _ = await loop.create_datagram_endpoint(Give, local_addr=(SOURCE, 6970))
    assert await fetched((SOURCE, 6970), image.name) == image.size
    transport.close()


async def our_ymodem(image: Image) -> None:
    """On a line of 115,200 baud in memory, both ways."""
    back: list[bytes] = []
    receiver = Receiver(back.append, batch=True, most=1 << 20)
    sender = Sender("ymodem", image.name, image.size, image.read)
    receiver.ask()
    while not sender.done:
        out = sender.feed(back.pop(0))
        if out:
            await asyncio.sleep(len(out) * BYTE_S)
            receiver.feed(out)
            await asyncio.sleep(BYTE_S)
    assert receiver.whole is not None
    assert len(receiver.whole) == image.size


async def bare_ymodem(image: Image) -> None:
    """The line time of its frames, and of one byte for each answer."""
    frames = [len(block(1, image.read(at, 1024))) for at in range(0, image.size, 1024)]
    for size in [133, *frames, 1, 1, 133]:
        await asyncio.sleep(size * BYTE_S)
        await asyncio.sleep(BYTE_S)


class Node(asyncio.DatagramProtocol):
    """Takes blocks of Art-Net, for each of which it needs a moment, as memory does that keeps them."""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        good = b"Art-Net\0\x00\xf3\x00\x0e\x00\x00" + bytes((1 if data[14] == artnet_firmware.LAST else 0,)) + bytes(21)
        asyncio.get_running_loop().call_later(BLOCK_S, self.transport.sendto, good, addr)  # type: ignore[attr-defined]


async def our_artnet(image: Image) -> None:
    node, _ = await asyncio.get_running_loop().create_datagram_endpoint(Node, local_addr=(SINK, ARTNET))
    try:
        target = Target("d", "Node", "", Line("net", "Net", "ip", source=SOURCE), SINK)
        await artnet_load(SharedPort(SOURCE, ARTNET), target, image, 5, lambda sent: None)
    finally:
        node.close()
        await asyncio.sleep(0)  # for the socket to go


async def bare_artnet(image: Image) -> None:
    """The same blocks, each after the answer to the one before, by nothing but a socket of the loop."""
    loop = asyncio.get_running_loop()
    node, _ = await loop.create_datagram_endpoint(Node, local_addr=(SINK, ARTNET))
    over: asyncio.Future[None] = loop.create_future()
    head, at = b"Art-Net\0\x00\xf2\x00\x0e\x00\x00", 0

    class Give(asyncio.DatagramProtocol):
        def connection_made(self, transport: asyncio.BaseTransport) -> None:
            self.transport = transport
            self.give()

        def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
            over.set_result(None) if data[14] else self.give()

        def give(self) -> None:
            nonlocal at
            data = image.read(at, 1024)
            kind = 0 if not at else 2 if at + len(data) >= image.size else 1
            at += len(data)
            out = head + bytes((kind, 0)) + bytes(24) + data.ljust(1024, b"\0")
            self.transport.sendto(out, (SINK, ARTNET))  # type: ignore[attr-defined]

    give, _ = await loop.create_datagram_endpoint(Give, local_addr=(SOURCE, 0))
    await over
    give.close()
    node.close()
    await asyncio.sleep(0)


class SlowLine:
    """A line of 115,200 baud in memory, and what takes blocks at its end."""

    def __init__(self) -> None:
        self._unit, self._ours = Receiving(CHANNEL.framing), b""

    async def write(self, data: bytes) -> None:
        await asyncio.sleep(len(data) * BYTE_S)
        for body in self._unit.feed(data):
            answer = {0x50: b"\x70", 0x51: b"\x71" + body[1:5], 0x52: b"\x72"}[body[0]]
            self._ours += CHANNEL.framing.encoded(answer)

    async def read(self, seconds: float) -> bytes:
        data, self._ours = self._ours, b""
        await asyncio.sleep(len(data) * BYTE_S)
        return data


async def our_blocks(image: Image) -> None:
    how = CHANNEL.load
    assert how is not None
    talk = Talk(CHANNEL, SlowLine(), "Unit")  # type: ignore[arg-type]
    await blocks_load(talk, how.model_copy(update={"held": None}), image, await whole_of(image), lambda sent: None)


async def bare_blocks(image: Image) -> None:
    """The line time of the same frames, and of their answers."""
    for at in range(0, image.size, 96):
        data = image.read(at, 96)
        body = b"\x51" + at.to_bytes(4, "big") + bytes((len(data),)) + data.ljust(96, b"\0")
        await asyncio.sleep(len(CHANNEL.framing.encoded(body)) * BYTE_S)
        await asyncio.sleep(len(CHANNEL.framing.encoded(b"\x71" + at.to_bytes(4, "big"))) * BYTE_S)


async def ratio(name: str, ours: Callable[[Image], Awaitable[None]], bare: Callable[[Image], Awaitable[None]],
                image: Image) -> None:  # fmt: skip
    mine, plain = [], []
    for _ in range(ROUNDS):
        for work, times in ((ours, mine), (bare, plain)):
            begun = time.perf_counter()
            await work(image)
            times.append(time.perf_counter() - begun)
    told("firmware", min(mine), min(plain), 1.15, f"{name}, {image.size / 1e6:g} MB")


async def run() -> None:
    with tempfile.TemporaryDirectory() as folder:
        large = image_of(Path(folder) / "large.bin", LARGE)
        small = image_of(Path(folder) / "small.bin", SMALL)
        line = image_of(Path(folder) / "line.bin", LINE_FILE)
        await our_http(small)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        await our_http(large)
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1000
        print(f"firmware: 16 MB over HTTP raise the memory by {grown:.1f} MB (wanted: at most 8)")
        await ratio("HTTP on loopback", our_http, bare_http, large)
        paced = (lambda image: our_http(image, "/paced")), (lambda image: bare_http(image, "/paced"))
        await ratio("HTTP into one that takes a gigabit a second", *paced, large)
        await ratio("TFTP", our_tftp, bare_tftp, small)
        await ratio(f"Art-Net, {BLOCK_S * 1000:g} ms for a block", our_artnet, bare_artnet, small)
        await ratio("blocks at 115,200 baud", our_blocks, bare_blocks, line)
        await ratio("YMODEM at 115,200 baud", our_ymodem, bare_ymodem, line)


def main() -> None:
    words = [sys.executable, "-m", "bench.firmware", "serve"]
    with subprocess.Popen(words, stdout=subprocess.PIPE) as sink:
        assert sink.stdout is not None
        sink.stdout.readline()
        try:
            asyncio.run(run())
        finally:
            sink.terminate()


if __name__ == "__main__":
    if sys.argv[1:] == ["serve"]:
        asyncio.run(serve())
    else:
        main()
