"""HTTP over one connection to devices that answer late, split, doubled, wrong or not at all."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable

import pytest
import pytest_asyncio

from netloom_core.errors import LinkError, NoAnswer, ProtocolError
from netloom_core.links import http
from netloom_core.links.http import HttpLink
from netloom_core.links.interfaces import own_address

HOST, PORT, SOURCE = "127.26.10.5", 8480, "127.26.10.1"
Serve = Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]]


class Peer:
    """A device whose answer to each request is scripted: pieces, with a pause between them."""

    def __init__(self) -> None:
        self.answers: list[list[bytes]] = []
        self.asked: list[bytes] = []
        self.connections = 0
        self.sources: set[str] = set()
        self.then_close = False

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.connections += 1
        self.sources.add(writer.get_extra_info("peername")[0])
        try:
            while self.answers:
                head = await reader.readuntil(b"\r\n\r\n")
                self.asked.append(head)
                for piece in self.answers.pop(0):
                    writer.write(piece)
                    await writer.drain()
                    await asyncio.sleep(0.01)
                if self.then_close:
                    break
            await asyncio.sleep(0 if self.then_close else 5)
        except (asyncio.IncompleteReadError, ConnectionError):
            return
        finally:
            writer.close()


@pytest_asyncio.fixture
async def peer() -> AsyncIterator[Peer]:
    made = Peer()
    server = await asyncio.start_server(made.serve, HOST, PORT)
    yield made
    server.close()


@pytest_asyncio.fixture
async def link() -> AsyncIterator[HttpLink]:
    made = HttpLink(SOURCE, HOST, PORT, timeout=0.5)
    yield made
    made.close()


def ok(body: bytes) -> bytes:
    return b"HTTP/1.1 200 OK\r\ncontent-length: %d\r\n\r\n%s" % (len(body), body)


async def test_one_connection_serves_many_calls_from_the_lines_own_address(peer: Peer, link: HttpLink) -> None:
    peer.answers = [[ok(b"one")], [ok(b"two")]]
    assert await link.request("GET", "/a") == (200, b"one")
    assert await link.request("PUT", "/b", b"{}", (("authorization", "Bearer x"),)) == (200, b"two")
    assert (peer.connections, peer.sources) == (1, {SOURCE})
    assert b"authorization: Bearer x" in peer.asked[1]


async def test_answers_in_single_bytes_and_in_chunks(peer: Peer, link: HttpLink) -> None:
    whole = ok(b"slow")
    peer.answers = [
        [whole[i : i + 1] for i in range(len(whole))],
        [b"HTTP/1.1 200 OK\r\ntransfer-encoding: chunked\r\n\r\n", b"2\r\nab\r\n", b"3\r\ncde\r\n0\r\n\r\n"],
    ]
    link._timeout = 3
    assert (await link.request("GET", "/"))[1] == b"slow"
    assert (await link.request("GET", "/"))[1] == b"abcde"


async def test_a_connection_closed_meanwhile_is_opened_anew(peer: Peer, link: HttpLink) -> None:
    peer.then_close = True
    peer.answers = [[ok(b"1")], [ok(b"2")]]
    await link.request("GET", "/")
    await asyncio.sleep(0.05)
    assert (await link.request("GET", "/"))[1] == b"2"
    assert peer.connections == 2


@pytest.mark.parametrize(
    ("pieces", "close", "error"),
    [
        ([], False, NoAnswer),
        ([], True, NoAnswer),
        ([b"HTTP/1.1 200 OK\r\ncontent-length: 50\r\n\r\nhalf"], False, NoAnswer),
        ([b"HTTP/1.1 200 OK\r\ncontent-length: 50\r\n\r\nhalf"], True, ProtocolError),
        ([b"SSH-2.0-x\r\n\r\n"], False, ProtocolError),
        ([b"HTTP/1.1 200 OK\r\nx: " + b"y" * 40_000], False, ProtocolError),
        ([b"\x00" * 200 + b"\r\n\r\n"], True, ProtocolError),
        ([b"HTTP/1.1 101 Switching Protocols\r\nupgrade: x\r\n\r\n"], False, ProtocolError),
    ],
)
async def test_what_is_no_answer_is_a_typed_error(
    peer: Peer, link: HttpLink, pieces: list[bytes], close: bool, error: type[Exception]
) -> None:
    peer.answers, peer.then_close = [pieces], close
    with pytest.raises(error) as caught:
        await link.request("GET", "/")
    assert caught.value.outcome == "unknown", "it was sent; nobody knows"  # type: ignore[attr-defined]
    assert link._sock is None, "a spoilt connection is not used again"


async def test_a_reply_without_end_is_cut_off(peer: Peer, link: HttpLink, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(http, "MAX_BODY", 1000)
    peer.answers = [[ok(bytes(5000))]]
    with pytest.raises(ProtocolError, match="more than 1000"):
        await link.request("GET", "/")


async def test_nobody_there_means_nothing_was_sent(link: HttpLink) -> None:
    with pytest.raises(NoAnswer) as caught:
        await link.request("GET", "/")
    assert caught.value.outcome == "not_sent"
    assert "refuses" in caught.value.message


async def test_lines_of_a_stream(peer: Peer, link: HttpLink) -> None:
    peer.then_close = True
    peer.answers = [[b"HTTP/1.1 200 OK\r\n\r\n", b"data: 1\n\nda", b"ta: 2\n", b"\n"]]
    assert [line async for line in link.lines("GET", "/")] == ["data: 1", "", "data: 2", ""]


async def test_a_stream_that_is_refused_or_endless(peer: Peer, link: HttpLink, monkeypatch: pytest.MonkeyPatch) -> None:
    peer.answers = [[b"HTTP/1.1 503 Busy\r\ncontent-length: 0\r\n\r\n"]]
    with pytest.raises(ProtocolError, match="503"):
        [line async for line in link.lines("GET", "/")]
    monkeypatch.setattr(http, "MAX_LINE", 100)
    peer.answers = [[b"HTTP/1.1 200 OK\r\n\r\n" + b"x" * 1000]]
    with pytest.raises(ProtocolError, match="without end"):
        [line async for line in link.lines("GET", "/")]


async def test_a_source_that_is_not_ours_is_our_fault() -> None:
    link = HttpLink("203.0.113.7", HOST, PORT)
    with pytest.raises(LinkError, match="no address on that line"):
        await link.request("GET", "/")


def test_own_address() -> None:
    import ipaddress

    assert own_address(ipaddress.IPv4Network("127.26.10.0/24")) == ("127.26.10.1", "lo")
    with pytest.raises(LinkError.__mro__[1], match="no address in"):
        own_address(ipaddress.IPv4Network("203.0.113.0/24"), "lo")
