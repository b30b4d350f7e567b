"""What a receiver makes of several sources, who of them counts, and what is lost on the way."""

from __future__ import annotations

import uuid
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from netloom_core.levels.heard import MOST_SOURCES, Universe
from netloom_core.protocols.dmx_data import Frame

ONE, TWO = str(uuid.UUID(int=1)), str(uuid.UUID(int=2))


def sacn(who: str, levels: bytes, priority: int = 100, sequence: int = 0, **more: object) -> Frame:
    return replace(Frame(5, levels, who, f"Desk {who[-1]}", priority, sequence), **more)  # type: ignore[arg-type]


def test_of_equal_priorities_the_highest_of_each_slot_counts() -> None:
    heard = Universe("sacn", 5)
    heard.take(sacn(ONE, b"\x10\x80"), "10.0.0.1", 0.0)
    heard.take(sacn(TWO, b"\x20\x40\x07"), "10.0.0.2", 0.0)
    assert heard.levels(0.1)[:4] == [0x20, 0x80, 7, 0]
    assert len(heard.levels(0.1)) == 512


def test_the_higher_priority_outvotes_the_other_for_all_that_it_sends() -> None:
    heard = Universe("sacn", 5)
    heard.take(sacn(ONE, b"\xff\xff\xff", 100), "10.0.0.1", 0.0)
    heard.take(sacn(TWO, b"\x00\x05", 120), "10.0.0.2", 0.0)
    assert heard.levels(0.1)[:3] == [0, 5, 255], "beyond what it sends the other one is what there is"
    told = heard.shown(0.1)["sources"]
    assert [(one["name"], one["priority"], one["counts"]) for one in told] == [
        ("Desk 2", 120, True), ("Desk 1", 100, False)
    ]  # fmt: skip


def test_priorities_of_single_slots() -> None:
    heard = Universe("sacn", 5)
    heard.take(sacn(ONE, b"\x11\x11", 100), "10.0.0.1", 0.0)
    heard.take(sacn(TWO, b"\x22\x22", 100), "10.0.0.2", 0.0)
    heard.take(sacn(TWO, b"\x00\x96", 100, start=0xDD), "10.0.0.2", 0.0)
    assert heard.levels(0.1)[:2] == [0x11, 0x22]


def test_who_says_nothing_any_more_is_gone_and_who_ends_goes_at_once() -> None:
    heard = Universe("sacn", 5)
    heard.take(sacn(ONE, b"\x10"), "10.0.0.1", 0.0)
    heard.take(sacn(TWO, b"\x20"), "10.0.0.2", 0.0)
    heard.take(sacn(TWO, b"\x20", terminated=True), "10.0.0.2", 0.5)
    assert heard.levels(0.6)[0] == 0x10
    assert heard.levels(2.6)[0] == 0, "after two and a half seconds it is lost"
    artnet = Universe("artnet", 5)
    artnet.take(Frame(5, b"\x09"), "10.0.0.1", 0.0)
    assert artnet.levels(9.0)[0] == 9
    assert artnet.levels(10.5)[0] == 0


def test_other_universes_and_previews_are_no_levels() -> None:
    heard = Universe("sacn", 5)
    assert not heard.take(replace(sacn(ONE, b"\x10"), universe=6), "10.0.0.1", 0.0)
    heard.take(sacn(ONE, b"\x10", preview=True), "10.0.0.1", 0.0)
    assert heard.levels(0.1)[0] == 0


def test_its_rate_and_what_was_lost_on_the_way() -> None:
    heard = Universe("sacn", 5)
    for number in range(60):
        if number % 10 != 3:
            heard.take(sacn(ONE, b"\x10", sequence=(250 + number) % 256), "10.0.0.1", number / 40)
    [one] = heard.shown(1.5)["sources"]
    assert one["lost"] == 6
    assert 34 < one["rate"] < 41
    unnumbered = Universe("artnet", 5)
    for number in range(5):
        unnumbered.take(Frame(5, b"\x10"), "10.0.0.1", number / 40)
    assert unnumbered.shown(0.2)["sources"][0]["lost"] == 0


def test_a_flood_of_sources_is_bounded() -> None:
    heard = Universe("sacn", 5)
    for number in range(MOST_SOURCES * 3):
        heard.take(sacn(str(uuid.UUID(int=number)), b"\x10"), "10.0.0.1", 0.0)
    told = heard.shown(0.1)
    assert len(told["sources"]) == MOST_SOURCES
    assert told["others"] == MOST_SOURCES * 2


@given(st.lists(st.tuples(st.integers(0, 3), st.binary(max_size=600), st.integers(0, 200), st.booleans()), max_size=30))
def test_levels_are_always_those_of_somebody(frames: list[tuple[int, bytes, int, bool]]) -> None:
    heard = Universe("sacn", 5)
    for who, levels, priority, ended in frames:
        heard.take(sacn(str(uuid.UUID(int=who)), levels[:512], priority, terminated=ended), "10.0.0.1", 0.0)
    found, those = heard.levels(0.0), heard.senders(0.0)
    for slot, level in enumerate(found):
        assert level == 0 or any(slot < len(one.levels) and one.levels[slot] == level for one in those)
