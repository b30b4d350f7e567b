"""Commands that are answered only by a refusal, which comes late: it is not the answer to the next question."""

from __future__ import annotations

import itertools
from typing import Any

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.drivers.registry import OPENERS
from netloom_core.errors import Refused
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.profiles.profile import Profile
from netloom_core.testing.far_end import FarEnd
from netloom_core.testing.virtual_time import run
from tests.core.drivers.made import profile

USUAL_S = 1.0
LATER = 0.3  # times that: after a command that nothing answers, nobody waits so long


def items(bind: dict[str, str]) -> list[dict[str, Any]]:
    """`NAME` in what is bound stands for each one's letter."""
    return [
        {"path": f"/{name}", "label": name, "type": {"is": "integer", "maximum": 99}, "kept": "always",
         "bind": {"way": {key: text.replace("NAME", name).replace("CODE", f"{ord(name):02x}")
                          for key, text in bind.items()}}}
        for name in "ab"
    ]  # fmt: skip


LINES = profile(
    {"protocol": "dialogue", "over": "serial", "line_end": "\r\n", "answer_seconds": USUAL_S,
     "errors": [{"pattern": "^no", "means": "refused"}], "constant": {"serial": "S1"}},
    items({"ask": "NAME", "set": "NAME {value}", "answer": "^= (?P<value>\\w+)$"}),
)  # fmt: skip
FRAMES = profile(
    {"protocol": "framed", "over": "serial", "answer_seconds": USUAL_S, "constant": {"serial": "S1"},
     "framing": {"start": "02", "end": "03", "check": {"kind": "xor"}, "stuffed": "0203", "by": "10"},
     "refusals": [{"answer": "15 u8:code", "means": "refused"}]},
    items({"ask": "CODE", "answer": "21 u16:value", "set": "CODE u8:value"}),
)  # fmt: skip
FRAMING = FRAMES.channels["way"].framing


class Unit:
    """Takes nothing, and says no to it."""

    values = {"a": 11, "b": 22}

    def __init__(self, refuses: str = "") -> None:
        self._refuses = refuses  # which it does not tell, either
        self.asked = 0

    def lines(self, asked: bytes) -> tuple[bytes, bytes | None]:
        line, end, rest = asked.partition(b"\r\n")
        if not end:
            return asked, None
        self.asked += 1
        told = self.values.get(line.decode(), 0) if line.decode() != self._refuses else 0
        return rest, f"= {told}\r\n".encode() if told else b"no\r\n"

    def frames(self, asked: bytes) -> tuple[bytes, bytes | None]:
        end = asked.find(b"\x03")
        if end < 0:
            return asked, None
        self.asked += 1
        body, rest = asked[1 : end - 1], asked[end + 1 :]
        told = self.values.get(body.decode(), 0) if body.decode() != self._refuses else 0
        return rest, FRAMING.encoded(b"\x21" + told.to_bytes(2, "big") if told else b"\x15\x01")


def driver(made: Profile, unit: Unit) -> Any:
    protocol = made.channels["way"].protocol
    line, owners = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol=protocol), Owners()
    reply = unit.lines if protocol == "dialogue" else unit.frames
    owners.serial(line)._link = FarEnd(reply, itertools.repeat(LATER), USUAL_S)
    there: Any = OPENERS[protocol](Target("d", "Peer", made.id, line, "-", 9600), made, "way", owners)
    there.need_proof = lambda: None
    return there


@pytest.mark.parametrize("made", [LINES, FRAMES], ids=["dialogue", "framed"])
def test_a_late_no_to_what_was_told_is_no_answer_to_what_is_asked(made: Profile) -> None:
    unit = Unit()

    async def used() -> list[Any]:
        there = driver(made, unit)
        with pytest.raises(Refused):
            await there.write([Change("/a", 11, 50), Change("/b", 22, 60)])
        return [await there.read("running"), await there.read("running")]

    assert run(used()) == [{"a": 11, "b": 22}] * 2
    assert unit.asked == 2 + 2 + 2, "nothing is asked twice"


@pytest.mark.parametrize("made", [LINES, FRAMES], ids=["dialogue", "framed"])
def test_a_no_to_the_question_itself_is_believed(made: Profile) -> None:
    unit = Unit(refuses="b")

    async def used() -> list[str]:
        there = driver(made, unit)
        await there.write([Change("/a", 11, 50)])
        told = await there.fetch("running", list(there.profile.bound("way")))
        return [str(told["/a"]), type(told["/b"]).__name__]

    assert run(used()) == ["11", "Unreadable"]
