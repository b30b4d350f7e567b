"""UDP answers: none is lost to a time limit, however late this computer gets to them."""

from __future__ import annotations

import asyncio
import socket
import time
from collections.abc import Iterator

import pytest

from netloom_core.links.udp import MAX_FROM_ONE, UdpLink
from tests.patience import SOON_S

HERE, THERE = "127.31.7.1", "127.31.7.2"


@pytest.fixture
def peer() -> Iterator[socket.socket]:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        sock.bind((THERE, 0))
        yield sock


def port_of(link: UdpLink) -> int:
    return int(link._sock.getsockname()[1])


async def all_of(link: UdpLink, seconds: float, **how: asyncio.Future[None]) -> list[bytes]:
    return [data async for data, _, _ in link.answers(seconds, **how)]


async def test_what_came_while_this_computer_was_busy_is_heard_though_the_time_is_over(peer: socket.socket) -> None:
    with UdpLink(HERE) as link:
        hearing = asyncio.create_task(all_of(link, 0.2))
        await asyncio.sleep(0.05)
        for number in range(3):
            peer.sendto(b"%d" % number, (HERE, port_of(link)))
        time.sleep(0.3)
        assert await hearing == [b"0", b"1", b"2"]


async def test_nothing_is_lost_between_short_looks_while_somebody_still_sends(peer: socket.socket) -> None:
    loop = asyncio.get_running_loop()
    with UdpLink(HERE) as link:
        sending: asyncio.Future[None] = loop.create_future()
        hearing = asyncio.create_task(all_of(link, 0.1, after=sending))
        for number in range(8):
            await asyncio.sleep(0.01)
            peer.sendto(b"%d" % number, (HERE, port_of(link)))
            time.sleep(0.12)
        sending.set_result(None)
        assert await hearing == [b"%d" % number for number in range(8)]


async def test_what_nobody_took_is_for_the_next_who_listens(peer: socket.socket) -> None:
    with UdpLink(HERE) as link:
        for data in (b"a", b"b"):
            peer.sendto(data, (HERE, port_of(link)))
        async for data, address, _ in link.answers(1.0):
            assert (data, address) == (b"a", THERE)
            break
        assert await all_of(link, 0.05) == [b"b"]


async def test_a_flood_neither_extends_the_time_nor_is_given_whole(peer: socket.socket) -> None:
    with UdpLink(HERE) as link:
        flooding = True

        async def flood() -> None:
            while flooding:
                for _ in range(50):
                    peer.sendto(b"x", (HERE, port_of(link)))
                await asyncio.sleep(0)

        task = asyncio.create_task(flood())
        begun = time.monotonic()
        heard = await all_of(link, 0.3)
        flooding = False
        await task
        assert len(heard) == MAX_FROM_ONE
        assert time.monotonic() - begun < SOON_S
