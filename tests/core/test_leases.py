"""Who asks for an address, what is answered, and whom nobody answers."""

from __future__ import annotations

import ipaddress
from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import ProtocolError
from netloom_core.leases.giving import Giver
from netloom_core.leases.responder import Decision, Lease, decide, terms_of
from netloom_core.protocols import dhcp
from netloom_core.protocols.dhcp import Given, Question, answer, parse_answer, parse_question

MAC = "02:00:00:00:00:0a"
PLAN = {MAC: Lease("10.77.0.50", "Quay box")}
TERMS = terms_of("10.77.0.1", "10.77.0.0/24", router="10.77.0.254")


def asked(kind: int, mac: str = MAC, options: bytes = b"", **more: Any) -> bytes:
    """As a client would send it, written by hand: fields of RFC 2131 figure 1."""
    packed = {name: ipaddress.IPv4Address(more.get(name, 0)).packed for name in ("own", "relay")}
    flags = 0x8000 if more.get("broadcast") else 0
    head = bytes((1, 1, 6, 0)) + (7).to_bytes(4, "big") + bytes(2) + flags.to_bytes(2, "big")
    head += packed["own"] + bytes(8) + packed["relay"] + bytes.fromhex(mac.replace(":", "")) + bytes(10 + 192)
    if kind == dhcp.BOOTP:
        return (head + bytes(64)) if more.get("bare") else head + dhcp.COOKIE + options + b"\xff" + bytes(59)
    return head + dhcp.COOKIE + bytes((53, 1, kind)) + options + b"\xff"


def address(option: int, text: str) -> bytes:
    return bytes((option, 4)) + ipaddress.IPv4Address(text).packed


def decided(data: bytes, plan: dict[str, Lease] = PLAN) -> Decision:
    return decide(parse_question(data), plan, TERMS)


def options_of(reply: bytes) -> dict[int, bytes]:
    found, at = {}, 240
    while reply[at] != 255:
        found[reply[at]] = reply[at + 2 : at + 2 + reply[at + 1]]
        at += 2 + reply[at + 1]
    return found


def test_an_offer_and_what_is_given_have_all_that_the_table_of_the_standard_asks_for() -> None:
    client = bytes((61, 3, 1, 2, 3))
    offer = decided(asked(dhcp.DISCOVER, options=client + address(50, "10.77.0.9"), broadcast=True))
    assert (offer.said, offer.gives, offer.taken) == ("offered 10.77.0.50", "10.77.0.50", "")
    assert offer.asked == "asks, would like 10.77.0.9"
    assert offer.reply[10:12] == b"\x80\x00", "the client's own flags"
    assert offer.reply[:8] == bytes((2, 1, 6, 0, 0, 0, 0, 7))
    assert offer.reply[28:34].hex(":") == MAC
    told = parse_answer(offer.reply)
    assert (told.kind, told.server, told.offered) == (dhcp.OFFER, "10.77.0.1", "10.77.0.50")
    assert (told.subnet, told.router, told.lease_s) == ("255.255.255.0", "10.77.0.254", 3600)
    assert options_of(offer.reply)[61] == b"\1\2\3", "the client's identifier comes back (RFC 6842)"
    taken = decided(asked(dhcp.REQUEST, options=address(54, "10.77.0.1") + address(50, "10.77.0.50")))
    assert (parse_answer(taken.reply).kind, taken.taken, taken.to, taken.gives) == (dhcp.ACK, "10.77.0.50", "", "")
    assert len(taken.reply) >= 300


@pytest.mark.parametrize(
    ("options", "own", "kind", "to", "gives"),
    [
        (address(50, "10.77.0.50"), "", dhcp.ACK, "", "10.77.0.50"),  # after a restart
        (address(50, "10.77.0.51"), "", dhcp.NAK, "", ""),
        (b"", "10.77.0.50", dhcp.ACK, "10.77.0.50", ""),  # goes on
        (b"", "10.77.0.51", dhcp.NAK, "", ""),
        (address(54, "10.77.0.1") + address(50, "10.77.0.60"), "", dhcp.NAK, "", ""),
    ],
)
def test_who_comes_back_keeps_what_the_plan_says_and_nothing_else(
    options: bytes, own: str, kind: int, to: str, gives: str
) -> None:
    made = decided(asked(dhcp.REQUEST, options=options, own=own or 0))
    told = parse_answer(made.reply)
    assert (told.kind, made.to, made.gives) == (kind, to, gives)
    assert told.offered == ("10.77.0.50" if kind == dhcp.ACK else "")
    assert (51 in options_of(made.reply)) == (kind == dhcp.ACK), "a refusal has no terms"


def test_bootp_is_answered_without_a_lease() -> None:
    for data in (asked(dhcp.BOOTP, bare=True), asked(dhcp.BOOTP, options=bytes((12, 3)) + b"box")):
        made = decided(data)
        assert (made.asked, made.said, made.taken) == ("asks by BOOTP", "given 10.77.0.50", "10.77.0.50")
        assert made.reply[16:20] == ipaddress.IPv4Address("10.77.0.50").packed
        assert made.reply[20:24] == ipaddress.IPv4Address("10.77.0.1").packed
        assert set(options_of(made.reply)) == {1, 3}, "a BOOTP client knows no lease and no server's name"


def test_nobody_else_is_answered() -> None:
    stranger = decided(asked(dhcp.DISCOVER, "02:00:00:00:00:0b"))
    assert (stranger.reply, stranger.stranger) == (b"", True)
    keeps = decided(asked(dhcp.REQUEST, "02:00:00:00:00:0b", own="10.77.0.50"))
    assert (keeps.reply, keeps.stranger) == (b"", False), "another server's client is left alone"
    relayed = decided(asked(dhcp.DISCOVER, relay="10.1.1.1"))
    assert relayed.reply == b""
    assert "relay 10.1.1.1" in relayed.said
    other = decided(asked(dhcp.REQUEST, options=address(54, "10.77.0.2") + address(50, "10.77.0.99")))
    assert (other.reply, other.other) == (b"", "10.77.0.2")
    for kind in (dhcp.DECLINE, dhcp.RELEASE):
        assert decided(asked(kind, options=address(50, "10.77.0.50"))).reply == b""
    inform = decided(asked(dhcp.INFORM, own="10.77.0.50"))
    assert (parse_answer(inform.reply).offered, inform.to) == ("", "10.77.0.50")
    assert 51 not in options_of(inform.reply)


def test_options_that_spill_into_other_fields_are_read() -> None:
    data = bytearray(asked(dhcp.DISCOVER, options=bytes((52, 1, 3))))
    data[108:118] = bytes((12, 3)) + b"box" + b"\xff" + bytes(4)
    data[44:50] = bytes((50, 4)) + bytes((10, 77, 0, 9))
    question = parse_question(bytes(data))
    assert (question.host, question.requested) == ("box", "10.77.0.9")


@pytest.mark.parametrize(
    "data",
    [
        b"", bytes(236), asked(dhcp.DISCOVER, "ff:ff:ff:ff:ff:ff"), asked(dhcp.DISCOVER, "00:00:00:00:00:00"),
        asked(dhcp.OFFER), asked(9), asked(dhcp.DISCOVER)[:243] + bytes((50, 200)),
        bytes((2,)) + asked(dhcp.DISCOVER)[1:],
        asked(dhcp.DISCOVER, options=bytes((53, 2, 1, 1))), asked(dhcp.DISCOVER) + bytes(5000),
    ],
)  # fmt: skip
def test_what_is_no_question_is_none(data: bytes) -> None:
    with pytest.raises(ProtocolError):
        parse_question(data)


MACS = st.binary(min_size=6, max_size=6).map(lambda b: bytes((b[0] & 0xFE | 2,)) + b[1:]).map(lambda b: b.hex(":"))
ADDRESSES = st.integers(1, 2**32 - 1).map(lambda n: str(ipaddress.IPv4Address(n)))


@given(st.binary(max_size=700), st.data())
def test_any_bytes_are_a_question_or_an_error(tail: bytes, data: st.DataObject) -> None:
    raw = bytearray(asked(dhcp.DISCOVER) + tail)
    for _ in range(data.draw(st.integers(0, 6))):
        raw[data.draw(st.integers(0, len(raw) - 1))] = data.draw(st.integers(0, 255))
    try:
        question = parse_question(bytes(raw))
    except ProtocolError:
        return
    made = decide(question, {question.mac: Lease("10.77.0.50")}, TERMS)
    if made.reply:
        assert parse_question_fails(made.reply), "an answer is no question"
        assert made.reply[28:34].hex(":") == question.mac
        assert len(made.reply) <= 576, "what every client takes (RFC 2131 clause 2)"


def parse_question_fails(data: bytes) -> bool:
    try:
        parse_question(data)
    except ProtocolError:
        return True
    return False


@given(MACS, ADDRESSES, st.sampled_from([dhcp.OFFER, dhcp.ACK]), st.integers(0, 2**32 - 1))
def test_what_is_answered_is_read_again(mac: str, to: str, kind: int, transaction: int) -> None:
    question = Question(transaction, dhcp.DISCOVER, mac)
    told = parse_answer(answer(question, kind, "10.77.0.1", Given(to, "255.255.0.0", "10.77.0.254", 60)))
    assert (told.transaction, told.offered, told.subnet, told.lease_s) == (transaction, to, "255.255.0.0", 60)


def test_an_address_that_was_given_is_not_given_to_another_one_whose_cable_is_out() -> None:
    """Who is unplugged answers no ARP, and has its lease all the same."""
    giver = SimpleNamespace(given={MAC: "10.77.0.50"})
    assert Giver._given_to_another(giver, "10.77.0.50", "02:00:00:00:00:0b") == MAC  # type: ignore[arg-type]
    assert Giver._given_to_another(giver, "10.77.0.50", MAC) == ""  # type: ignore[arg-type]
