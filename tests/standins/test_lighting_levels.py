"""Levels heard on a wire, from senders that share no code with the reader, and a test of fixtures that gives back."""

from __future__ import annotations

import asyncio
import contextlib
import socket
import struct
import uuid
from collections.abc import AsyncIterator, Callable, Iterator
from typing import Any

import pytest
import pytest_asyncio

from netloom_core.errors import Busy, CannotDo
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.protocols.dmx_data import Frame, build_artdmx
from netloom_core.testing.rig import Rig, device
from netloom_core.testing.store import MemoryStore
from netloom_standins import desk

NET = Line("light", "Lighting", "ip", network="127.62.30.0/24", source="127.62.30.1")
UNIVERSE = 12
ONE = {"name": "One", "start": 1, "slots": 2}
TWO = {"name": "Two", "start": 11, "slots": 3}
Heard = Callable[[], dict[str, list[tuple[int, int, bytes]]]]


@pytest_asyncio.fixture
async def rig(library: Library, monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[Rig]:
    made = Rig(library, [device(library.need("hallvane-rx8"))], NET)

    async def lease_plan(self: MemoryStore, line: str) -> Any:
        return type("Plan", (), {"line": NET})()

    monkeypatch.setattr(MemoryStore, "lease_plan", lease_plan)
    yield made
    await made.engine.stop()


@contextlib.asynccontextmanager
async def sending(**about: Any) -> AsyncIterator[None]:
    usual = {"name": "Desk", "address": "127.62.30.50", "universe": UNIVERSE, "still": True, "slots": 20}
    task = asyncio.ensure_future(desk.keep(usual | about))
    try:
        yield
    finally:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


async def look(rig: Rig, protocol: str = "sacn", universe: int = UNIVERSE) -> dict[str, Any]:
    return await rig.engine.do({"do": "levels", "line": "light", "protocol": protocol, "universe": universe})


async def until(rig: Rig, good: Callable[[dict[str, Any]], bool], **asked: Any) -> dict[str, Any]:
    told: dict[str, Any] = {}
    for _ in range(150):
        told = await look(rig, **asked)
        if good(told):
            return told
        await asyncio.sleep(0.1)
    raise AssertionError(told)


def raising(*fixtures: dict[str, Any], seconds: float) -> dict[str, Any]:
    return {"do": "raise", "line": "light", "universe": UNIVERSE, "seconds": seconds, "by": "ann", "fixtures": fixtures}


async def test_two_desks_are_told_apart_and_the_higher_one_counts(rig: Rig) -> None:
    async with sending(), sending(name="Show", address="127.62.30.51", priority=140, slots=3):
        told = await until(rig, lambda t: len(t["sources"]) == 2)
        assert [(one["name"], one["address"], one["counts"]) for one in told["sources"]] == [
            ("Show", "127.62.30.51", True), ("Desk", "127.62.30.50", False)
        ]  # fmt: skip
        assert told["levels"][:4] == [127, 146, 166, 184]
        assert told["levels"][20:] == [0] * 492
        await until(rig, lambda t: t["sources"][0]["rate"] > 3)
        async with sending(address="127.63.30.50", name="Elsewhere"):
            await asyncio.sleep(0.4)
            assert len((await look(rig))["sources"]) == 2, (
                "on loopback all networks are one: only this line's are heard"
            )
    await until(rig, lambda t: not t["sources"])


async def test_artdmx_to_this_computer_is_heard(rig: Rig) -> None:
    await look(rig, "artnet", 5)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.bind(("127.62.30.60", 0))
        for number in range(1, 6):
            sock.sendto(build_artdmx(Frame(5, bytes((number, 255)), sequence=number)), ("127.62.30.1", 6454))
            sock.sendto(b"Art-Net\0 and nonsense", ("127.62.30.1", 6454))
            await asyncio.sleep(0.05)
        told = await until(rig, lambda t: t["levels"][:2] == [5, 255], protocol="artnet", universe=5)
    assert told["sources"][0]["address"] == "127.62.30.60"


@pytest.fixture
def heard() -> Iterator[Heard]:
    """A receiver of its own: all frames of each source by its name, with priority and options."""
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
    sock.bind(("", 5568))
    member = struct.pack("4s4s", socket.inet_aton(f"239.255.0.{UNIVERSE}"), socket.inet_aton("127.62.30.9"))
    sock.setsockopt(socket.IPPROTO_IP, socket.IP_ADD_MEMBERSHIP, member)
    sock.setblocking(False)
    seen: dict[str, list[tuple[int, int, bytes]]] = {}

    def all_of_it() -> dict[str, list[tuple[int, int, bytes]]]:
        with contextlib.suppress(BlockingIOError):
            while True:
                data = sock.recv(2000)
                name = data[44:108].split(b"\0")[0].decode()
                seen.setdefault(name, []).append((data[108], data[112], data[126:]))
        return seen

    yield all_of_it
    sock.close()


async def test_fixtures_rise_in_turn_and_what_was_comes_back(rig: Rig, heard: Heard) -> None:
    async with sending():
        await until(rig, lambda t: bool(t["sources"]))
        await rig.engine.do(raising(ONE, TWO, seconds=2.5))
        with pytest.raises(Busy):
            await rig.engine.do(raising(ONE, seconds=1.0))
        told = await until(rig, lambda t: bool(t["test"]) and t["test"]["at"] == 1 and t["levels"][10] == 255)
        assert told["levels"][10:13] == [255, 255, 255]
        assert told["levels"][:2] == [127, 146], "all others as they were"
        assert told["test"]["priority"] == 150
        await until(rig, lambda t: t["test"] is None)
        frames = heard()["Netloom test"]
        assert {frame[0] for frame in frames} == {150}
        assert [frame[1] & 0x40 for frame in frames[-3:]] == [0x40] * 3, "the stream is ended as such"
        assert frames[-1][2][:3] == bytes((127, 146, 166)), "and before that the levels were given back"
        assert sum(frame[2][:2] == b"\xff\xff" for frame in frames) > 5
        assert sum(frame[2][10:13] == b"\xff\xff\xff" for frame in frames) > 5
        told = await until(rig, lambda t: [one["name"] for one in t["sources"]] == ["Desk"])
        assert told["levels"][10] != 255
    entries = [(e.kind, e.action, e.outcome) for e in rig.entries() if e.action == "raise"]
    assert entries == [("intent", "raise", ""), ("outcome", "raise", "done")]


async def test_it_ends_when_it_is_told_to_and_gives_back(rig: Rig, heard: Heard) -> None:
    async with sending():
        await until(rig, lambda t: bool(t["sources"]))
        await rig.engine.do(raising(ONE, seconds=60))
        await until(rig, lambda t: bool(t["test"]) and t["test"]["at"] == 0)
        await rig.engine.do({"do": "end raising", "line": "light", "universe": UNIVERSE})
        assert heard()["Netloom test"][-1][1] & 0x40
    assert rig.entries("outcome")[-1].message.startswith("It was ended.")


async def test_nobody_can_be_outvoted_at_the_highest_priority(rig: Rig) -> None:
    async with sending(priority=200):
        await until(rig, lambda t: bool(t["sources"]))
        await rig.engine.do(raising(ONE, seconds=1))
        await until(rig, lambda t: bool(rig.entries("outcome")))
    assert rig.entries("outcome")[-1].outcome == "failed"
    assert "there is none above it" in rig.entries("outcome")[-1].message
    with pytest.raises(CannotDo):
        await rig.engine.do(raising({"name": "Over", "start": 512, "slots": 2}, seconds=1))


def test_the_desk_writes_what_the_reader_reads() -> None:
    cid = uuid.UUID(int=3).bytes
    assert len(desk.packet(cid, "Desk", 100, 1, 12, bytes(512))) == 638, "a full data packet of E1.31 has 638 octets"
