"""The examiner of byte links: serial ports, here or far away."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

from netloom_core.errors import LinkError
from netloom_core.links.serial import ByteLink

PATIENCE_S = 10.0


async def check_link(
    link: ByteLink, say: Callable[[bytes], Awaitable[None]], heard: Callable[[], Awaitable[bytes]]
) -> None:
    """`say` makes the far end send, `heard` gives what it received since it was asked last. Raises AssertionError.
    Closes the link."""
    assert await link.read(0.05) == b"", "silence is no error"
    link.write(b"to the device")
    assert await _all(heard, 13) == b"to the device"
    await say(b"an answer")
    assert await _all(lambda: link.read(2), 9) == b"an answer"
    for rounds in range(4):
        task = asyncio.ensure_future(link.read(5))
        for _ in range(rounds):
            await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
    await say(b"after being cancelled")
    assert await _all(lambda: link.read(2), 21) == b"after being cancelled", "a cancelled read takes nothing with it"
    await link.set_line(19200, "N")
    assert link.speed == 19200
    await say(b"more")

    async def taken() -> bytes:
        await asyncio.sleep(0.02)
        return link.take()

    assert await _all(taken, 4) == b"more"
    assert link.take() == b""
    link.close()
    try:
        link.write(b"x")
    except (LinkError, OSError):
        return
    raise AssertionError("a closed link takes bytes")


async def _all(more: Callable[[], Awaitable[bytes]], size: int) -> bytes:
    """So many bytes, or what came in time: a busy computer is late to hand them over."""
    got, loop = b"", asyncio.get_running_loop()
    until = loop.time() + PATIENCE_S
    while len(got) < size and loop.time() < until:
        got += await more()
    return got
