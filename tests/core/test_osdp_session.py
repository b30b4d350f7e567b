"""The control panel's side of a talk: numbers, repeats, busy, refusals; every state and event."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import Busy, NetloomError, NoAnswer, ProtocolError, Refused, Unproven
from netloom_core.protocols.osdp import flows, messages
from netloom_core.protocols.osdp.constants import BUSY_RETRIES, RETRIES, Cmd, Rep
from netloom_core.protocols.osdp.frames import Frame, decode
from netloom_core.protocols.osdp.messages import Command, PdId, Reply, TableReply
from netloom_core.protocols.osdp.session import LATE_NAKS, TRANSITIONS, Again, Event, Ignore, Session, State

POLL = Command(Cmd.POLL)


def reply(code: int = Rep.ACK, data: bytes = b"", sequence: int = 0, address: int = 5) -> Frame:
    return Frame(address, code, data, sequence, reply=True)


def test_sequence_numbers_go_0_1_2_3_1() -> None:
    talk, seen = Session(5), []
    for _ in range(6):
        sent = decode(talk.send(POLL))
        seen.append(sent.sequence)
        assert isinstance(talk.received(reply(sequence=sent.sequence)), Reply)
    assert seen == [0, 1, 2, 3, 1, 2]


@pytest.mark.parametrize(("state", "event"), list(itertools.product(State, Event)))
def test_every_state_and_event(state: State, event: Event) -> None:
    talk = Session(5)
    talk.state = state
    if (state, event) in TRANSITIONS:
        talk.move(event)
        assert talk.state is TRANSITIONS[state, event]
    else:
        with pytest.raises(RuntimeError, match=event.value):
            talk.move(event)


def test_silence_repeats_the_same_bytes_then_gives_up() -> None:
    talk = Session(5)
    first = talk.send(POLL)
    for _ in range(RETRIES):
        assert talk.silent() == Again(first)
    with pytest.raises(NoAnswer):
        talk.silent()
    assert decode(talk.send(POLL)).sequence == 0, "after silence the talk starts anew"


@pytest.mark.parametrize("silences", [0, 1, RETRIES])
@pytest.mark.parametrize("command", [POLL, messages.table_act("0A4E4C", 4)])
def test_what_a_unit_did_before_it_began_anew_is_not_known_where_it_was_said_before(
    silences: int, command: Command
) -> None:
    """Its restart may be what the first one asked for. Whoever is told that nothing was sent would say it again."""
    talk = Session(5)
    talk.send(POLL)
    talk.received(reply())
    talk.send(command)
    for _ in range(silences):
        talk.silent()
    sent_once = command.idempotent or not silences
    with pytest.raises(Unproven if sent_once else NoAnswer, match="begun anew") as told:
        talk.received(reply(Rep.NAK, b"\x04", 1))
    assert told.value.outcome == ("unknown" if silences else "not_sent")


def test_what_must_not_happen_twice_is_not_repeated_without_a_number() -> None:
    """Number 0 restarts a talk, and the unit would act again; later numbers protect."""
    talk = Session(5)
    talk.send(messages.comset(6, 9600))
    with pytest.raises(NoAnswer):
        talk.silent()
    talk.send(POLL)
    talk.received(reply())
    first = talk.send(messages.comset(6, 9600))
    assert talk.silent() == Again(first)


def test_garbled_answers_are_told_from_silence() -> None:
    talk = Session(5, retries=0)
    talk.send(POLL)
    with pytest.raises(ProtocolError, match="make no sense"):
        talk.silent(garbled=True)


def test_busy_is_asked_again_and_bounded() -> None:
    talk = Session(5)
    first = talk.send(POLL)
    for _ in range(BUSY_RETRIES):
        assert talk.received(reply(Rep.BUSY)) == Again(first, busy=True)
    with pytest.raises(Busy):
        talk.received(reply(Rep.BUSY))


def test_one_that_expects_another_number_is_told_nothing_before_it_is_known() -> None:
    """Its power was away, or another unit has its place since it was proven."""
    talk = Session(5)
    talk.send(POLL)
    talk.received(reply())
    talk.send(POLL)
    before = talk.restarts
    with pytest.raises(Unproven):
        talk.received(reply(Rep.NAK, b"\x04", 1))
    assert talk.restarts == before + 1
    assert decode(talk.send(POLL)).sequence == 0
    for number in (1, 0) * (LATE_NAKS // 2):
        assert isinstance(talk.received(reply(Rep.NAK, b"\x04", number)), Ignore), "to a repeat of what was before"
    with pytest.raises(Refused):
        talk.received(reply(Rep.NAK, b"\x04", 0))


def test_a_refusal_says_why() -> None:
    talk = Session(5)
    talk.send(POLL)
    with pytest.raises(Refused, match="encrypted"):
        talk.received(reply(Rep.NAK, b"\x06"))


@pytest.mark.parametrize("stray", [reply(address=6), reply(sequence=3), Frame(5, Rep.ACK), reply(Rep.ACK, sequence=2)])
def test_frames_for_others_are_ignored(stray: Frame) -> None:
    talk = Session(5)
    talk.send(POLL)
    assert talk.received(stray) == Ignore()


@given(st.lists(st.tuples(st.integers(0, 255), st.binary(max_size=20), st.integers(0, 3)), max_size=60))
def test_no_replies_hang_or_crash_a_talk(replies: list[tuple[int, bytes, int]]) -> None:
    talk = Session(5)
    for code, data, sequence in replies:
        if talk.state is State.IDLE:
            talk.send(POLL)
        try:
            talk.received(reply(code, data, sequence))
        except NetloomError:
            assert talk.state is State.IDLE


# Conversations, driven by a list of replies


def drive(flow, replies: list[Reply]):  # type: ignore[no-untyped-def]
    sent = [next(flow)]
    for one in replies:
        try:
            sent.append(flow.send(one))
        except StopIteration as stop:
            return sent, stop.value
    raise AssertionError("the flow wants more replies")


def test_identify() -> None:
    ident = PdId("0A4E4C", 24, 1, 0x00B70E31, "3.1.0")
    sent, found = drive(flows.identify(), [Reply(Rep.PDID, ident.pack())])
    assert found == ident
    assert sent[0].data == b"\x00"


def test_assign_address_packs_low_byte_first() -> None:
    sent, promised = drive(flows.assign_address(5, 38400), [Reply(Rep.COM, bytes.fromhex("0500960000"))])
    assert sent[0].data == bytes.fromhex("0500960000")
    assert (promised.address, promised.speed) == (5, 38400)
    assert not sent[0].idempotent


def test_a_table_is_read_in_parts_and_gaps_are_errors() -> None:
    ids = list(range(60))
    halves = [ids[: flows.MAX_IDS_PER_READ], ids[flows.MAX_IDS_PER_READ :]]
    replies = [Reply(Rep.MFGREP, TableReply(1, 0, {i: i * 3 for i in half}).pack("0A4E4C")) for half in halves]
    sent, values = drive(flows.read_table("0A4E4C", 1, "startup", ids), replies)
    assert values == {i: i * 3 for i in ids}
    assert sent[0].data[:5] == bytes.fromhex("0A4E4C0101")
    wordy = TableReply(1, 0, {i: 7 if i in halves[0] else i * 3 for i in ids}).pack("0A4E4C")
    _, values = drive(flows.read_table("0A4E4C", 1, "startup", ids), [replies[0], Reply(Rep.MFGREP, wordy)])
    assert values == {i: i * 3 for i in ids}, "what was told before is not overwritten by what nobody asked for"
    short = TableReply(1, 0, dict.fromkeys(halves[1][:-1], 0)).pack("0A4E4C")
    with pytest.raises(ProtocolError, match=r"\[59\]"):
        drive(flows.read_table("0A4E4C", 1, "running", ids), [replies[0], Reply(Rep.MFGREP, short)])


@pytest.mark.parametrize(("status", "words"), [(1, "does not know"), (2, "out of its range")])
def test_a_refused_table_write(status: int, words: str) -> None:
    with pytest.raises(Refused, match=words):
        drive(flows.write_table("0A4E4C", 2, {1: 5}), [Reply(Rep.MFGREP, TableReply(2, status, {}).pack("0A4E4C"))])


@given(st.integers(0, 255), st.binary(max_size=64))
def test_every_flow_takes_any_reply(code: int, data: bytes) -> None:
    for flow in (
        flows.identify(),
        flows.assign_address(1, 9600),
        flows.read_table("0A4E4C", 1, "running", [1, 2]),
        flows.act("0A4E4C", 3),
        flows.local_status(),
        flows.status(Cmd.ISTAT, Rep.ISTATR, 4),
        flows.set_output(0, True),
    ):
        next(flow)
        try:
            flow.send(Reply(code, data))
        except (NetloomError, StopIteration):
            pass


@given(st.binary(max_size=64))
def test_parsers_take_any_bytes(data: bytes) -> None:
    for parse in (PdId.parse, messages.Com.parse, messages.parse_capabilities, lambda d: TableReply.parse("0A4E4C", d)):
        try:
            parse(data)
        except ProtocolError:
            pass


def test_capabilities() -> None:
    assert messages.parse_capabilities(bytes([1, 1, 4, 2, 1, 2]))[1] == messages.Capability(2, 1, 2)
