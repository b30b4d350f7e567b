"""Firmware by OSDP's own file transfer, fragment by fragment.

A unit that was left in the middle of a transfer, because its cable was out or nobody went on, may wait for the rest of
that file for ever: it is told that it is over before it gets another one, and when a transfer ends on our side.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Generator
from contextlib import suppress
from typing import Protocol, TypeVar

from netloom_core.drivers.osdp.form import OsdpLoad
from netloom_core.errors import NetloomError, NoAnswer, ProtocolError, Refused
from netloom_core.model.image import Image
from netloom_core.protocols.osdp.file_transfer import (
    FINISHING,
    GIVES_UP,
    PROCESSED,
    RESTARTS,
    FileStatus,
    abort,
    give,
    need_taken,
)
from netloom_core.protocols.osdp.messages import Command, Reply

MOST_DELAY_MS, LEAST_DELAY_MS = 5000, 200  # between fragments, as the unit asks for it
Result = TypeVar("Result")


class Talks(Protocol):
    """One conversation with the proven unit. Raises Unproven, and says nothing, where it may be another one by now."""

    def __call__(self, flow: Generator[Command, Reply, Result]) -> Awaitable[Result]: ...


async def load(talk: Talks, how: OsdpLoad, image: Image, name: str, told: Callable[[int], None]) -> None:
    """Raises Refused where the unit does not take the file, NoAnswer where it is gone or busy for too long."""
    try:
        status = await _fragments(talk, how, image, name, told)
    except (ProtocolError, asyncio.CancelledError):
        with suppress(NetloomError):
            await talk(abort())
        raise
    loop = asyncio.get_running_loop()
    until = loop.time() + how.seconds
    while status.detail == FINISHING:
        if loop.time() > until:
            raise NoAnswer(f"{name} was still busy with the file after {how.seconds:g} s.")
        await asyncio.sleep(max(status.delay, LEAST_DELAY_MS) / 1000)
        status = await talk(give(how.kind, image.size, image.size, b""))
        need_taken(status, image.size, image.size)


async def _fragments(talk: Talks, how: OsdpLoad, image: Image, name: str, told: Callable[[int], None]) -> FileStatus:
    most, offset, status = how.fragment, 0, FileStatus(0, 0, 0)
    while offset < image.size:
        data = image.read(offset, most)
        if not data:
            raise ProtocolError(f"{image.name} is shorter than it was.", "Import it again.", outcome="unknown")
        status = await talk(give(how.kind, image.size, offset, data))
        if status.detail == GIVES_UP and not offset:
            status = await _anew(talk, give(how.kind, image.size, offset, data)) or status
        need_taken(status, offset, image.size)
        offset += len(data)
        told(offset)
        most = min(how.fragment, status.most) if status.most else how.fragment
        if status.detail in (PROCESSED, RESTARTS) and offset < image.size:
            raise ProtocolError(f"{name} says that it has the whole file after {offset} bytes of it.")
        await asyncio.sleep(min(status.delay, MOST_DELAY_MS) / 1000)
    return status


async def _anew(talk: Talks, first: Generator[Command, Reply, FileStatus]) -> FileStatus | None:
    """What it makes of the first fragment once no transfer is open there; None where it cannot be told that."""
    try:
        await talk(abort())
    except Refused:
        first.close()
        return None
    return await talk(first)
