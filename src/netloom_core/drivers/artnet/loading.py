"""Firmware into a node by Art-Net: block by block, each acknowledged within its time."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from netloom_core.errors import NoAnswer, ProtocolError, Refused
from netloom_core.links.shared_udp import Inbox, SharedPort
from netloom_core.model.device import Target
from netloom_core.model.image import Image
from netloom_core.protocols import artnet_firmware as artnet


async def load(port: SharedPort, target: Target, image: Image, seconds: float, told: Callable[[int], None]) -> None:
    """Raises Refused where the node says that it failed, NoAnswer where it says nothing for `seconds`."""
    words = -(-image.size // 2)
    if image.size < artnet.HEADER:
        raise Refused(f"{image.name} is too short to be a firmware file of Art-Net.", "Nothing was sent.")
    async with port.listening(target.address) as inbox:
        at, number = 0, 0
        while at < image.size:
            data = image.read(at, min(artnet.BLOCK, image.size - at))
            last = at + len(data) >= image.size
            kind = artnet.FIRST if not at else artnet.LAST if last else artnet.CONTINUED
            await port.send(artnet.block(kind, number, words, data), target.address)
            await _taken(inbox, target, seconds, last=last)
            at, number = at + len(data), number + 1
            told(at)


async def _taken(inbox: Inbox, target: Target, seconds: float, *, last: bool) -> None:
    until = asyncio.get_running_loop().time() + seconds
    name = target.name or target.address
    while (came := await inbox.next(until)) is not None:
        try:
            answer = artnet.parse_reply(came[0])
        except ProtocolError:
            continue  # others on this computer talk with it, too
        if answer == artnet.FAILED:
            raise Refused(f"{name} says that the upload failed.", "Is it the right file for it?", target=target.device)
        if answer == artnet.ALL_GOOD and not last:
            raise ProtocolError(f"{name} says that it has all of the file, in the middle of it.", target=target.device)
        if answer == (artnet.ALL_GOOD if last else artnet.BLOCK_GOOD):
            return
    raise NoAnswer(
        f"{name} did not answer a block of the file within {seconds:g} s.",
        "Art-Net has no way to go on with it: load it again, from its beginning.",
        target=target.device,
    )
