"""Sweeps of stand-ins: who is found, who is missing and why, and hostile answers."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Any

import pytest
import pytest_asyncio

from netloom_core.absence.case import Case
from netloom_core.absence.explain import explain_all
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.model.sighting import Reason
from netloom_core.sweep.base import Method
from netloom_core.sweep.finding import Known
from netloom_core.sweep.methods import osdp_scan
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.http import HttpIdentify
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.sweep.sweep import SweepResult, sweep
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.osdp_line import OsdpLine
from netloom_standins.site import BUS, build_units, load_site, single
from tests.conftest import ROOT
from tests.standins.models import plugged_in

NETWORK = "127.25.10.0/28"
NET = Line("net", "Net", "ip", network=NETWORK, source="127.25.10.1")


@pytest_asyncio.fixture
async def boxes(tmp_path: Path, library: Library) -> AsyncIterator[list[DescribedUnit]]:
    units, _ = build_units(load_site(ROOT / "tests/sites/first_round.yaml", "127.25.10.0/24"), library, tmp_path)
    made = [unit for unit in units if isinstance(unit, DescribedUnit) and unit.address][:2]
    for box in made:
        await box.start()
    yield made
    for box in made:
        await box.stop()


async def look(library: Library, line: Line, known: list[Known], *methods: Method, **more: Any) -> SweepResult:
    owners = Owners()
    try:
        return await sweep([line], known, library, owners, SystemClock(), methods=methods, **more)
    finally:
        owners.close()


async def why(library: Library, line: Line, known: list[Known], result: SweepResult) -> dict[str, list[Reason]]:
    """Reasons by device for those that the sweep did not see."""
    seen = {finding.device for finding in result.findings}
    cases = [
        Case(one, one.device, line, result.findings, result.troubles, library, [line])
        for one in known
        if one.device not in seen
    ]
    return {absent.device: list(absent.reasons) for absent in await explain_all(cases)}


async def test_boxes_are_found_with_their_identity(library: Library, boxes: list[DescribedUnit]) -> None:
    result = await look(library, NET, [], ConnectScan(), HttpIdentify())
    assert [(f.address, f.identity.serial, f.status) for f in result.findings] == [
        ("127.25.10.11", "HV-40117", "new"),
        ("127.25.10.12", "HV-40122", "new"),
    ]


async def test_missing_ones_get_reasons_from_tests_that_were_made(library: Library, boxes: list[DescribedUnit]) -> None:
    boxes[1].factory = True
    known = [
        Known("gone", "", "hallvane-rx8", "net", "127.25.10.13"),
        Known("displaced", "hallvane|hv-77", "hallvane-rx8", "net", "127.25.10.11"),
    ]
    result = await look(library, NET, known, ConnectScan(), HttpIdentify())
    reasons = await why(library, NET, known, result)
    assert "factory-fresh RX8, serial number HV-40122" in reasons["gone"][0].reason
    assert "refuses connections on port 8480" in reasons["gone"][-1].reason
    assert "HV-40117 answers at 127.25.10.11" in reasons["displaced"][0].reason
    assert all(one.hint and one.test for found in reasons.values() for one in found)


async def test_one_that_takes_connections_and_says_nothing(library: Library, boxes: list[DescribedUnit]) -> None:
    boxes[0].faults.silent = True
    known = [Known("d1", "hallvane|hv-40117", "hallvane-rx8", "net", "127.25.10.11")]
    result = await look(library, NET, known, ConnectScan(), HttpIdentify())
    silent = next(f for f in result.findings if f.address == "127.25.10.11")
    assert silent.status == "unknown"
    reasons = (await why(library, NET, known, result))["d1"]
    assert any("does not say who it is" in one.reason for one in reasons)


HOSTILE = [
    b"",
    b"\x00\xff" * 5000,
    b"HTTP/1.1 200 OK\r\ncontent-length: 3\r\n\r\n{{{",
    b"HTTP/1.1 200 OK\r\n\r\n" + b"[" * 60_000,
    b"HTTP/1.1 302 Found\r\nlocation: http://127.0.0.1/\r\ncontent-length: 0\r\n\r\n",
    b'HTTP/1.1 200 OK\r\n\r\n{"maker": ["x"], "model": {"a": 1}, "serial": null}',
    b'HTTP/1.1 200 OK\r\n\r\n{"maker": "' + b"x" * 3000 + b'", "serial": 5}',
]


@pytest.mark.parametrize("answer", HOSTILE)
async def test_hostile_answers_stay_evidence(library: Library, answer: bytes) -> None:
    async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await reader.read(500)
        writer.write(answer)
        writer.close()

    server = await asyncio.start_server(serve, "127.25.10.9", 8480)
    async with server:
        result = await look(library, NET, [], ConnectScan(), HttpIdentify())
    assert [f.address for f in result.findings] == ["127.25.10.9"]
    assert result.troubles == []
    assert all(len(value) <= 400 for value in result.findings[0].facts.values())


async def test_a_line_that_cannot_be_used_is_told_and_blamed(library: Library, tmp_path: Path) -> None:
    line = Line("bus", "Bus", "serial", path=str(tmp_path / "no-port"), protocol="osdp")
    known = [Known("d1", "x|1", "dunmarrow-dr2", "bus", "1", 9600)]
    result = await look(library, line, known, OsdpScan())
    assert "does not exist" in result.troubles[0]["message"]
    reasons = (await why(library, line, known, result))["d1"]
    assert "There is no adapter" in reasons[0].reason


async def test_the_bus_is_scanned(library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two units at two speeds, a pair on one address, one that is slow to answer."""
    monkeypatch.setattr(osdp_scan, "MAX_ADDRESS", 8)
    _, ports = build_units(load_site(ROOT / "tests/sites/first_round.yaml"), library, tmp_path)
    bus: OsdpLine = ports[0]
    twin = single(library, "dunmarrow-dm24", "00B70E99", "0", BUS)
    bus.units.append(twin)
    line = Line("bus", "Bus", "serial", path=str(bus.link), speed=9600, protocol="osdp")
    known = [Known("d3", "dunmarrow|00b70e31", "dunmarrow-dm24", "bus", "3", 9600)]
    with plugged_in(bus):
        result = await look(library, line, known, OsdpScan((38400,)))
    found = {(f.address, f.speed): f for f in result.findings}
    assert found["1", 9600].identity.model == "DR2"
    assert found["3", 38400].status == "moved"
    assert found["0", 9600].status == "duplicate"


async def test_stopping_a_sweep_keeps_what_was_seen(library: Library, boxes: list[DescribedUnit]) -> None:
    stop = asyncio.Event()
    methods = (ConnectScan(), HttpIdentify())
    result = await look(library, NET, [], *methods, stop=stop, saw=lambda s: s.method == "http" and stop.set())
    assert result.findings
    assert not result.complete, "nobody is called missing by half a look"
