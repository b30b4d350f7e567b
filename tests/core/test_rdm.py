"""RDM: messages, what units tell, and the search by halving."""

from __future__ import annotations

import random
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import ProtocolError
from netloom_core.protocols import artnet_rdm, rdm
from netloom_core.protocols.rdm_search import MOST_UNSURE, Search
from netloom_standins.pty_port import mixed

US = bytes.fromhex("7ff012345678")
UNIT = bytes.fromhex("7ff200010601")


def test_a_message_is_as_the_tables_say() -> None:
    """Table 6-1, byte by byte: a question for the start address."""
    packet = rdm.pack(rdm.Message(UNIT, US, 5, rdm.GET, rdm.START_ADDRESS))
    assert packet[:24].hex(" ") == "cc 01 18 7f f2 00 01 06 01 7f f0 12 34 56 78 05 01 00 00 00 20 00 f0 00"
    assert int.from_bytes(packet[24:], "big") == sum(packet[:24])
    assert rdm.parse(packet) == rdm.Message(UNIT, US, 5, rdm.GET, rdm.START_ADDRESS)


def test_what_a_unit_is() -> None:
    info = rdm.device_info(bytes.fromhex("0100 0f06 0101 00000180 0004 02 03 000d 0000 02"))
    assert (info.model, info.category, info.footprint, info.start) == (0x0F06, "fixture", 4, 13)
    assert (info.personality, info.personalities, info.sensors) == (2, 3, 2)
    nowhere = rdm.device_info(bytes.fromhex("0100 0f06 0101 00000180 0000 00 00 ffff 0000 00"))
    assert nowhere.start == 0, "FFFF is a unit without a footprint"


@pytest.mark.parametrize(
    ("text", "uid"), [("7FF2:00010601", UNIT), ("7ff200010601", UNIT), ("7f:f2:00:01:06:01", UNIT)]
)
def test_a_uid_in_any_way_of_writing(text: str, uid: bytes) -> None:
    assert rdm.uid_of(text) == uid
    assert rdm.uid_text(uid) == "7FF2:00010601"


@pytest.mark.parametrize("text", ["", "7FF2", "7FF2:0001060", "7FF2:000106011", "ghij00010601", "７ＦＦ2:00010601"])
def test_what_is_no_uid(text: str) -> None:
    with pytest.raises(ProtocolError):
        rdm.uid_of(text)


@given(st.binary(max_size=300))
def test_any_bytes_are_a_message_or_a_typed_error(data: bytes) -> None:
    decoders: list[Callable[[bytes], object]] = [
        rdm.parse, rdm.device_info, rdm.parse_branch_answer, artnet_rdm.parse_told, artnet_rdm.parse_answer,
    ]  # fmt: skip
    for parse in decoders:
        for start in (b"", b"\xcc\x01", b"Art-Net\x00\x00\x81\x00\x0e", b"Art-Net\x00\x00\x83\x00\x0e"):
            try:
                parse(start + data)
            except ProtocolError:
                continue


@given(st.binary(min_size=0, max_size=231), st.integers(0, 255), st.integers(0, 0xFFFF))
def test_a_spoiled_byte_is_seen(data: bytes, number: int, parameter: int) -> None:
    packet = bytearray(rdm.pack(rdm.Message(UNIT, US, number, rdm.SET, parameter, data)))
    packet[len(packet) // 2] ^= 0x10
    with pytest.raises(ProtocolError):
        rdm.parse(bytes(packet))


# The search


class Units:
    """Units on one line. `late` miss the first questions that they are in; `mute` never say that they are muted."""

    def __init__(self, uids: list[bytes], *, late: int = 0, never: set[bytes] | None = None) -> None:
        self.uids, self.muted, self.late, self.never = uids, set[bytes](), late, never or set()

    def heard(self, message: rdm.Message) -> bytes:
        if message.parameter == rdm.UN_MUTE:
            self.muted.clear()
            return b""
        if message.parameter == rdm.MUTE:
            if message.to not in self.uids or message.to in self.never:
                return b""
            self.muted.add(message.to)
            return rdm.pack(rdm.Message(message.source, message.to, 0, rdm.DISCOVERY + 1, rdm.MUTE, b"\0\0", kind=0))
        low, high = message.data[:6], message.data[6:]
        there = [uid for uid in self.uids if low <= uid <= high and uid not in self.muted]
        if there and self.late:
            self.late -= 1
            there = there[:-1]
        return mixed([rdm.branch_answer(uid) for uid in there]) if there else b""


def searched(units: Units) -> Search:
    search = Search(US)
    talk = search.run()
    try:
        message = next(talk)
        while True:
            message = talk.send(units.heard(message))
    except StopIteration:
        return search


@pytest.mark.parametrize("count", [0, 1, 2, 3, 64, 512])
def test_all_are_found_with_few_questions(count: int) -> None:
    found = random.Random(count)
    uids = [b"\x7f\xf2" + found.randbytes(4) for _ in range(count)]
    search = searched(Units(uids))
    assert set(search.units) == set(uids)
    assert search.asked <= 48 + 6 * count, "the bits that all have in common, and a few for each"


def fewest(uids: list[bytes]) -> int:
    """Messages of a search by halving that knows beforehand who is there: each branch in which anybody speaks once, but
    for those that must be spoilt since their lower half is silent, each silent lower half, one mute for each unit, one
    un-mute, and one look at the end that nobody is left."""

    def branch(low: int, high: int, here: list[int]) -> int:
        if len(here) == 1:
            return 2
        middle = (low + high) // 2
        lower, upper = [one for one in here if one <= middle], [one for one in here if one > middle]
        if not lower:
            return 1 + branch(middle + 1, high, upper) - (1 if len(upper) > 1 else 0) + 1
        return 1 + branch(low, middle, lower) + (branch(middle + 1, high, upper) if upper else 1)

    numbers = sorted(int.from_bytes(uid, "big") for uid in uids)
    return 2 + branch(0, (1 << 48) - 2, numbers)


@pytest.mark.parametrize("spread", [4, 2])
@pytest.mark.parametrize("count", [2, 64, 512])
def test_hardly_more_is_asked_than_halving_needs(count: int, spread: int) -> None:
    """Of one maker: numbers given at random, or nearly one after the other."""
    found = random.Random(count * spread)
    uids = [b"\x7f\xf2" + bytes(4 - spread) + found.randbytes(spread) for _ in range(count)]
    uids = list(dict.fromkeys(uids))
    search = searched(Units(uids))
    assert set(search.units) == set(uids)
    assert search.asked <= 1.15 * fewest(uids)


class Loud(Units):
    """One that stands near drowns all others out: what comes is its answer, whole."""

    def heard(self, message: rdm.Message) -> bytes:
        if message.parameter in (rdm.UN_MUTE, rdm.MUTE):
            return super().heard(message)
        low, high = message.data[:6], message.data[6:]
        there = sorted(uid for uid in self.uids if low <= uid <= high and uid not in self.muted)
        return rdm.branch_answer(there[0]) if there else b""


def test_those_who_are_drowned_out_are_found_all_the_same() -> None:
    found = random.Random(7)
    uids = [b"\x7f\xf2" + found.randbytes(4) for _ in range(40)]
    search = searched(Loud(uids))
    assert set(search.units) == set(uids)


def test_neighbours_and_the_ends_of_all_numbers() -> None:
    uids = [bytes(5) + b"\x01", bytes(5) + b"\x02", b"\x7f\xff\xff\xff\xff\xfe", b"\xff" * 5 + b"\xfe"]
    assert set(searched(Units(uids)).units) == set(uids)


def test_one_that_is_late_is_found_where_another_answers() -> None:
    uids = [bytes.fromhex("7ff200000001"), bytes.fromhex("7ff2f0000001")]
    assert set(searched(Units(uids, late=1)).units) == set(uids)


def test_one_that_never_falls_silent_is_no_unit_and_has_an_end() -> None:
    """It answers each branch and no mute: nobody can be made of that, and the others are found all the same."""
    bad, good = bytes.fromhex("7ff200000001"), bytes.fromhex("7ff2f0000001")
    search = searched(Units([bad, good], never={bad}))
    assert search.units == [good]
    assert search.unsure


class Noise(Units):
    def heard(self, message: rdm.Message) -> bytes:
        return b"\x55" * 24


def test_a_noisy_line_has_an_end() -> None:
    search = searched(Noise([]))
    assert not search.units
    assert search.unsure == MOST_UNSURE
    assert search.asked < 2000
