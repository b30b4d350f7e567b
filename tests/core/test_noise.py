"""Spoiled answers: two units on one address, or a line on which something talks all the time."""

from __future__ import annotations

from typing import Any, cast

import pytest

from netloom_core.sweep.base import Look
from netloom_core.sweep.noise import Noise

SPEED = 9600


class Seen:
    def __init__(self) -> None:
        self.sights: list[tuple[str, str]] = []
        self.notes: list[str] = []

    def sight(self, address: str, method: str, **facts: str) -> None:
        self.sights.append((address, next(name for name in ("noise", "garbled") if facts.get(name))))

    def note(self, text: str) -> None:
        self.notes.append(text)


def heard(what: str) -> Seen:
    """Address by address: `x` spoiled, `.` silent, `o` understood."""
    seen = Seen()
    noise = Noise(cast(Look, cast(Any, seen)), "scan")
    for address, sign in enumerate(what, 1):
        if sign == "x":
            noise.spoiled(str(address), SPEED)
        elif sign == ".":
            noise.silent(SPEED)
        else:
            noise.sound(SPEED)
    noise.end()
    return seen


@pytest.mark.parametrize("line", ["xxxxxx", "xx.xx..xx", "x.x.x.x.x.x", "...xxxxxx.x"])
def test_a_line_that_talks_all_the_time_is_one_noise(line: str) -> None:
    """Also where a busy computer heard some of it too late and took that for silence."""
    seen = heard(line)
    assert [kind for _, kind in seen.sights] == ["noise"]
    assert len(seen.notes) == 1


@pytest.mark.parametrize(
    ("line", "pairs"),
    [
        ("x", "1"),
        ("xx....", "12"),
        ("xo.x....x", "149"),
        ("xxoxxoxxo", "124578"),
        ("xx....xx....xx....", "1278"),
        ("", ""),
    ],
)
def test_a_few_that_are_spoiled_are_pairs(line: str, pairs: str) -> None:
    seen = heard(line)
    assert [address for address, kind in seen.sights if kind == "garbled" and len(address) == 1] == list(pairs)
    assert not seen.notes
