"""Scans of lines on which units take as long as their standards let them: none may be called missing for that."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import Sequence
from dataclasses import replace

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from netloom_core.bus.owner import Owners
from netloom_core.library.load import Library
from netloom_core.model.line import DIRECT, PARITIES, Line
from netloom_core.protocols import modbus
from netloom_core.protocols.osdp import frames
from netloom_core.protocols.osdp.constants import Cmd, Rep
from netloom_core.sweep.base import Method
from netloom_core.sweep.finding import Known
from netloom_core.sweep.methods.dialogue import Dialogue
from netloom_core.sweep.methods.modbus_rtu import ModbusRtuScan
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.sweep.sweep import SweepResult, sweep
from netloom_core.testing.far_end import FarEnd
from netloom_core.testing.virtual_time import VirtualClock, run
from netloom_standins.site import BUS, single
from tests.core.drivers.made import profile
from tests.core.lines.wire import Unit, Wire

SPEEDS = (9600, 19200, 38400)
Place = tuple[int, int, float]  # address, speed, seconds to the answer


def units(addresses: Sequence[int], speeds: Sequence[int], slowest: float) -> st.SearchStrategy[list[Place]]:
    each = st.tuples(st.sampled_from(addresses), st.sampled_from(speeds), st.floats(0.002, slowest))
    return st.lists(each, min_size=1, max_size=4, unique_by=lambda unit: unit[0])


def osdp_unit(library: Library, address: int, speed: int, delay: float) -> Unit:
    unit = single(library, "dunmarrow-dm24", f"00B70E{address:02X}", str(address), BUS)

    def answer(asked: bytes) -> bytes:
        return b"".join(unit.answer(frame) for frame in frames.Receiver().feed(asked) if frame.address == address)

    return Unit(speed, delay, answer)


def modbus_unit(unit: int, speed: int, delay: float) -> Unit:
    told = modbus.rtu(unit, bytes((0x2B, 0x0E, 2, 0x82, 0, 0, 1)) + b"\x00\x03Odd")
    return Unit(speed, delay, lambda asked: told if asked == modbus.rtu(unit, modbus.identify()) else b"")


def scanned(
    library: Library, line: Line, method: Method, wire: Wire, known: Sequence[Known]
) -> tuple[SweepResult, set[tuple[int, int]]]:
    """And the places at which somebody was found."""
    owners = Owners()
    owners.serial(line)._link = wire
    result = run(sweep([line], known, library, owners, VirtualClock(), methods=[method]))
    assert result.complete
    assert result.troubles == []
    assert result.reports[0].sent > 100, "each question is counted"
    return result, {(int(f.address), f.speed or 0) for f in result.findings}


@settings(max_examples=30, deadline=None)
@given(
    units=units([0, 1, 3, 4, 5, 60, 125, 126], SPEEDS, 0.195), expected=st.sets(st.sampled_from([1, 3, 60]), max_size=2)
)
@example(units=[(3, 38400, 0.16)], expected={3})  # the last of the likely ones before another speed
@example(units=[(126, 38400, 0.12)], expected=set())  # the last of all
def test_osdp(library: Library, units: list[Place], expected: set[int]) -> None:
    line = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol="osdp")
    known = [Known(f"d{a}", f"dunmarrow|00b70e{a:02x}", "dunmarrow-dm24", "bus", str(a), 9600) for a in expected]
    wire = Wire(osdp_unit(library, *unit) for unit in units)
    result, found = scanned(library, line, OsdpScan(SPEEDS), wire, known)
    assert found == {unit[:2] for unit in units}
    moved = {int(f.address) for f in result.findings if f.status == "moved"}
    assert moved == {address for address, speed, _ in units if address in expected and speed != 9600}


@settings(max_examples=30, deadline=None)
@given(units=units([1, 3, 4, 5, 16], SPEEDS, 0.45), expected=st.sets(st.sampled_from([1, 3, 16]), max_size=2))
@example(units=[(16, 19200, 0.4)], expected={16})
@example(units=[(5, 9600, 0.3), (247, 9600, 0.2)], expected=set())
@example(units=[(16, 19200, 0.9)], expected={16})  # its profile gives it a second
@example(units=[(100, 19200, 0.4)], expected={100})  # at another speed only the lowest numbers and those on record
def test_modbus_rtu(library: Library, units: list[Place], expected: set[int]) -> None:
    line = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol="modbus")
    known = [Known(f"d{a}", f"x|{a}", "grayle-m4", "bus", str(a), 9600) for a in expected]
    wire = Wire(modbus_unit(*unit) for unit in units)
    _, found = scanned(library, line, ModbusRtuScan(), wire, known)
    assert found == {unit[:2] for unit in units}


@pytest.mark.parametrize(("protocol", "slowest"), [("osdp", 0.195), ("modbus", 0.45)])
@settings(max_examples=10, deadline=None)
@given(share=st.floats(0.01, 1.0), count=st.integers(5, 40), step=st.integers(1, 15))
@example(share=0.14, count=10, step=12)  # each answer meets the next question
def test_many_of_one_slow_kind(
    library: Library, protocol: str, slowest: float, share: float, count: int, step: int
) -> None:
    line = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol=protocol)
    places = [(address, 9600, slowest * share) for address in range(1, 127, step)][:count]
    method = OsdpScan(SPEEDS) if protocol == "osdp" else ModbusRtuScan()
    wire = Wire(osdp_unit(library, *one) if protocol == "osdp" else modbus_unit(*one) for one in places)
    _, found = scanned(library, line, method, wire, [])
    assert found == {(address, speed) for address, speed, _ in places}


@pytest.mark.parametrize("delay", [0.02, 0.3])
@pytest.mark.parametrize("own", ["N", "E"])
def test_another_parity_is_told(library: Library, own: str, delay: float) -> None:
    line = Line("bus", "Bus", "serial", path="made up", speed=9600, parity=own, protocol="modbus")
    owners, other = Owners(), {"N": "E", "E": "N"}[own]
    owners.serial(line)._link = Wire([replace(modbus_unit(7, 19200, delay), parity=other)])
    swept = run(sweep([line], [], library, owners, VirtualClock(), methods=[ModbusRtuScan()]))
    [trouble] = swept.troubles
    assert trouble["code"] == "other-parity"
    assert trouble["message"].startswith(f"Unit 7 on Bus answers at 19200 baud with {PARITIES[other]} parity")
    assert swept.findings == [], "nobody is found who could not be talked to"


TALKING = profile(
    {"protocol": "dialogue", "over": "serial", "speeds": [19200], "wake": "\r", "greeting": "^ready",
     "identify": [{"send": "who", "answer": "^= (?P<serial>\\w+)$"}], "answer_seconds": 2.0},
    [],
)  # fmt: skip


def answered(asked: bytes) -> tuple[bytes, bytes | None]:
    if not asked.endswith(b"\r"):
        return asked, None
    return b"", b"= S7\r\n" if b"who" in asked else b"ready\r\n"


@pytest.mark.parametrize("delay", [0.01, 0.6, 1.9])
@pytest.mark.parametrize("crackle", [b"", b"\x00", b"\xf0\xfe"])
def test_a_dialogue_of_one_on_record(delay: float, crackle: bytes) -> None:
    def talked(asked: bytes) -> tuple[bytes, bytes | None]:
        left, told = answered(asked)
        return left, None if told is None else crackle + told + crackle

    line, owners = Line("bus", "Bus", "serial", path="made up", speed=19200, protocol="dialogue"), Owners()
    owners.serial(line)._link = FarEnd(talked, itertools.repeat(delay), 1.0)
    known = [Known("d", "peer|s7", TALKING.id, "bus", DIRECT, 19200)]
    swept = run(sweep([line], known, Library([TALKING]), owners, VirtualClock(), methods=[Dialogue()]))
    assert [one.identity.serial for one in swept.findings] == ["S7"]


PANEL = frames.encode(frames.Frame(9, Cmd.POLL, b"", 1)) + frames.encode(frames.Frame(9, Rep.ACK, b"", 1, reply=True))


@pytest.mark.parametrize(
    ("talk", "pause", "trouble"),
    [(PANEL, 0.004, ["led-by-another"]), (PANEL, 0.05, ["led-by-another"]), (b"\xf0\xff" * 20, 0.001, [])],
)
def test_a_line_on_which_somebody_talks_is_scanned_in_time(
    library: Library, talk: bytes, pause: float, trouble: list[str]
) -> None:
    line, owners = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol="osdp"), Owners()
    owners.serial(line)._link = wire = Wire([])

    async def seconds() -> float:
        begun = asyncio.get_running_loop().time()
        talking = asyncio.create_task(wire.talk(talk, pause))
        swept = await sweep([line], [], library, owners, VirtualClock(), methods=[OsdpScan(SPEEDS)])
        talking.cancel()
        assert [one["code"] for one in swept.troubles] == trouble
        return asyncio.get_running_loop().time() - begun

    assert run(seconds()) < 100
