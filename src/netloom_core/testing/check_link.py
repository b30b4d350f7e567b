"""The examiner of byte links: serial ports, here or far away."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

from netloom_core.errors import LinkError
from netloom_core.links.serial import ByteLink


async def check_link(
    link: ByteLink, say: Callable[[bytes], Awaitable[None]], heard: Callable[[], Awaitable[bytes]]
) -> None:
    """`say` makes the far end send, `heard` gives what it received. Raises AssertionError. Closes the link."""
    assert await link.read(0.05) == b"", "silence is no error"
    link.write(b"to the device")
    assert await heard() == b"to the device"
    await say(b"an answer")
    got = b""
    while len(got) < 9:
        got += await link.read(2)
    assert got == b"an answer"
    for rounds in range(4):
        task = asyncio.ensure_future(link.read(5))
        for _ in range(rounds):
            await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
    await say(b"after being cancelled")
    got = b""
    while len(got) < 21:
        got += await link.read(2)
    assert got == b"after being cancelled", "a cancelled read takes nothing with it"
    await link.set_line(19200, "N")
    assert link.speed == 19200
    await say(b"more")
    await asyncio.sleep(0.2)
    assert link.take() == b"more"
    assert link.take() == b""
    link.close()
    try:
        link.write(b"x")
    except (LinkError, OSError):
        return
    raise AssertionError("a closed link takes bytes")
