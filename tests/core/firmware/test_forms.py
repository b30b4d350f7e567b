"""What a profile says of firmware and feeds is held against what can be: nothing of the kind fails on a device."""

from __future__ import annotations

import copy
from pathlib import Path
from typing import Any

import pytest

from netloom_core.library.checks import problems
from netloom_core.library.read import data_of
from netloom_core.profiles.profile import Profile

ROOT = Path(__file__).resolve().parents[3] / "profiles"
BLOCK = {"send": "51 u32:offset u8:count bytes96:data", "answer": "71 u32:offset"}


def changed(name: str, *where: str, to: Any) -> list[str]:
    """What is found wrong with a profile that differs in one place."""
    data = data_of((ROOT / f"{name}.yaml").read_bytes(), name)
    place: Any = copy.deepcopy(data)
    whole = place
    for step in where[:-1]:
        place = place[int(step)] if isinstance(place, list) else place[step]
    place[where[-1]] = to
    try:
        return list(problems(Profile.model_validate(whole)))
    except ValueError as error:
        return [str(error)]


LOAD = ("channels", "port", "load")


@pytest.mark.parametrize(
    ("where", "to", "words"),
    [
        ((*LOAD, "piece"), 128, "128 bytes do not fit the 96"),
        ((*LOAD, "block"), {**BLOCK, "send": "51 u32:at bytes96:data"}, "nobody knows what at is there"),
        ((*LOAD, "block"), {**BLOCK, "send": "51 u32:offset"}, "needs the fields offset and data"),
        ((*LOAD, "end"), {"send": "52", "answer": ""}, "without an answer nobody knows"),
        ((*LOAD, "held"), {"send": "53", "answer": "73 u32:size"}, "no field named held"),
        ((*LOAD, "begin"), {"send": "5x", "answer": "70"}, "neither a byte in hexadecimal"),
        (("firmware", "before"), [{"path": "/nothing", "at_least": 1, "why": "so"}], "/nothing is not described"),
        (("firmware", "before"), [{"path": "/supply/volts", "why": "so"}], "it asks for nothing"),
    ],
)
def test_a_way_to_load_that_would_fail_is_refused(where: tuple[str, ...], to: Any, words: str) -> None:
    assert any(words in one for one in changed("kestrel/ac3", *where, to=to))


FEED = ("feeds", "0")


@pytest.mark.parametrize(
    ("where", "to", "words"),
    [
        ((*FEED, "point"), "source", "it is no driven point"),
        ((*FEED, "every"), 10, "not between quickest and slowest"),
        ((*FEED, "driven"), [{"path": "/own/text", "one_of": ["x"], "why": "so"}], "/own/text is no live point"),
        ((*FEED, "driven"), [{"path": "/source", "one_of": ["there"], "why": "so"}], "/source has no such states"),
        ((*FEED, "alone"), [{"path": "/source", "one_of": ["own"]}], "says in words"),
    ],
)
def test_a_feed_that_could_not_be_proven_is_refused(where: tuple[str, ...], to: Any, words: str) -> None:
    assert any(words in one for one in changed("quenby/ld2", *where, to=to))


@pytest.mark.parametrize("name", ["kestrel/ac3", "quenby/ld2"])
def test_as_they_ship_nothing_is_wrong_with_them(name: str) -> None:
    assert changed(name, "format", to=2) == []
