"""A connect sweep of 1,022 addresses with 200 stand-ins, against a plain loop of the same connections."""

from __future__ import annotations

import asyncio
import tempfile
import time
from pathlib import Path

from bench.field import NET, field, library, told
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.sweep.methods.connect import AT_ONCE, GENERAL, ConnectScan, named_ports
from netloom_core.sweep.methods.http import HttpIdentify
from netloom_core.sweep.sweep import sweep

COUNT = 200
ROUNDS = 5
PORT = 8480
UNBOUND = 1_000_000  # packets a second: the pace is a choice, and here the work is measured


async def bare() -> float:
    """The same connections, to every address and port; whoever takes one on 8480 is asked for its identity."""
    gate = asyncio.Semaphore(AT_ONCE)
    found = 0

    async def one(host: str, port: int) -> None:
        nonlocal found
        async with gate:
            try:
                reader, writer = await asyncio.open_connection(host, port, local_addr=(NET.source, 0))
            except OSError:
                return
            writer.write(b"GET /identity HTTP/1.1\r\nhost: x\r\nconnection: close\r\n\r\n")
            assert b"serial" in await reader.read()
            writer.close()
            found += 1

    begun = time.perf_counter()
    ports = dict.fromkeys([*named_ports(METHODS, library_once), *GENERAL])
    await asyncio.gather(*(one(host, port) for host in NET.hosts() for port in ports))
    assert found == COUNT
    return time.perf_counter() - begun


async def ours() -> float:
    begun = time.perf_counter()
    result = await sweep([NET], [], library_once, Owners(), SystemClock(), methods=METHODS, rate=UNBOUND)
    assert len(result.findings) == COUNT
    return time.perf_counter() - begun


library_once = library()
METHODS = (ConnectScan(), HttpIdentify())


def main() -> None:
    async def measure() -> tuple[float, float]:
        times = [(await ours(), await bare()) for _ in range(ROUNDS)]
        return min(t[0] for t in times), min(t[1] for t in times)

    with tempfile.TemporaryDirectory() as folder, field(COUNT, Path(folder) / "bus"):
        mine, plain = asyncio.run(measure())
    told("sweep", mine, plain, 1.3, f"{len(NET.hosts())} addresses, {COUNT} stand-ins, best of {ROUNDS}")
