"""OSDP units of makers that nobody here knows: what the standard alone gives, and what a secure channel keeps back."""

from __future__ import annotations

from collections.abc import AsyncIterator
from pathlib import Path

import pytest
import pytest_asyncio

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.drivers.osdp.driver import OsdpDriver
from netloom_core.library.load import Library
from netloom_core.library.standard import is_standard
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.protocols.osdp.constants import Cmd, Rep
from netloom_core.protocols.osdp.frames import Frame
from netloom_core.sweep.finding import Finding
from netloom_core.sweep.methods import osdp_scan
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.sweep.sweep import sweep
from netloom_standins.osdp_line import OsdpLine, OsdpUnit
from netloom_standins.site import build_units, load_site
from tests.conftest import ROOT


class Bus:
    def __init__(self, library: Library, unit: OsdpUnit, line: OsdpLine) -> None:
        self.library, self.unit = library, unit
        self.line = Line("bus", "Bus", "serial", path=str(line.link), speed=9600, protocol="osdp")
        self.owners = Owners()

    async def sweep(self) -> Finding:
        result = await sweep([self.line], [], self.library, self.owners, SystemClock(), methods=[OsdpScan((9600,))])
        assert len(result.findings) == 1, result.reports
        return result.findings[0]

    def driver(self, finding: Finding) -> OsdpDriver:
        target = Target("d1", "Box", finding.profile, self.line, finding.address, finding.speed, keys=finding.keys)
        return OsdpDriver(target, self.library.need(finding.profile), "bus", self.owners.serial(self.line))


@pytest_asyncio.fixture
async def bus(library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> AsyncIterator[Bus]:
    """One unit with the inputs and outputs of a module, of a vendor that no profile has."""
    monkeypatch.setattr(osdp_scan, "MAX_ADDRESS", 4)
    _, ports = build_units(load_site(ROOT / "tests/sites/first_round.yaml"), library, tmp_path)
    line: OsdpLine = ports[0]
    unit = next(one for one in line.units if one.profile.id == "dunmarrow-dm24")
    unit.form = unit.form.model_copy(update={"vendor": "00AABB", "model_number": 9})
    unit.move(2, 9600)
    line.units[:] = [unit]
    line.start()
    made = Bus(library, unit, line)
    yield made
    made.owners.close()
    line.stop()


async def test_a_unit_of_an_unknown_maker_is_read_driven_and_addressed(bus: Bus) -> None:
    finding = await bus.sweep()
    assert (finding.identity.maker, finding.identity.model) == ("vendor 00AABB", "model number 9")
    assert is_standard(finding.profile)
    profile = bus.library.need(finding.profile)
    outputs = [point for point in profile.by_point.values() if point.kind == "relay"]
    assert len(outputs) == len([p for p in bus.unit.profile.by_point.values() if p.kind == "relay"])

    driver = bus.driver(finding)
    ident = await driver.identify()
    assert (ident.maker, ident.serial) == ("vendor 00AABB", finding.identity.serial)
    driver.trust(driver.connection)
    assert (await driver.read("running"))["bus"] == {"address": 2, "speed": 9600}
    assert (await driver.states())["tamper"] == "normal"
    await driver.drive("relay-1", "on")
    assert (await driver.states())["relay-1"] == "on"
    await driver.readdress([Change("/bus/address", 2, 3)])
    assert bus.unit.bus_address == 3
    assert (await bus.sweep()).address == "3"


async def test_a_unit_that_wants_its_secure_channel_says_so_in_the_scan(
    bus: Bus, monkeypatch: pytest.MonkeyPatch
) -> None:
    plain = bus.unit._carry_out

    def guarded(frame: Frame) -> tuple[int, bytes]:
        return plain(frame) if frame.code in (Cmd.ID, Cmd.POLL) else (Rep.NAK, b"\x06")

    monkeypatch.setattr(bus.unit, "_carry_out", guarded)
    finding = await bus.sweep()
    assert finding.facts["secure_channel"] == "required"
    assert "its key" in finding.facts["refused"]
    assert finding.identity.serial, "who it is, it tells"
