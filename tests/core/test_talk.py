"""A talk has one end in time, and what came before it was looked at counts."""

from __future__ import annotations

import asyncio
import socket
import time
from collections.abc import Iterator

import pytest

from netloom_core.links.talk import Talk


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
    heard, begun = 0, time.monotonic()
    while True:
        theirs.send(b"x" * 100)
        if not await talk.read(1.0):
            break
        heard += 1
        await asyncio.sleep(0.001)
    assert heard > 1
    assert time.monotonic() - begun < 2


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
