"""What comes late on a serial line answers the question before, and is never taken for the answer to the next."""

from __future__ import annotations

import asyncio
import os
import pty
import tty
from collections.abc import AsyncIterator, Callable
from typing import Any

import pytest
import pytest_asyncio

from netloom_core.bus.owner import Owners
from netloom_core.drivers.registry import OPENERS
from netloom_core.errors import NoAnswer
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.profiles.profile import Profile
from netloom_core.protocols import modbus
from tests.core.drivers.made import profile

PATIENCE_S, SLOW_S = 0.8, 1.2  # far apart: a busy computer is late by some tenths of a second


class Slow:
    """The far end of a line: `answer` is given each whole question, and is sent after `seconds`."""

    def __init__(self, answer: Callable[[bytes], bytes | None]) -> None:
        self.master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self.master, False)
        self.path = os.ttyname(self._slave)
        self.seconds = SLOW_S
        self._owners = Owners()
        self.asked: list[bytes] = []
        self._answer, self._heard = answer, b""
        asyncio.get_running_loop().add_reader(self.master, self._readable)

    def _readable(self) -> None:
        self._heard += os.read(self.master, 4096)
        if (said := self._answer(self._heard)) is not None:
            self.asked.append(self._heard)
            self._heard = b""
            asyncio.get_running_loop().call_later(self.seconds, os.write, self.master, said)

    def close(self) -> None:
        self._owners.close()
        asyncio.get_running_loop().remove_reader(self.master)
        os.close(self.master)
        os.close(self._slave)

    def driver(self, made: Profile, protocol: str, address: str = "-") -> Any:
        """One that takes whoever answers for proven."""
        line = Line("bus", "Bus", "serial", path=self.path, speed=9600, protocol=protocol)
        driver: Any = OPENERS[protocol](Target("d", "Peer", made.id, line, address, 9600), made, "way", self._owners)
        driver.need_proof = lambda: None
        return driver


Begin = Callable[[Callable[[bytes], bytes | None]], Slow]


@pytest_asyncio.fixture
async def begin() -> AsyncIterator[Begin]:
    made: list[Slow] = []

    def far_end(answer: Callable[[bytes], bytes | None]) -> Slow:
        made.append(Slow(answer))
        return made[-1]

    yield far_end
    await asyncio.sleep(SLOW_S)
    for one in made:
        one.close()


def number(path: str, **bind: object) -> dict[str, object]:
    return {"path": path, "label": path, "type": {"is": "integer", "maximum": 9999}, "kept": "always",
            "bind": {"way": bind}}  # fmt: skip


REGISTERS = profile(
    {"protocol": "modbus", "over": ["serial"], "names_itself": False, "constant": {"serial": "S1"},
     "answer_seconds": PATIENCE_S},
    [number("/a", register=100), number("/b", register=2000), number("/c", register=4000)],
)  # fmt: skip


def in_registers(heard: bytes) -> bytes | None:
    """Each register holds its own number."""
    if len(heard) < 8:
        return None
    first, count = int.from_bytes(heard[2:4], "big"), int.from_bytes(heard[4:6], "big")
    words = b"".join((first + n).to_bytes(2, "big") for n in range(count))
    return modbus.rtu(heard[0], bytes((heard[1], len(words))) + words)


async def test_a_slow_unit_on_a_bus_gives_each_its_own_value(begin: Begin) -> None:
    far = begin(in_registers)
    driver = far.driver(REGISTERS, "modbus", "7")
    await driver.identify()
    assert await driver.read("running") == {"a": 100, "b": 2000, "c": 4000}
    assert len(far.asked) == 3, "what comes late is an answer: nothing is asked twice"


async def test_one_that_was_given_up_is_heard_out_before_it_is_asked_again(begin: Begin) -> None:
    far = begin(in_registers)
    driver = far.driver(REGISTERS, "modbus", "7")
    far.seconds = 3.5 * PATIENCE_S  # after it was asked a second time
    with pytest.raises(NoAnswer):
        await driver.read("running")
    far.seconds = 0.75 * PATIENCE_S
    bound = driver.profile.bound_by_path("way")["/c"]
    assert await driver.fetch("running", [bound]) == {"/c": 4000}


async def test_who_was_asked_twice_answers_twice(begin: Begin) -> None:
    far = begin(in_registers)
    driver = far.driver(REGISTERS, "modbus", "7")
    far.seconds = 2.75 * PATIENCE_S  # it is given up on at twice that time
    assert await driver.read("running") == {"a": 100, "b": 2000, "c": 4000}


TERSE = profile(
    {"protocol": "dialogue", "over": "serial", "line_end": "\r\n", "answer_seconds": PATIENCE_S,
     "identify": [{"send": "who", "answer": "^= (?P<serial>\\w+)$"}]},
    [number("/a", ask="a", set="a {value}", answer="^= (?P<value>\\w+)$")],
)  # fmt: skip


async def test_a_late_value_is_no_serial_number(begin: Begin) -> None:
    said = {b"who": b"= S1\r\n", b"a": b"= 77\r\n"}
    far = begin(lambda heard: said[heard.strip()] if heard.endswith(b"\r\n") else None)
    driver = far.driver(TERSE, "dialogue")
    with pytest.raises(NoAnswer):
        await driver.read("running")
    far.seconds = 0.75 * PATIENCE_S
    assert (await driver.identify()).serial == "S1"
    assert await driver.read("running") == {"a": 77}
