"""XMODEM-CRC, XMODEM-1K and YMODEM: vectors, damaged and lost blocks, whatever the receiver says."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import NetloomError, NoAnswer, Refused
from netloom_core.protocols import block_transfer as bt
from netloom_core.protocols.block_transfer import Sender, Way
from netloom_standins.receiving import Receiver

FILE = bytes(n * 7 & 0xFF for n in range(3333))


def sender(way: Way, data: bytes = FILE, name: str = "w1_2.4.nlf") -> Sender:
    return Sender(way, name, len(data), lambda at, size: data[at : at + size])


def test_the_crc_and_blocks_are_those_of_the_reference() -> None:
    assert bt.crc16(b"123456789") == 0x31C3
    short = bt.block(1, b"123456789")
    assert (short[:3], len(short), short[12]) == (b"\x01\x01\xfe", 133, 0x1A)
    assert bt.crc16(short[3:]) == 0  # a block with its CRC leaves nothing
    assert bt.block(257, bytes(1024))[:3] == b"\x02\x01\xfe"
    assert bt.block(3, b"\x02" * 128, crc=False)[-1] == 0  # 128 times 2, of its sum the low byte


def test_the_head_of_a_batch_has_name_and_size() -> None:
    head = sender("ymodem", name="folder/w1_2.4.nlf").feed(b"C")
    assert head[:3] == b"\x01\x00\xff"
    assert head[3:20] == b"w1_2.4.nlf\x003333\x00\x00"


def through(way: Way, data: bytes, spoilt: frozenset[int] = frozenset(), lost: frozenset[int] = frozenset()) -> bytes:
    """Both sides on a cable that damages some frames and loses some answers, by their order."""
    back: list[bytes] = []
    receiver = Receiver(back.append, batch=way == "ymodem", most=1 << 20)
    ours = sender(way, data)
    frames, answers = itertools.count(), itertools.count()
    receiver.ask()
    quiet = False
    for _ in range(4000):
        if ours.done:
            break
        come, back[:] = list(back), []
        out = b""
        for said in come:
            if next(answers) not in lost:
                out += ours.feed(said)
        if not out and quiet:
            receiver.ask()
            out += ours.silence(bt.ANSWER_S)
        quiet = not out
        if out:
            n = next(frames)
            receiver.feed(out[:5] + bytes((out[5] ^ 1,)) + out[6:] if n in spoilt and len(out) > 5 else out)
    assert ours.done
    assert ours.sent == len(data)
    assert receiver.whole is not None
    return receiver.whole


@pytest.mark.parametrize("way", ["xmodem", "xmodem-1k", "ymodem"])
@pytest.mark.parametrize("size", [0, 1, 128, 129, 1024, 1025, 3333, 40_000])
def test_a_file_arrives_whole(way: Way, size: int) -> None:
    data = (FILE * 13)[:size]
    whole = through(way, data)
    assert whole == data if way == "ymodem" else whole.startswith(data)
    assert way == "ymodem" or set(whole[size:]) <= {0x1A}


@given(st.frozensets(st.integers(0, 30), max_size=8), st.frozensets(st.integers(2, 40), max_size=3))
def test_damaged_frames_and_lost_answers_change_nothing(spoilt: frozenset[int], lost: frozenset[int]) -> None:
    assert through("ymodem", FILE, spoilt, lost) == FILE


def test_four_answers_in_a_row_that_are_lost_are_silence() -> None:
    """One fewer is made up for, above."""
    with pytest.raises(NoAnswer, match="sent 4 times: it fell silent"):
        through("ymodem", FILE, lost=frozenset({2, 3, 4, 5}))


def test_a_receiver_that_asked_often_before_gets_the_first_block_once() -> None:
    ours = sender("xmodem")
    first = ours.feed(b"CCC")
    assert first[:3] == b"\x01\x01\xfe"
    assert len(first) == 133
    assert ours.feed(b"C") == b""
    assert ours.feed(b"\x06")[:3] == b"\x01\x02\xfd"
    assert ours.sent == 128


def test_it_is_cancelled_by_two_in_a_row_and_by_no_single_one() -> None:
    ours = sender("xmodem-1k")
    ours.feed(b"C")
    assert ours.feed(b"\x18\x06")[:2] == b"\x02\x02"
    with pytest.raises(Refused, match="after 1024 of 3333 bytes"):
        ours.feed(b"\x18\x18")


def test_patience_ends() -> None:
    ours = sender("xmodem")
    ours.silence(bt.BEGIN_S - 1)
    with pytest.raises(NoAnswer) as told:
        ours.silence(1.0)
    assert told.value.outcome == "not_sent"
    ours = sender("xmodem")
    ours.feed(b"C")
    for _ in range(bt.TRIES - 1):
        assert len(ours.feed(b"\x15")) == 133
    with pytest.raises(NoAnswer, match="sent 10 times"):
        ours.feed(b"\x15")


@given(st.lists(st.one_of(st.sampled_from([b"C", b"\x06", b"\x15", b"G"]), st.binary(max_size=20)), max_size=60))
def test_whatever_comes_there_is_an_end_or_a_typed_error(said: list[bytes]) -> None:
    ours = sender("ymodem")
    try:
        for one in said:
            ours.feed(one)
            ours.silence(0.5)
    except NetloomError:
        return
    assert ours.sent <= len(FILE)
    assert not ours.done or ours.sent == len(FILE)
