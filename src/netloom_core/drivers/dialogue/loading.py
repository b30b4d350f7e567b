"""Firmware by a dialogue: the command, the file by block transfer or fetched by TFTP, the words at the end."""

from __future__ import annotations

import asyncio
import contextlib
import re
from collections.abc import Callable

from netloom_core.drivers.dialogue.flow import pattern
from netloom_core.drivers.dialogue.form import DialogueLoad
from netloom_core.drivers.dialogue.talk import Conversation, said, shown
from netloom_core.errors import NoAnswer, Refused
from netloom_core.links.tftp import Fetched, giving
from netloom_core.model.device import Target
from netloom_core.model.image import Image
from netloom_core.protocols import tftp
from netloom_core.protocols.block_transfer import Sender

PIECE_S = 0.25
LAST_S = 2.0
NAME = 60  # letters of a file's name in a command
WORDS_S = 5.0  # for words at the end that no pattern asks for


async def load(
    talk: Conversation, how: DialogueLoad, image: Image, target: Target, told: Callable[[int], None]
) -> None:
    """Raises Refused with the device's words where it does not take the file."""
    name = plain(image.name)
    values = {"size": str(image.size), "file": name, "host": target.line.source, "port": str(how.port)}
    command = said(how.send, values)
    if how.by == "tftp":
        line, file = target.line, tftp.File(name, image.size, image.read)
        async with giving(line.source, line.interface, how.port, target.address, file, told) as fetched:
            text = await talk.tell(command, how.done, how.refused, how.seconds + image.size / how.slowest)
            _judge(how, text, target.name)
            await _whole(fetched)  # its words may be here before its last answer is
            if fetched.trouble is not None and not fetched.whole:
                raise fetched.trouble
            if not fetched.whole:
                raise Refused(f"{target.name} said {shown(text)[-80:]!r} without having fetched the file.")
        return
    if how.ready:
        _judge(how, await talk.tell(command, how.ready, how.refused, how.answer_seconds), target.name)
    else:
        await talk.say(command)
    await _blocks(talk, how, image, told)
    text = await talk.tell("", how.done, how.refused, how.seconds) if how.done else ""
    _judge(how, text, target.name)


async def _whole(fetched: Fetched) -> None:
    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(LAST_S):
            await fetched.ended.wait()


def plain(name: str) -> str:
    """A name that stands in a command as one word, whatever the file is called."""
    return re.sub(r"[^A-Za-z0-9._-]+", "_", name)[-NAME:].lstrip("-.") or "file"


async def _blocks(talk: Conversation, how: DialogueLoad, image: Image, told: Callable[[int], None]) -> None:
    assert how.by != "tftp"
    sender = Sender(how.by, image.name, image.size, image.read)
    loop = asyncio.get_running_loop()
    left = talk.left_over()  # it may ask for the first block in one breath with its words
    try:
        while not sender.done:
            begun = loop.time()
            data = left or await talk.raw(PIECE_S)
            left = b""
            out = sender.feed(data) if data else sender.silence(loop.time() - begun)
            told(sender.sent)
            if out:
                await talk.send_bytes(out)
        talk.put_back(sender.rest)
    except Refused as error:
        talk.put_back(sender.rest)
        words = await talk.words(WORDS_S, how.refused or how.done)
        raise Refused(
            f"{error.message} It said {shown(words)!r}." if words.strip() else error.message, error.hint
        ) from error
    except (asyncio.CancelledError, NoAnswer):
        await talk.send_bytes(sender.cancel())
        raise


def _judge(how: DialogueLoad, text: str, name: str) -> None:
    if how.refused and pattern(how.refused).search(text):
        raise Refused(f"{name} does not take the file: it said {shown(text)[-120:]!r}.", "Is it the right file for it?")
