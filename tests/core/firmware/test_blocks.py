"""Blocks of a binary protocol into a unit that answers late, twice, wrongly, or not: taken means taken."""

from __future__ import annotations

import asyncio
import random
import struct
import zlib
from collections.abc import Awaitable
from typing import Any

import pytest

from netloom_core.bus.late import Owed
from netloom_core.drivers.framed.driver import Talk
from netloom_core.drivers.framed.form import FramedChannel
from netloom_core.drivers.framed.frames import Receiver
from netloom_core.drivers.framed.loading import load, whole_of
from netloom_core.errors import NetloomError
from netloom_core.library.load import Library
from netloom_core.model.image import Image
from netloom_core.testing.virtual_time import run

DATA = bytes(random.Random(7).randbytes(1000))
WRONG = ("late", "twice", "lost", "silent", "busy", "junk", "other", "spoiled")


class Unit:
    """It keeps what came at its offset, and what it says back is `odd` now and then."""

    def __init__(self, channel: FramedChannel, rng: random.Random, odd: float) -> None:
        self.channel, self.rng, self.odd = channel, rng, odd
        self.receiver = Receiver(channel.framing)
        self.data = bytearray()
        self.says: list[tuple[float, bytes]] = []  # when, what
        self.finished = False
        self.owed, self.echoes = Owed(), False

    async def write(self, sent: bytes) -> None:
        for body in self.receiver.feed(sent):
            wrong = self.rng.choice(WRONG) if self.rng.random() < self.odd else ""
            if wrong == "lost":
                continue
            answer = self._done(body)
            now = asyncio.get_running_loop().time()
            if wrong == "busy":
                answer = bytes((0x7F, 6))
            elif wrong == "junk":
                answer = self.rng.randbytes(9)
            elif wrong == "other":
                answer = b"\x71" + struct.pack(">I", self.rng.randrange(2000))
            frame = self.channel.framing.encoded(answer)
            if wrong == "spoiled":
                frame = frame[:-2] + bytes((frame[-2] ^ 0x40,)) + frame[-1:]
            if wrong != "silent":
                self.says += [(now + (1.5 if wrong == "late" else 0), frame)] * (2 if wrong == "twice" else 1)

    def _done(self, body: bytes) -> bytes:
        if body[0] == 0x50:
            self.data = bytearray()
            return b"\x70"
        if body[0] == 0x51:
            at, count = struct.unpack(">IB", body[1:6])
            if at > len(self.data):
                return b"\x7f\x03"
            self.data[at : at + count] = body[6 : 6 + count]
            return b"\x71" + body[1:5]
        if body[0] == 0x52:
            if bytes(self.data) != DATA or body[5:9] != zlib.crc32(DATA).to_bytes(4, "big"):
                return b"\x7f\x07"
            self.finished = True
            return b"\x72"
        return b"\x73" + bytes(12)

    async def read(self, seconds: float) -> bytes:
        loop = asyncio.get_running_loop()
        until = loop.time() + seconds
        while not (due := [one for one in self.says if one[0] <= loop.time()]) and loop.time() < until:
            await asyncio.sleep(0.05)
        self.says = [one for one in self.says if one not in due]
        return b"".join(frame for _, frame in due)


def loading(library: Library, unit: Unit) -> Awaitable[None]:
    how = unit.channel.load
    assert how is not None
    file = Image("f", "f.kst", len(DATA), "", "kestrel-ac3", "1.4", lambda at, size: DATA[at : at + size])

    async def go() -> None:
        talk = Talk(unit.channel, unit, "Unit")  # type: ignore[arg-type]
        await load(talk, how, file, await whole_of(file), lambda sent: None)

    return go()


def channel_of(library: Library) -> Any:
    return library.need("kestrel-ac3").channels["port"]


@pytest.mark.parametrize("seed", range(120))
def test_what_it_calls_taken_is_taken_whatever_the_unit_says(library: Library, seed: int) -> None:
    rng = random.Random(seed)
    unit = Unit(channel_of(library), rng, rng.choice((0.02, 0.1, 0.3)))
    try:
        run(loading(library, unit))  # type: ignore[arg-type]
    except NetloomError:
        return
    assert unit.finished
    assert bytes(unit.data) == DATA


def test_answers_that_are_only_late_break_nothing(library: Library) -> None:
    class Slow(Unit):
        async def write(self, sent: bytes) -> None:
            await super().write(sent)
            if self.data and not self.finished and self.rng.random() < 0.2:
                when, frame = self.says.pop()
                self.says.append((when + 1.2, frame))

    for seed in range(10):
        unit = Slow(channel_of(library), random.Random(seed), 0)
        run(loading(library, unit))  # type: ignore[arg-type]
        assert unit.finished
