"""Text dialogues sans-io: answers whole or not, echoes, pages, announcements, refusals; any bytes at all."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.drivers.dialogue.flow import Answer, Heard, Missing
from netloom_core.drivers.dialogue.form import DialogueChannel
from netloom_core.drivers.dialogue.talk import said
from netloom_core.errors import Busy, NetloomError, ProtocolError, Refused
from netloom_core.library.read import profile_of


def channel(**more: Any) -> DialogueChannel:
    return DialogueChannel.model_validate({"protocol": "dialogue", **more})


def heard(text: str, **more: Any) -> Heard:
    made = Heard(channel(**more))
    made.feed(text.encode())
    return made


def test_with_a_prompt_an_answer_is_whole_when_it_comes() -> None:
    talk = heard("name\r\nbox 7\r\nq16) ", prompt="q16\\) $", echo=True)
    assert talk.answer(Answer(sent="name")) == ["box 7"]
    assert heard("name\r\nbox 7\r\nq1", prompt="q16\\) $", echo=True).answer(Answer(sent="name")) is None


def test_the_echo_behind_a_prompt_is_no_answer() -> None:
    assert heard("q16) name\r\nbox\r\nq16) ", prompt="q16\\) $").answer(Answer(sent="name")) == ["box"]


@pytest.mark.parametrize("answer", ["no lock", "lock"])
def test_an_answer_that_ends_in_the_command_is_no_echo(answer: str) -> None:
    assert heard(f"{answer}\r\n").answer(Answer("lock", "lock$")) == [answer]


def test_without_a_prompt_it_is_the_first_line_that_fits() -> None:
    wait = Answer("WHO", "^WHO (?P<serial>\\S+)")
    assert heard("noise\r\nWHO 12\r\n").answer(wait) == ["noise", "WHO 12"]
    assert heard("WHO 1").answer(wait) is None, "the line has not ended yet"


def test_a_block_ends_with_its_count_or_its_last_line() -> None:
    rows = "tie 1<2\r\ntie 2<3\r\n"
    assert heard(rows).answer(Answer("tie ?", "^tie", count=3)) is None
    assert heard(rows + "tie 3<1\r\n").answer(Answer("tie ?", "^tie", count=3)) == ["tie 1<2", "tie 2<3", "tie 3<1"]
    assert heard(rows + "end\r\n").answer(Answer("tie ?", "^tie", end="^end")) is not None


def test_announcements_in_the_middle_are_put_aside() -> None:
    talk = heard("!out 1 on\r\nlevel 5\r\n!out 2 off\r\n", announces="^!")
    assert talk.answer(Answer("level", "^level")) == ["level 5"]
    assert talk.announced == ["!out 1 on", "!out 2 off"]


@pytest.mark.parametrize(("means", "kind"), [("refused", Refused), ("busy", Busy)])
def test_what_says_no_is_an_error(means: str, kind: type[NetloomError]) -> None:
    talk = heard("NAK 2\r\n", errors=[{"pattern": "^NAK", "means": means, "says": "out of range"}])
    with pytest.raises(kind, match="out of range"):
        talk.answer(Answer("x", "^ok"))
    unknown = heard("NAK 1\r\n", errors=[{"pattern": "^NAK 1", "means": "unknown"}])
    assert isinstance(unknown.answer(Answer("x", "^ok")), Missing)


def test_pages_go_on_by_a_key_and_leave_no_words_behind() -> None:
    talk = heard("a 1\r\n-- more --", prompt="> $", more={"pattern": "-- more --$"})
    assert talk.answer(Answer("list")) is None
    assert talk.more() == " "
    talk.feed(b"\r          \ra 2\r\n> ")
    assert talk.answer(Answer("list")) == ["a 1", "a 2"]


def test_a_value_never_ends_a_line() -> None:
    with pytest.raises(ProtocolError):
        said("name {value}", {"value": "x\rreboot"})
    assert said("name {value}", {"value": "a b"}) == "name a b"


@pytest.mark.parametrize("size", [1, 2, 3])
def test_letters_and_words_to_a_terminal_come_in_pieces(size: int) -> None:
    whole = "\x1b[0;1mname Färgestraße\x1b[0m\r\n> ".encode()
    talk = Heard(channel(prompt="> $"))
    for at in range(0, len(whole), size):
        talk.feed(whole[at : at + size])
    assert talk.answer(Answer("name", "^name")) == ["name Färgestraße"]


@pytest.mark.parametrize(
    ("came", "lines"),
    [
        (b"\xffname a\r\n> ", ["name a"]),
        (b"\xf0\xfename a\r\n\xff> \xff", ["name a"]),
        (b"\xffname\r\nname a\r\n> ", ["name a"]),  # an echo
        (b"\xff!out 1 on\r\nname a\r\n> ", ["name a"]),
        (b"name \xe9t\xe9\r\n> ", ["name \ufffdt\ufffd"]),  # another alphabet: damaged, and nothing left out
        (b"\xe9t\xe9 n\r\n> ", ["\ufffdt\ufffd n"]),
    ],
)
def test_what_drivers_leave_on_the_line_is_no_part_of_an_answer(came: bytes, lines: list[str]) -> None:
    talk = Heard(channel(prompt="^> $", announces="^!", echo=True))
    talk.feed(came)
    assert talk.answer(Answer("name", "^name")) == lines


@given(st.lists(st.binary(max_size=60), max_size=6))
def test_any_bytes_are_an_answer_or_none_yet(pieces: list[bytes]) -> None:
    talk = Heard(channel(prompt="> $", announces="^!", more={"pattern": "more$"}, errors=[{"pattern": "^NAK"}]))
    for piece in pieces:
        talk.feed(piece)
        talk.more()
        try:
            answer = talk.answer(Answer("x", "^y"))
        except Refused:
            continue
        assert answer is None or isinstance(answer, list | Missing)


def test_one_that_never_ends_is_cut_off() -> None:
    talk = Heard(channel())
    talk.feed(b"x" * 399_000)
    with pytest.raises(ProtocolError):
        talk.feed(b"x" * 10_000)


@pytest.mark.parametrize("pattern", ["(a+)+$", "(?:\\w*\\s*)*x", "(?P<value>(x|y+)*)$"])
def test_a_pattern_that_could_search_for_ever_is_refused(pattern: str) -> None:
    profile = {
        "format": 2, "id": "slow-one", "maker": "M", "model": "S", "kind": "k",
        "channels": {"c": {"protocol": "dialogue", "identify": [{"send": "id", "answer": pattern}],
                           "constant": {"serial": "1"}}},
    }  # fmt: skip
    from netloom_core.errors import ProfileError

    with pytest.raises(ProfileError, match="for ever"):
        profile_of(profile, "slow.yaml", {})
