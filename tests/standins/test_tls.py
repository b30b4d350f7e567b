"""HTTP by TLS, to devices whose certificates nobody signed: known again by what they showed at first sight."""

from __future__ import annotations

import asyncio
import ssl
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import replace
from pathlib import Path

import pytest

from netloom_core.bus.turns import Priority
from netloom_core.clock import SystemClock
from netloom_core.errors import NetloomError, NoAnswer, ProtocolError, WrongDevice
from netloom_core.library.load import Library
from netloom_core.links.http import HttpLink
from netloom_core.links.tls import TLS_PIN
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.http import HttpIdentify
from netloom_core.sweep.sweep import sweep
from netloom_standins import certificate
from tests.patience import SOON_S
from tests.standins.models import bench

NETWORK = "127.29.71"
HOST = f"{NETWORK}.7"


async def test_another_certificate_is_told_and_nothing_is_said_on_it(library: Library, tmp_path: Path) -> None:
    async with bench(library, "brevin-ps8", tmp_path, NETWORK) as here:
        talk = await here.talk()
        pin = (await talk.identify()).facts[TLS_PIN]
        await talk.read("running")
        here.unit.faults.certificate += 1
        here.unit.new_certificate()
        known = replace(here.target, pins={"tls": pin})
        again = await here.sessions.talk(replace(known, name="known by it"), "test", Priority.RUN)
        with pytest.raises(WrongDevice, match="another certificate than before"):
            await again.read("running")
        fresh = await here.sessions.talk(replace(known, pins={}), "test", Priority.RUN)
        assert await fresh.read("running"), "forgotten: the next one is taken"
        assert (await fresh.identify()).facts[TLS_PIN] != pin


async def test_it_is_found_by_tls(library: Library, tmp_path: Path) -> None:
    async with bench(library, "brevin-ps8", tmp_path, NETWORK) as here:
        methods = [ConnectScan(), HttpIdentify()]
        result = await sweep(
            [here.line], [], library, here.owners, SystemClock(), methods=methods, only=frozenset({HOST})
        )
    [finding] = result.findings
    assert (finding.profile, finding.identity.serial) == ("brevin-ps8", "TS-1007")


@asynccontextmanager
async def server(answer: bytes, *, newest: ssl.TLSVersion | None = None, plain: bool = False) -> AsyncIterator[int]:
    """Says that to whoever says anything."""
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    certificate.load(made, "test", 0)
    made.set_ciphers("ALL:@SECLEVEL=0")
    if newest:
        made.minimum_version, made.maximum_version = ssl.TLSVersion.TLSv1, newest

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.read(2000)
        writer.write(answer)
        await asyncio.sleep(3)
        writer.close()

    served = await asyncio.start_server(talk, HOST, 0, ssl=None if plain else made)
    try:
        yield served.sockets[0].getsockname()[1]
    finally:
        served.close()


async def ask(port: int) -> tuple[int, bytes]:
    link = HttpLink(f"{NETWORK}.1", HOST, port, timeout=1.0, tls=True)
    try:
        return await link.request("GET", "/")
    finally:
        link.close()


async def test_a_long_answer_comes_whole() -> None:
    body = bytes(range(256)) * 2000
    head = f"HTTP/1.1 200 OK\r\nContent-Length: {len(body)}\r\n\r\n".encode()
    async with server(head + body) as port:
        assert await ask(port) == (200, body)


@pytest.mark.filterwarnings("ignore:ssl.TLSVersion.TLSv1")
@pytest.mark.parametrize(
    ("how", "error", "told"),
    [
        ({"newest": ssl.TLSVersion.TLSv1_1}, ProtocolError, "speaks no TLS 1.2 or newer"),
        ({"plain": True, "answer": b"220 hello\r\n"}, ProtocolError, "speaks no TLS 1.2 or newer"),
        ({"plain": True, "answer": b""}, ProtocolError, "does not finish the handshake"),
        ({"answer": b""}, NoAnswer, "fell silent"),
        ({"answer": b"\x00" * 300}, ProtocolError, "does not speak HTTP"),
    ],
)
async def test_servers_that_misbehave(how: dict, error: type[NetloomError], told: str) -> None:
    async with server(how.pop("answer", b""), **how) as port:
        with pytest.raises(error, match=told):
            await asyncio.wait_for(ask(port), SOON_S)
