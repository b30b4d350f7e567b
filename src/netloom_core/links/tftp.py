"""A TFTP server for one file and one device, on one address of this computer, for as long as it is fetched.

Each transfer has a port of its own (RFC 1350, clause 4). Others who ask are refused, and so is every other name.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import aclosing, asynccontextmanager
from dataclasses import dataclass

from netloom_core.errors import LinkError, NetloomError, NoAnswer, ProtocolError
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import tftp

LOOK_S = 0.5


@dataclass
class Fetched:
    """What came of it so far: `trouble` is why the last try ended, `whole` whether one got to its end."""

    asked: bool = False
    whole: bool = False
    trouble: NetloomError | None = None


@asynccontextmanager
async def giving(
    source: str, interface: str, port: int, host: str, file: tftp.File, told: Callable[[int], None]
) -> AsyncIterator[Fetched]:
    """While it is open `host` may fetch the file by its name, as often as it wants. Raises LinkError."""
    fetched = Fetched()
    try:
        with UdpLink(source, port=port, interface=interface) as link:
            work = asyncio.ensure_future(_serve(link, source, interface, host, file, told, fetched))
            try:
                yield fetched
            finally:
                work.cancel()
                await asyncio.gather(work, return_exceptions=True)
    except LinkError as error:
        raise LinkError(
            f"No TFTP server can be opened on {source} port {port}: {error.message}",
            "Ports below 1024 need that right; another program may hold it. Nothing was sent to the device.",
        ) from error


async def _serve(
    link: UdpLink,
    source: str,
    interface: str,
    host: str,
    file: tftp.File,
    told: Callable[[int], None],
    fetched: Fetched,
) -> None:
    busy: dict[int, asyncio.Task[None]] = {}
    try:
        while True:
            async with aclosing(link.answers(LOOK_S)) as asked:
                async for data, address, port in asked:
                    if port in busy and not busy[port].done():
                        continue  # the same request again; its first answer is on the way
                    try:
                        request = tftp.parse_request(data)
                        if address != host:
                            raise ProtocolError("Not for you")
                        if request.name.rpartition("/")[2] != file.name:
                            await link.send(tftp.error(tftp.NOT_FOUND, "No such file"), address, port)
                            continue
                        transfer = tftp.Giving(request, file.size, file.read)
                    except ProtocolError as error:
                        code = tftp.DENIED if address != host else tftp.ILLEGAL
                        await link.send(tftp.error(code, error.message), address, port)
                        continue
                    fetched.asked = True
                    busy = {p: task for p, task in busy.items() if not task.done()}
                    busy[port] = asyncio.ensure_future(_give(source, interface, address, port, transfer, told, fetched))
    finally:
        for task in busy.values():
            task.cancel()
        await asyncio.gather(*busy.values(), return_exceptions=True)


async def _give(
    source: str,
    interface: str,
    address: str,
    port: int,
    transfer: tftp.Giving,
    told: Callable[[int], None],
    fetched: Fetched,
) -> None:
    loop = asyncio.get_running_loop()
    try:
        with UdpLink(source, interface=interface) as link:
            await link.send(transfer.first(), address, port)
            while not transfer.done:
                begun, out, came = loop.time(), b"", False
                async with aclosing(link.answers(transfer.again_s)) as answers:
                    async for data, sender, at in answers:
                        if (sender, at) != (address, port):
                            await link.send(tftp.error(tftp.UNKNOWN_ID, "Unknown transfer"), sender, at)
                            continue
                        before = transfer.sent
                        out, came = transfer.feed(data), True
                        if out or transfer.done or transfer.sent != before:
                            break
                if not came or not out:
                    out = out or (b"" if transfer.done else transfer.silence(max(loop.time() - begun, 0.001)))
                told(transfer.sent)
                if out:
                    await link.send(out, address, port)
            fetched.whole, fetched.trouble = True, None
    except NetloomError as error:
        fetched.trouble = error
    except OSError as error:
        fetched.trouble = NoAnswer(f"TFTP: {error.strerror or error}.")
