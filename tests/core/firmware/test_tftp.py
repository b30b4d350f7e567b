"""TFTP's giving side, by the datagrams of RFC 1350 and its options."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import NetloomError, NoAnswer, ProtocolError, Refused
from netloom_core.protocols import tftp
from netloom_core.protocols.tftp import Giving, parse_request

DATA = bytes(n & 0xFF for n in range(1300))


def giving(data: bytes = DATA, **options: str) -> Giving:
    return Giving(tftp.Request("f", "octet", options), len(data), lambda at, size: data[at : at + size])


def ack(number: int) -> bytes:
    return b"\x00\x04" + (number & 0xFFFF).to_bytes(2, "big")


def test_a_request_is_read_with_its_options() -> None:
    told = parse_request(b"\x00\x01w1.nlf\x00octet\x00blksize\x001428\x00TSIZE\x000\x00")
    assert (told.name, told.mode, told.options) == ("w1.nlf", "octet", {"blksize": "1428", "tsize": "0"})
    for wrong in (b"", b"\x00\x02f\x00octet\x00", b"\x00\x01f\x00octet", b"\x00\x01\x00octet\x00", b"\x00\x01f\x00"):
        with pytest.raises(ProtocolError):
            parse_request(wrong)
    with pytest.raises(ProtocolError, match="octet"):
        Giving(tftp.Request("f", "netascii", {}), 0, lambda at, size: b"")


def test_blocks_go_one_by_one_to_a_short_one() -> None:
    ours = giving()
    assert ours.first() == b"\x00\x03\x00\x01" + DATA[:512]
    assert ours.feed(ack(1)) == b"\x00\x03\x00\x02" + DATA[512:1024]
    assert ours.feed(ack(1)) == b""  # late once more: nothing is sent twice for it
    assert ours.feed(ack(2)) == b"\x00\x03\x00\x03" + DATA[1024:]
    assert not ours.done
    assert ours.feed(ack(3)) == b""
    assert (ours.done, ours.sent) == (True, 1300)


def test_a_file_of_whole_blocks_ends_with_an_empty_one() -> None:
    ours = giving(DATA[:512])
    ours.first()
    assert ours.feed(ack(1)) == b"\x00\x03\x00\x02"
    ours.feed(ack(2))
    assert ours.done


def test_options_are_agreed_and_nonsense_is_left_out() -> None:
    ours = giving(blksize="60000", tsize="0", timeout="3", windowsize="4")
    assert ours.first() == b"\x00\x06blksize\x001428\x00tsize\x001300\x00timeout\x003\x00"
    assert ours.feed(ack(0)) == b"\x00\x03\x00\x01" + DATA
    plain = giving(blksize="7", timeout="0", tsize="-1")
    assert plain.first() == b"\x00\x03\x00\x01" + DATA[:512]


def test_blocks_are_counted_on_beyond_sixteen_bits() -> None:
    data = bytes(8 * 66_000 + 3)
    ours, got = giving(data, blksize="8"), 0
    ours.first()
    out, number = ours.feed(ack(0)), 0
    while out:
        number += 1
        assert int.from_bytes(out[2:4], "big") == number & 0xFFFF
        got += len(out) - 4
        out = ours.feed(ack(number))
    assert (got, ours.done) == (len(data), True)


def test_silence_sends_again_and_ends() -> None:
    ours = giving()
    first = ours.first()
    assert ours.silence(0.4) == b""
    assert ours.silence(0.7) == first
    for _ in range(tftp.TRIES - 2):
        assert ours.silence(1.1) == first
    with pytest.raises(NoAnswer):
        ours.silence(1.1)
    ours = giving()
    ours.first()
    with pytest.raises(Refused, match="disk full"):
        ours.feed(b"\x00\x05\x00\x03disk full\x00")


@given(st.lists(st.binary(max_size=30), max_size=40))
def test_whatever_comes_there_is_an_answer_or_a_typed_error(said: list[bytes]) -> None:
    ours = giving()
    ours.first()
    for one in said:
        try:
            parse_request(one)
            ours.feed(one)
        except NetloomError:
            continue
    assert ours.sent <= len(DATA)
