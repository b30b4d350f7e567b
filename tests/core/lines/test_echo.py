"""An adapter that gives back what is sent, on a line whose answers may look like the questions."""

from __future__ import annotations

import itertools
from typing import Any

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.drivers.registry import OPENERS
from netloom_core.errors import NoAnswer
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.testing.far_end import FarEnd
from netloom_core.testing.virtual_time import run
from tests.core.drivers.made import profile

ALIKE = profile(
    {"protocol": "framed", "over": "serial", "answer_seconds": 1.0,
     "framing": {"start": "02", "end": "03", "check": {"kind": "xor"}, "stuffed": "0203", "by": "10"},
     "identify": [{"send": "77", "answer": "77 u16:serial"}]},
    [{"path": "/level", "label": "Level", "type": {"is": "integer", "maximum": 9999}, "kept": "always",
      "bind": {"way": {"ask": "61 00 00", "answer": "61 u16:value", "set": "62 u16:value", "took": "62 u16:value"}}}],
)  # fmt: skip
FRAMING = ALIKE.channels["way"].framing


class Unit:
    """Says who it is and its level; repeats as a yes what sets it."""

    def __init__(self, *, echoes: bool, alive: bool = True) -> None:
        self.level = 40
        self._echoes, self._alive = echoes, alive

    def reply(self, asked: bytes) -> tuple[bytes, bytes | None]:
        if b"\x03" not in asked:
            return asked, None
        frame = bytes(asked)
        command, rest = frame[1], frame[2:4]
        if command == 0x77:
            said = b"\x77\x12\x34"
        elif command == 0x61:
            said = b"\x61" + self.level.to_bytes(2, "big")
        else:
            self.level = int.from_bytes(rest, "big")
            said = b"\x62" + rest
        answer = FRAMING.encoded(said) if self._alive else b""
        return b"", ((frame if self._echoes else b"") + answer) or None


SAID = profile(
    {"protocol": "dialogue", "over": "serial", "line_end": "\r\n", "answer_seconds": 1.0,
     "identify": [{"send": "serial", "answer": "^(?P<serial>\\w+)$"}]},
    [{"path": "/level", "label": "Level", "type": {"is": "text"}, "kept": "always",
      "bind": {"way": {"ask": "level", "answer": "^(?P<value>\\w+)$", "set": "level {value}",
                       "took": "^level \\w+$"}}}],
)  # fmt: skip


class Speaker:
    """The same in lines."""

    def __init__(self, *, echoes: bool, alive: bool = True) -> None:
        self.level = "low"
        self._echoes, self._alive = echoes, alive

    def reply(self, asked: bytes) -> tuple[bytes, bytes | None]:
        line, end, rest = asked.partition(b"\r\n")
        if not end:
            return asked, None
        word, _, value = line.decode().partition(" ")
        self.level = value or self.level
        said = f"{line.decode()}\r\n" if value else f"{'S12' if word == 'serial' else self.level}\r\n"
        return rest, ((line + end if self._echoes else b"") + (said.encode() if self._alive else b"")) or None


def driver(unit: Unit | Speaker) -> Any:
    protocol, by = ("framed", ALIKE) if isinstance(unit, Unit) else ("dialogue", SAID)
    line, owners = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol=protocol), Owners()
    owners.serial(line)._link = FarEnd(unit.reply, itertools.repeat(0.05), 1.0)
    made: Any = OPENERS[protocol](Target("d", "Peer", by.id, line, "-", 9600), by, "way", owners)
    made.need_proof = lambda: None
    return made


async def told_and_set(unit: Unit | Speaker, change: Change) -> tuple[str, Any, Any]:
    there = driver(unit)
    name = (await there.identify()).serial
    before = await there.read("running")
    await there.write([change])
    return name, before, await there.read("running")


@pytest.mark.parametrize("echoes", [False, True])
def test_ones_own_words_are_no_answer_and_a_repeated_yes_is_one(echoes: bool) -> None:
    used = told_and_set(Unit(echoes=echoes), Change("/level", 40, 55))
    assert run(used) == (str(0x1234), {"level": 40}, {"level": 55})


def test_an_echo_alone_is_nobody() -> None:
    async def asked() -> None:
        there = driver(Unit(echoes=True))
        await there.identify()
        quiet = driver(Unit(echoes=True, alive=False))
        quiet._carrier._owner.echoes = True
        with pytest.raises(NoAnswer):
            await quiet.identify()

    run(asked())


@pytest.mark.parametrize("echoes", [False, True])
def test_a_question_that_comes_back_first_is_no_value(echoes: bool) -> None:
    used = told_and_set(Speaker(echoes=echoes), Change("/level", "low", "high"))
    assert run(used) == ("S12", {"level": "low"}, {"level": "high"})


def test_a_question_that_comes_back_alone_names_nobody() -> None:
    async def asked() -> None:
        with pytest.raises(NoAnswer):
            await driver(Speaker(echoes=True, alive=False)).identify()

    run(asked())
