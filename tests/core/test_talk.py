"""A talk has one end in time, and what came before it was looked at counts."""

from __future__ import annotations

import asyncio
import socket
import time
from collections.abc import Iterator

import pytest

from netloom_core.errors import LinkError
from netloom_core.links import tcp
from netloom_core.links.talk import Talk
from tests.patience import SOON_S


@pytest.fixture
def pair() -> Iterator[tuple[socket.socket, socket.socket]]:
    ours, theirs = socket.socketpair()
    ours.setblocking(False)
    yield ours, theirs
    ours.close()
    theirs.close()


async def test_an_answer_counts_though_the_computer_is_late(pair: tuple[socket.socket, socket.socket]) -> None:
    """The end of the time and the answer are found together."""
    ours, theirs = pair
    talk = Talk(ours, 0.05)
    reading = asyncio.ensure_future(talk.read(0.05))
    await asyncio.sleep(0)
    theirs.send(b"here")
    time.sleep(0.2)
    assert await reading == b"here"


async def test_who_never_stops_is_not_heard_for_ever(pair: tuple[socket.socket, socket.socket]) -> None:
    ours, theirs = pair
    talk = Talk(ours, 0.2)
    heard = 0
    async with asyncio.timeout(SOON_S):
        while True:
            theirs.send(b"x" * 100)
            if not await talk.read(1.0):
                break
            heard += 1
            await asyncio.sleep(0.001)
    assert heard > 1


async def test_silence_a_closed_end_and_a_peer_that_takes_nothing(pair: tuple[socket.socket, socket.socket]) -> None:
    ours, theirs = pair
    talk = Talk(ours, 5.0)
    assert await talk.read(0.02) == b""
    assert not talk.closed
    await talk.say(b"x" * 50_000_000)
    assert talk.closed
    again = Talk(ours, 5.0)
    theirs.close()
    while await again.read(0.05):
        pass
    assert again.closed
    await again.say(b"nobody is there")


async def test_a_connection_counts_though_the_computer_is_late() -> None:
    with socket.create_server(("127.0.0.1", 0)) as listener:
        connecting = asyncio.ensure_future(tcp.connect("127.0.0.1", "127.0.0.1", listener.getsockname()[1], 0.05))
        await asyncio.sleep(0)
        time.sleep(0.2)
        answer = await connecting
        assert isinstance(answer, socket.socket)
        answer.close()


async def test_refused_silent_and_a_name() -> None:
    with socket.create_server(("127.0.0.1", 0)) as listener:
        port = listener.getsockname()[1]
        named = await tcp.connect("", "localhost", port, 2.0)
        assert isinstance(named, socket.socket)
        named.close()
        listener.listen(0)
        full = [await tcp.connect("127.0.0.1", "127.0.0.1", port, 0.05) for _ in range(8)]
        assert full[-1] == "silent", "nobody takes it"
        for one in full:
            if isinstance(one, socket.socket):
                one.close()
    assert await tcp.connect("127.0.0.1", "127.0.0.1", port, 1.0) == "refused"
    with pytest.raises(LinkError):
        await tcp.connect("203.0.113.7", "127.0.0.1", port, 1.0)
