"""Reading a device by each protocol, against the bare requests that its bindings need at best; loading 200 profiles.

The bare loop says the very same bytes to the same stand-in without sessions, items or checks.
"""

from __future__ import annotations

import asyncio
import asyncio.streams as streams
import socket
import tempfile
import time
from collections.abc import Awaitable, Callable
from pathlib import Path

from tests.conftest import ROOT
from tests.standins.models import Bench, bench

from netloom_core.bus.modbus import exchange
from netloom_core.library.cache import read_kept
from netloom_core.library.load import Library
from netloom_core.protocols import modbus, snmp

ROUNDS = 12
COPIES = 200
DEVICE_S = 0.002
USUAL = streams.StreamReader


async def best(work: Callable[[], Awaitable[object]]) -> float:
    """Seconds of the quickest of some rounds: what the machine does besides is not of interest."""
    times = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        await work()
        times.append(time.perf_counter() - begun)
    return min(times)


def said(host: str, port: int, messages: list[bytes], ends: bytes) -> Callable[[], Awaitable[object]]:
    """One message after the other on one connection, each answer up to its last byte."""
    sock = socket.create_connection((host, port))
    sock.setblocking(False)

    async def work() -> None:
        loop = asyncio.get_running_loop()
        for message in messages:
            await loop.sock_sendall(sock, message)
            heard = b""
            while not heard.endswith(ends):
                heard += await loop.sock_recv(sock, 4096)

    return work


async def lines(here: Bench) -> Callable[[], Awaitable[object]]:
    asks = [b"IP ?\r\n", *(b"NMI %d ?\r\n" % n for n in range(1, 5)), *(b"NMO %d ?\r\n" % n for n in range(1, 5))]
    plain = said(here.unit.address, 6007, asks, b"\r\n")
    block = said(here.unit.address, 6007, [b"TIE ?\r\n"], b"")

    async def work() -> None:
        await plain()
        await block()

    return work


async def registers(here: Bench) -> Callable[[], Awaitable[object]]:
    spans = ((10, 8), (100, 13), (120, 13))
    sock = socket.create_connection((here.unit.address, 502))
    sock.setblocking(False)

    async def work() -> None:
        loop = asyncio.get_running_loop()
        for number, (first, count) in enumerate(spans, 1):
            await loop.sock_sendall(sock, modbus.tcp(number, 1, modbus.read_holding(first, count)))
            heard = b""
            while len(heard) < 9 + 2 * count:
                heard += await loop.sock_recv(sock, 4096)

    return work


async def bus(here: Bench) -> Callable[[], Awaitable[object]]:
    owner = here.owners.serial(here.line)

    async def work() -> None:
        async with owner.turn("bare") as link:
            for first, count in ((200, 2), (210, 8), (220, 1)):
                await exchange(owner, link, 1, modbus.read_holding(first, count), 1.0, set())

    return work


async def objects(here: Bench) -> Callable[[], Awaitable[object]]:
    oids = [snmp.dotted(one.binding.oid) for one in here.profile.bound("agent") if one.item.decided]
    groups = [oids[at : at + 32] for at in range(0, len(oids), 32)]
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setblocking(False)
    sock.connect((here.unit.address, 161))

    async def work() -> None:
        loop = asyncio.get_running_loop()
        for number, group in enumerate(groups):
            await loop.sock_sendall(sock, snmp.get(group, "marrowby", number))
            snmp.parse(await loop.sock_recv(sock, 65_000))

    return work


WAYS = {
    "dialogue (TCP)": ("thornby-vx44", lines),
    "Modbus TCP": ("harrack-h2", registers),
    "Modbus RTU": ("grayle-m4", bus),
    "SNMP": ("marrowby-sw24", objects),
}


class Unhurried(asyncio.StreamReader):
    """What a stand-in hears on a connection, as late as a device that has other work hears it."""

    late_s = 0.0

    async def read(self, n: int = -1) -> bytes:
        data = await super().read(n)
        await asyncio.sleep(self.late_s)
        return data

    async def readexactly(self, n: int) -> bytes:
        data = await super().readexactly(n)
        await asyncio.sleep(self.late_s)
        return data


async def ways(late_s: float = 0.0) -> None:
    library = Library.read(ROOT / "profiles")
    Unhurried.late_s = late_s
    streams.StreamReader = Unhurried if late_s else USUAL  # type: ignore[misc]
    for number, (title, (model, bare)) in enumerate(WAYS.items()):
        if late_s and "TCP" not in title:
            continue
        with tempfile.TemporaryDirectory() as folder:
            async with bench(library, model, Path(folder), f"127.62.{number + 1}") as here:
                talk = await here.talk()
                await talk.read("running")
                ours = await best(lambda talk=talk: talk.read("running"))  # type: ignore[misc]
                plain = await best(await bare(here))
        device = f", where it takes {late_s * 1000:g} ms to hear" if late_s else ""
        ratio = ours / plain
        print(f"read by {title}{device}: {ours * 1000:.1f} ms, bare requests {plain * 1000:.1f} ms, ratio {ratio:.2f}")


def loading() -> None:
    with tempfile.TemporaryDirectory() as folder:
        there = Path(folder)
        (there / "parts").symlink_to(ROOT / "profiles/parts")
        models = (path for path in sorted((ROOT / "profiles").rglob("*.yaml")))
        files = [path for path in models if path.parent.name not in ("parts", "standard")]
        for number in range(COPIES):
            source = files[number % len(files)]
            text = source.read_text()
            (there / f"{number}.yaml").write_text(text.replace("\nid: ", f"\nid: n{number}-", 1))
        begun = time.perf_counter()
        Library.read(there)
        whole = time.perf_counter() - begun
        read_kept(there, there / "kept", b"key")
        begun = time.perf_counter()
        read_kept(there, there / "kept", b"key")
        kept = time.perf_counter() - begun
    print(f"{COPIES} profiles loaded and checked in {whole:.2f} s, from the kept library in {kept:.2f} s")


def main() -> None:
    asyncio.run(ways())
    asyncio.run(ways(DEVICE_S))
    loading()
