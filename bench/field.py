"""A field of stand-ins in a process of its own, so that they do not share the measured core.

python -m bench.field COUNT PORT_LINK|mixed
"""

from __future__ import annotations

import asyncio
import contextlib
import ipaddress
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_standins.osdp_line import OsdpLine
from netloom_standins.site import BUS, single

ROOT = Path(__file__).resolve().parents[1]
NETWORK = "127.28.0.0/22"
NET = Line("net", "Net", "ip", network=NETWORK, source="127.28.0.1")
UNITS = 16


def library() -> Library:
    return Library.read(ROOT / "profiles")


def addresses(count: int, every: int = 0) -> list[str]:
    """`count` addresses spread over the network, every fifth if not told otherwise and where there is room."""
    every = every or min(5, 1000 // max(count, 1))
    first = int(ipaddress.ip_network(NETWORK).network_address)
    return [str(ipaddress.ip_address(first + every + every * n)) for n in range(count)]


async def serve_mixed(count: int) -> None:
    """Boxes, displays, cameras, lighting nodes and switches, so that every method has something to hear."""
    profiles = library()
    kinds: list[tuple[str, dict[str, Any]]] = [
        ("hallvane-rx8", {}),
        ("belisar-d55", {"pjlink": {}, "pjlink-search": {}}),
        ("oystercatch-c2", {"ws-discovery": {}, "page": {"onvif": True}}),
        ("lumenfold-n4", {"artnet": {"universes": [1]}, "sacn": {"universes": [1]}}),
        ("marrowby-sw24", {"snmp": {}, "ssh": {}, "telnet": {}}),
        ("belisar-d55", {"ssdp": {"port": 80}, "page": {}}),
    ]
    for number, address in enumerate(addresses(count, every=3)):
        name, answers = kinds[number % len(kinds)]
        plain = name != "hallvane-rx8"
        await single(profiles, name, f"S-{number:05}", address, answers=answers, described=not plain).start()
    print("ready", flush=True)
    await asyncio.Event().wait()


async def serve(count: int, link: Path) -> None:
    profiles = library()
    for number, address in enumerate(addresses(count)):
        await single(profiles, "hallvane-rx8", f"HV-{number:05}", address, firmware="2.4.1").start()
    units = [single(profiles, "dunmarrow-dr2", f"{n:08X}", str(n * 7), BUS) for n in range(UNITS)]
    line = OsdpLine(link, units)
    line.start()
    print("ready", flush=True)
    await asyncio.Event().wait()


@contextlib.contextmanager
def field(count: int, link: Path, *, mixed: bool = False) -> Iterator[None]:
    words = [sys.executable, "-m", "bench.field", str(count), "mixed" if mixed else str(link)]
    process = subprocess.Popen(words, stdout=subprocess.PIPE)
    try:
        assert process.stdout is not None
        assert process.stdout.readline() == b"ready\n"
        yield
    finally:
        process.terminate()
        process.wait(10)


def told(name: str, ours: float, bare: float, limit: float | None, note: str) -> None:
    wanted = f"at most {limit}" if limit is not None else "no limit set"
    print(f"{name:8} {ours / bare:5.2f} ({wanted})   {ours:.3f} s against {bare:.3f} s   {note}", flush=True)


if __name__ == "__main__":
    number = int(sys.argv[1])
    asyncio.run(serve_mixed(number) if sys.argv[2] == "mixed" else serve(number, Path(sys.argv[2])))
