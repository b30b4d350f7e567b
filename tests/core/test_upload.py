"""A large body to devices that are slow, stand still, answer early or hang up."""

from __future__ import annotations

import asyncio
import socket
import struct
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from email import message_from_bytes
from email.policy import HTTP

import pytest

from netloom_core.drivers.http.form import HttpLoad
from netloom_core.drivers.http.loading import enclosed
from netloom_core.errors import NetloomError, NoAnswer
from netloom_core.links import http
from netloom_core.links.http import HttpLink
from netloom_core.links.stream import TcpStream, open_tcp
from netloom_core.model.image import Image

HOST, PORT = "127.29.90.2", 8099
BODY = [bytes(60_000)] * 20
SIZE = 1_200_000
Serve = Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


@asynccontextmanager
async def device(serve: Serve) -> AsyncIterator[HttpLink]:
    async def met(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            await reader.readuntil(b"\r\n\r\n")
            await serve(reader, writer)
        except (asyncio.IncompleteReadError, ConnectionError):
            pass
        finally:
            writer.close()

    sock = socket.socket()
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 16_384)  # of a small device
    sock.bind((HOST, PORT))
    server = await asyncio.start_server(met, sock=sock, limit=1 << 14)
    link = HttpLink("127.29.90.1", HOST, PORT, timeout=1.0)
    try:
        yield link
    finally:
        link.close()
        server.close()


async def sent(link: HttpLink, told: list[int]) -> tuple[int, bytes]:
    return await link.upload("POST", "/f", iter(BODY), SIZE, (), seconds=1.0, told=told.append)


def answer(status: str, text: bytes) -> bytes:
    return f"HTTP/1.1 {status}\r\nContent-Length: {len(text)}\r\n\r\n".encode() + text


async def test_a_slow_device_takes_its_time() -> None:
    async def slow(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        left = SIZE
        while left:
            left -= len(await reader.read(min(30_000, left)))
            await asyncio.sleep(0.04)  # in all longer than any exchange may take
        writer.write(answer("200 OK", b"taken"))
        await writer.drain()

    told: list[int] = []
    async with device(slow) as link:
        assert await sent(link, told) == (200, b"taken")
    assert told[-1] == SIZE
    assert told == sorted(told)


async def test_one_that_stands_still_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(http, "STILL_S", 0.3)

    async def still(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await asyncio.sleep(3)

    async with device(still) as link:
        with pytest.raises(NoAnswer) as told:
            await sent(link, [])
        assert told.value.outcome == "unknown"


async def test_what_it_says_before_the_end_is_heard_and_the_rest_is_not_sent() -> None:
    async def refuses(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(answer("413 Too Large", b"no room for it"))
        await writer.drain()
        await asyncio.sleep(0.5)

    told: list[int] = []
    async with device(refuses) as link:
        assert await sent(link, told) == (413, b"no room for it")
    assert told[-1] < SIZE


ODD = [b"", b"\x00\xff" * 40, b"HTTP/1.1 200 OK\r\n", b"HTTP/1.1 200 OK\r\nContent-Length: 9\r\n\r\nx"]


@pytest.mark.parametrize("says", ODD)
async def test_nonsense_and_half_an_answer_are_typed_errors(says: bytes) -> None:
    async def odd(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        left = SIZE
        while left:
            left -= len(await reader.read(min(65_536, left)))
        writer.write(says)
        await writer.drain()

    async with device(odd) as link:
        with pytest.raises(NetloomError):
            await sent(link, [])


def test_a_form_is_one_as_every_server_reads_it() -> None:
    """By the standard library's own parser of MIME, whatever is in the file and in its name."""
    data = b"--netloom\r\n\r\n" + bytes(range(256)) * 300 + b"\r\n--"
    image = Image("f", 'ext1 "é" 1.13\\.crn', len(data), "", "", "1.13", lambda at, size: data[at : at + size])
    pieces, size, kind = enclosed(HttpLoad(path="/f", form="multipart", field="upload"), image)
    body = b"".join(pieces)
    assert len(body) == size
    [part] = message_from_bytes(f"Content-Type: {kind}\r\n\r\n".encode() + body, policy=HTTP).iter_parts()
    assert part.get_param("name", header="content-disposition") == "upload"
    assert part.get_filename() == "ext1  1.13.crn"
    assert part.get_payload(decode=True) == data
    whole, plain, kind = enclosed(HttpLoad(path="/f"), image)
    assert (b"".join(whole), plain, kind) == (data, len(data), "application/octet-stream")


async def on_and_on(far: TcpStream) -> None:
    while True:
        await far.write(b"who\r")
        await far.read(0.05)


async def test_a_connection_that_the_far_end_cuts_is_no_fault_of_this_computer() -> None:
    """A device that starts anew resets its connections: it is silent, and this computer's network is as it was."""

    async def cuts(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        sock = writer.get_extra_info("socket")
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))  # a reset, not an end
        writer.close()

    server = await asyncio.start_server(cuts, HOST, PORT + 1)
    far = await open_tcp("127.29.90.1", HOST, PORT + 1)
    try:
        with pytest.raises(NoAnswer):
            await on_and_on(far)
    finally:
        far.close()
        server.close()
