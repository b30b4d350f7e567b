"""Consoles over SSH and Telnet to stand-ins, to the end of the talk."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

import pytest
import pytest_asyncio

from netloom_core.console.session import Console, open_ssh, open_telnet
from netloom_core.errors import NetloomError, NoAnswer, WrongCredentials
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from tests.patience import SOON_S
from tests.standins.field import Field, field

LOGIN = Credentials("manager", "marrowby")


@pytest_asyncio.fixture
async def here(library: Library) -> AsyncIterator[Field]:
    async with field(library, "127.34.3") as made:
        await made.put(2, "marrowby-sw24", "MS-1", ssh={"answers": {"show ports": "1-6 up"}}, telnet={"banner": "SW24"})
        yield made


async def hears(console: Console, words: str) -> str:
    heard = ""
    async with asyncio.timeout(SOON_S):
        while words not in heard:
            heard += (await console.read()).decode()
    return heard


async def to_the_end(console: Console) -> None:
    for _ in range(20):
        await console.read()


async def test_an_ssh_talk_and_the_key_that_stays(here: Field) -> None:
    keys: list[str] = []
    source, host = here.line.source, f"{here.base}.2"
    async with open_ssh(source, host, 22, LOGIN, "", keys.append) as console:
        await hears(console, "> ")
        await console.write(b"show ports\r")
        assert "1-6 up" in await hears(console, "1-6 up")
        await console.send_break()
        await console.write(b"exit\r")
        with pytest.raises(NoAnswer, match="ended the SSH session"):
            await to_the_end(console)
    await here.units[0].stop()
    await here.units[0].start()
    async with open_ssh(source, host, 22, LOGIN, keys[0], keys.append):
        assert keys == [keys[0], keys[0]], "the same key after a power cut"
    with pytest.raises(WrongCredentials):
        async with open_ssh(source, host, 22, Credentials("manager", "wrong"), keys[0], keys.append):
            pass


async def test_a_telnet_talk_and_its_end(here: Field) -> None:
    async with open_telnet(here.line.source, f"{here.base}.2", 23) as console:
        await hears(console, "SW24")
        await console.write(b"exit\r")
        with pytest.raises(NetloomError):
            await to_the_end(console)
    with pytest.raises(NoAnswer, match="refuses"):
        async with open_telnet(here.line.source, f"{here.base}.3", 23):
            pass
