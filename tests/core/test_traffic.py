"""What passes on a serial line is kept both ways, bounded, without secrets."""

from __future__ import annotations

import asyncio
import os
import pty
from collections.abc import Iterator

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.bus import traffic
from netloom_core.bus.owner import SerialOwner
from netloom_core.bus.traffic import Traffic
from netloom_core.bus.turns import Priority
from netloom_core.model.line import Line
from tests.patience import SOON_S


def shown(kept: Traffic, *, out: bool) -> bytes:
    return b"".join(one.data for one in kept.since(0) if one.out is out)


def test_a_secret_in_pieces_is_not_shown_and_what_is_around_it_is() -> None:
    kept = Traffic(lambda: 1.0)
    kept.hide(["harbour", "ab"])
    for piece in (b"phrase=har", b"bo", b"ur\r"):
        kept.note(piece, "run", out=True)
    kept.note(b"phrase=harbour ok ab", "run", out=False)
    assert shown(kept, out=True) == b"phrase=*******\r"
    assert shown(kept, out=False) == b"phrase=******* ok ab"
    assert [len(one.data) for one in kept.since(1)] == [2, 3, 20]


def test_a_key_in_hexadecimal_digits_is_hidden_as_bytes() -> None:
    kept = Traffic(lambda: 1.0)
    kept.hide(["30313233343536373839414243444546"])
    kept.note(b"\x53" + b"0123456789ABCDEF" + b"\x00", "run", out=True)
    assert shown(kept, out=True) == b"\x53" + b"*" * 16 + b"\x00"


def test_a_secret_that_comes_letter_by_letter_is_never_shown_in_part() -> None:
    """Each look shows what came since: half a secret that was shown once cannot be taken back."""
    now = 1.0
    kept, seen, number = Traffic(lambda: now), b"", 0
    kept.hide(["harbour"])
    for letter in "phrase=harbour\rhar":
        kept.note(letter.encode(), "run", out=False)
        for piece in kept.since(number):
            seen, number = seen + piece.data, piece.number
    assert seen == b"phrase=h******\rh"
    now += 3  # no more of it came: it was none
    assert b"".join(one.data for one in kept.since(number)) == b"ar"


def test_of_what_was_dropped_no_half_of_a_secret_is_left(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(traffic, "MOST", 2)
    kept = Traffic(lambda: 1.0)
    kept.hide(["harbour"])
    for piece in (b"phrase=har", b"bour", b" ok"):
        kept.note(piece, "run", out=True)
    assert shown(kept, out=True) == b"**** ok"


@given(st.lists(st.tuples(st.binary(max_size=4000), st.booleans()), max_size=80), st.integers(0, 200))
def test_it_stays_bounded_and_in_order(pieces: list[tuple[bytes, bool]], since: int) -> None:
    kept = Traffic(lambda: 1.0)
    for data, out in pieces:
        kept.note(data, "run", out=out)
    numbers = [one.number for one in kept.since(0)]
    newest = sum(bool(data) for data, _ in pieces)
    assert numbers == list(range(newest - len(numbers) + 1, newest + 1))
    assert sum(len(one.data) for one in kept.since(0)) <= traffic.MOST_BYTES
    after = [one.number for one in kept.since(since)]
    assert after == [n for n in numbers if n > (since if since <= newest else 0)]


@pytest.fixture
def port() -> Iterator[tuple[int, str]]:
    ours, theirs = pty.openpty()
    yield ours, os.ttyname(theirs)
    os.close(theirs)
    os.close(ours)


async def test_a_run_is_shown_and_a_console_is_not(port: tuple[int, str]) -> None:
    far, name = port
    owner = SerialOwner(Line("l", "Line", "serial", path=name, speed=9600, protocol="dialogue"), lambda line: line.path)
    async with owner.turn("run of kai", Priority.RUN) as link:
        await link.set_line(9600)
        link.write(b"who\r")
        os.write(far, b"W1\r")
        async with asyncio.timeout(SOON_S):
            while b"W1" not in shown(owner.traffic, out=False):
                await link.read(0.2)
    async with owner.turn("console of kai", Priority.CONSOLE) as link:
        link.write(b"my own secret\r")
    assert shown(owner.traffic, out=True) == b"who\r"
    assert {one.who for one in owner.traffic.since(0)} == {"run of kai"}
    assert owner.errors() == {}  # a pseudo-terminal counts none
    owner.close()
