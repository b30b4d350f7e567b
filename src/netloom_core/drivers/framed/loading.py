"""Firmware in blocks of a binary protocol's own, each by its offset. One that got no answer is said again; where the
device tells how much of the file it has, it goes on from there.
"""

from __future__ import annotations

import asyncio
import zlib
from collections.abc import Callable, Mapping
from typing import Any, Protocol

from netloom_core.drivers.framed.form import FramedLoad
from netloom_core.errors import Absent, Busy, NoAnswer, ProtocolError
from netloom_core.model.image import Image

TRIES = 3  # for one block
BUSY_S = 0.5
PIECE = 1 << 18
LATE = 8  # answers to earlier blocks that are let pass before one's own


class Asks(Protocol):
    async def ask(
        self, send: str, answer: str, values: Mapping[str, Any], *, seconds: float = 0.0
    ) -> dict[str, Any]: ...

    async def hear(self, answer: str, *, seconds: float = 0.0) -> dict[str, Any]: ...


async def whole_of(image: Image) -> dict[str, Any]:
    """What names a file on the wire: its size, and the CRC-32 of all of it (as in IEEE 802.3)."""
    crc = 0
    for piece in image.chunks(PIECE):
        crc = zlib.crc32(piece, crc)
        await asyncio.sleep(0)  # a large file keeps nobody waiting
    return {"size": image.size, "crc": crc}


async def load(talk: Asks, how: FramedLoad, image: Image, file: Mapping[str, Any], told: Callable[[int], None]) -> None:
    """Raises Refused with the device's words where it does not take the file, NoAnswer where it says nothing."""
    at = await _held(talk, how, file) if how.held is not None else 0
    if not at:
        await talk.ask(how.begin.send, how.begin.answer, file)
    told(at)
    while at < image.size:
        data = image.read(at, min(how.piece, image.size - at))
        if not data:
            raise ProtocolError(f"{image.name} is shorter than it was.", "Import it again.", outcome="unknown")
        await _block(talk, how, at, data)
        at += len(data)
        told(at)
    await talk.ask(how.end.send, how.end.answer, file, seconds=how.seconds)


async def _held(talk: Asks, how: FramedLoad, file: Mapping[str, Any]) -> int:
    """How many bytes of this very file it has; none where it has some of another one."""
    assert how.held is not None
    try:
        told = await talk.ask(how.held.send, how.held.answer, file)
    except Absent:
        return 0
    if any(told.get(name, file[name]) != file[name] for name in ("size", "crc")):
        return 0
    held = int(told["held"])
    return held if 0 <= held <= file["size"] else 0


async def _block(talk: Asks, how: FramedLoad, at: int, data: bytes) -> None:
    for attempt in range(TRIES):
        try:
            told = await talk.ask(how.block.send, how.block.answer, {"offset": at, "count": len(data), "data": data})
            for _ in range(LATE):  # one that was said again is answered twice where its first answer was only late
                if told.get("offset", at) >= at:
                    break
                told = await talk.hear(how.block.answer)
        except NoAnswer:
            if attempt == TRIES - 1:
                raise
        except Busy:
            if attempt == TRIES - 1:
                raise
            await asyncio.sleep(BUSY_S)
        else:
            if told.get("offset", at) != at:
                raise ProtocolError("It took another block than the one that was sent.", outcome="unknown")
            return
