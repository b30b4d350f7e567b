"""Drivers that leave a byte or two on the line as they are switched on and off: who is there is found all the same."""

from __future__ import annotations

import asyncio
import contextlib
import itertools
from dataclasses import replace

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from netloom_core.bus.modbus import exchange
from netloom_core.bus.owner import SerialOwner
from netloom_core.bus.timing import line_time
from netloom_core.errors import NobodyThere
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.protocols import modbus
from netloom_core.protocols.modbus_rtu import Replies
from netloom_core.protocols.osdp import flows
from netloom_core.protocols.osdp.session import Session
from netloom_core.sweep.base import Method
from netloom_core.sweep.methods.dialogue import READABLE, readable
from netloom_core.sweep.methods.modbus_rtu import ModbusRtuScan
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.testing.far_end import Port
from netloom_core.testing.virtual_time import run
from tests.core import replies
from tests.core.lines.test_late import VALUES, WAYS, told
from tests.core.lines.test_slow_units_are_found import modbus_unit, osdp_unit, scanned
from tests.core.lines.wire import Unit, Wire

few = st.binary(max_size=2)
METHODS: dict[str, Method] = {"osdp": OsdpScan((9600,)), "modbus": ModbusRtuScan()}
UNITS = {"osdp": osdp_unit, "modbus": lambda library, *unit: modbus_unit(*unit)}


@pytest.mark.parametrize("protocol", ["osdp", "modbus"])
@settings(max_examples=20, deadline=None)
@given(
    on=few,
    off=few,
    own=few,
    echoes=st.booleans(),
    delay=st.floats(0.002, 0.195),
    numbers=st.sets(st.integers(1, 126), min_size=1, max_size=4),
)
@example(on=b"\x00", off=b"", own=b"", echoes=False, delay=0.01, numbers={3, 17})
@example(on=b"", off=b"\xff", own=b"", echoes=False, delay=0.01, numbers={3, 17})
@example(on=b"", off=b"", own=b"\xff", echoes=False, delay=0.01, numbers={3, 17})
@example(on=b"SS", off=b"S", own=b"S", echoes=False, delay=0.19, numbers={83, 90})
@example(on=b"", off=b"", own=b"\xff", echoes=True, delay=0.01, numbers={3, 17})
@example(on=b"D\x00", off=b"\x00", own=b"Se", echoes=True, delay=0.1, numbers={18})  # together like a beginning
def test_nobody_is_lost_and_nobody_invented(
    library: Library, protocol: str, on: bytes, off: bytes, own: bytes, echoes: bool, delay: float, numbers: set[int]
) -> None:
    line = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol=protocol)
    units = [replace(UNITS[protocol](library, n, 9600, delay), on=on, off=off) for n in numbers]
    wire = Wire(units, on=own, off=own, echoes=echoes)
    result, found = scanned(library, line, METHODS[protocol], wire, [])
    assert found == {(n, 9600) for n in numbers}
    assert not [f.facts for f in result.findings if "garbled" in f.facts or "noise" in f.facts]
    notes = [note for report in result.reports for note in report.notes if "hold" in note]
    assert notes or not own, "and the line is told to lack something"
    assert not notes or own or off


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize(
    ("on", "off"), [(b"\x00", b""), (b"\xff", b"\x00"), (b"\xfe", b"\xf0"), (b"\xf0\xff", b"\xff")]
)
def test_values_are_read_all_the_same(way: str, on: bytes, off: bytes, monkeypatch: pytest.MonkeyPatch) -> None:
    made, reply, address = WAYS[way]

    def crackling(asked: bytes) -> tuple[bytes, bytes | None]:
        left, said = reply(asked)
        return left, None if said is None else on + said + off

    monkeypatch.setitem(WAYS, way, (made, crackling, address))
    heard = run(told(way, itertools.repeat(0.02), 2))
    assert heard[1] == heard[3] == VALUES


class Halting(Port):
    """Hands an answer over in two pieces, as a busy computer does: a few bytes at once, the rest later."""

    def __init__(self, unit: Unit, early: int, echoes: bool) -> None:
        super().__init__()
        self._unit, self._early, self._echoes = unit, early, echoes

    def write(self, data: bytes) -> None:
        loop, said = asyncio.get_running_loop(), self._unit.answer(data)
        took = line_time(len(data), self.speed)
        if self._echoes:
            loop.call_later(took / 2, self._come, data[:3])
            loop.call_later(took, self._come, data[3:])
        if said:
            loop.call_later(took + self._unit.delay, self._come, said[: self._early])
            loop.call_later(took + self._unit.delay + 0.2, self._come, said[self._early :])


@pytest.mark.parametrize("echoes", [False, True])
@pytest.mark.parametrize("early", [1, 3, 5, 7])
@pytest.mark.parametrize("protocol", ["osdp", "modbus"])
def test_an_answer_that_begins_at_the_end_of_the_time_is_heard(
    library: Library, protocol: str, early: int, echoes: bool
) -> None:
    """And no echo makes an empty place cost more."""

    async def asked(owner: SerialOwner, unit: int) -> float:
        begun = asyncio.get_running_loop().time()
        with contextlib.suppress(NobodyThere):
            if protocol == "osdp":
                assert (await owner.converse(unit, 9600, flows.identify(), session=Session(unit, retries=0))).serial
            else:
                async with owner.turn("test") as link:
                    assert (await exchange(owner, link, unit, modbus.identify(), 0.2, set())).unit == unit
            return 0.0
        return asyncio.get_running_loop().time() - begun

    async def both() -> list[float]:
        owner = SerialOwner(Line("bus", "Bus", "serial", path="made up", speed=9600), lambda one: one.path)
        owner._link = Halting(UNITS[protocol](library, 3, 9600, 0.19), early, echoes)
        return [await asked(owner, unit) for unit in (3, 4)]

    there, silent = run(both())
    assert there == 0.0
    assert 0.2 <= silent < 0.25


@given(st.binary(min_size=1, max_size=40))
@example("éé".encode())
def test_noise_is_no_text_in_any_letters(noise: bytes) -> None:
    assert readable(bytes(byte | 0x80 for byte in noise).decode("utf-8", "replace")) < READABLE


@pytest.mark.parametrize("text", ["Gerät bereit", "готов> ", "quay-gw login: "])
def test_text_in_any_letters_is_text(text: str) -> None:
    assert readable(text) >= READABLE


FRAME = modbus.rtu(5, replies.IDENTIFIED)


@given(before=st.binary(max_size=4), behind=st.binary(max_size=4), cuts=st.sets(st.integers(1, 40)))
def test_a_reply_is_found_in_its_pieces(before: bytes, behind: bytes, cuts: set[int]) -> None:
    came, at = Replies(5, replies.IDENTIFIED[0]), 0
    whole = before + FRAME + behind
    for end in sorted(cut for cut in {*cuts, len(whole)} if cut <= len(whole)):
        came.feed(whole[at:end])
        at = end
        if (answer := came.take()) is not None:
            break
    assert answer == modbus.parse_rtu(FRAME)


def test_two_replies_at_once_are_two() -> None:
    came = Replies()
    came.feed(b"\xff" + FRAME + b"\x00" + modbus.rtu(7, bytes((0xAB, 2))))
    assert [came.take(), came.take(), came.take()] == [
        modbus.parse_rtu(FRAME), modbus.Answer(7, 0x2B, b"", 2), None]  # fmt: skip
