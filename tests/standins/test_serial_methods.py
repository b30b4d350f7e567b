"""Serial lines: Modbus units, dialogues at unknown speeds, adapters that come back, the bus behind a device."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from netloom_core.absence.case import Case
from netloom_core.absence.explain import explain
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.drivers.registry import Drivers
from netloom_core.library.load import Library
from netloom_core.links.ports import PortInfo, all_ports, follow, holder_of
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import Line
from netloom_core.protocols import modbus
from netloom_core.sweep.base import Method
from netloom_core.sweep.finding import Known
from netloom_core.sweep.methods import dialogue
from netloom_core.sweep.methods.behind import Behind
from netloom_core.sweep.methods.dialogue import Dialogue
from netloom_core.sweep.methods.modbus_rtu import ModbusRtuScan
from netloom_core.sweep.sweep import SweepResult, sweep
from netloom_standins.described.lines import RegisterLine, TalkLine
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.pty_port import PtyPort
from netloom_standins.site import single
from tests.patience import SOON_S
from tests.standins.models import on_serial, plugged_in

BUS = Line("bus", "Bus", "serial", speed=19200, protocol="modbus")
PORT = Line("port", "Port", "serial", speed=9600, protocol="dialogue")


async def look(library: Library, line: Line, method: Method, known: Sequence[Known] = (), **more: Any) -> SweepResult:
    owners = Owners()
    try:
        return await sweep([line], known, library, owners, SystemClock(), methods=[method], **more)
    finally:
        owners.close()


def module(library: Library, address: int, serial: str, speed: int = 19200, firmware: str = "1.3") -> DescribedUnit:
    return on_serial(library, "grayle-m4", serial, firmware, **{"/bus/unit": address, "/bus/speed": speed})


def bridge(library: Library, speed: int = 57600) -> DescribedUnit:
    return on_serial(library, "wendle-w1", "WB-1", "2.0", **{"/serial/speed": speed})


# Modbus


@pytest.mark.parametrize("crackles", [False, True])
async def test_units_twins_and_one_at_another_speed(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, crackles: bool
) -> None:
    monkeypatch.setattr(modbus, "MAX_UNIT", 8)
    units = [module(library, 1, "GM-1"), module(library, 5, "GM-5"), module(library, 5, "GM-6", firmware="1.4"),
             module(library, 7, "GM-7", speed=9600)]  # fmt: skip
    bus = RegisterLine(tmp_path / "bus", units)
    bus.crackles = crackles
    with plugged_in(bus):
        line = replace(BUS, path=str(bus.link))
        known = [Known("d5", "grayle|gm-5", "grayle-m4", "bus", "5", 19200)]
        result = await look(library, line, ModbusRtuScan(), known)
        absent = await explain(Case(known[0], "Pump", line, result.findings, result.troubles, library, [line]))
    found = {(f.address, f.speed): f for f in result.findings}
    assert found["1", 19200].identity.serial == "GM-1"
    assert found["7", 9600].identity.serial == "GM-7"
    assert found["5", 19200].status == "duplicate"
    assert "Two units talk at once on address 5" in absent.reasons[0].reason
    assert any("a few bytes came" in note for note in result.reports[0].notes) == crackles


class Deaf(PtyPort):
    """Answers every request with the same bytes, after a while."""

    def __init__(self, link: Path, answer: bytes, pause: float = 0.0) -> None:
        super().__init__(link)
        self._answer, self._pause = answer, pause

    def received(self, data: bytes) -> None:
        self.work(self._later())

    async def _later(self) -> None:
        await asyncio.sleep(self._pause)
        await self.send(self._answer, 115200)


@pytest.mark.parametrize("answer", [b"", b"\x00", b"\xff" * 400, modbus.rtu(9, b"\x2b\x0e\x02")[:-1]])
async def test_a_hostile_bus_is_noise_and_ends(
    library: Library, tmp_path: Path, answer: bytes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(modbus, "MAX_UNIT", 2)
    wire = Deaf(tmp_path / "bus", answer)
    with plugged_in(wire):
        result = await asyncio.wait_for(look(library, replace(BUS, path=str(wire.link)), ModbusRtuScan()), 3 * SOON_S)
    assert all(f.facts.get("garbled") or f.facts.get("noise") for f in result.findings)


async def test_a_line_that_talks_all_the_time_is_no_bus_of_pairs(library: Library, tmp_path: Path) -> None:
    """Spoiled at one address after the other: nobody is there twice, and the scan does not go on for minutes."""
    wire = Deaf(tmp_path / "bus", b"\xff" * 40)
    with plugged_in(wire):
        result = await asyncio.wait_for(look(library, replace(BUS, path=str(wire.link)), ModbusRtuScan()), 3 * SOON_S)
    assert [f.facts.get("noise") for f in result.findings] == ["yes"] * len(result.findings)
    assert len({finding.speed for finding in result.findings}) == len(result.findings), "one for each speed"
    assert "bytes come that make no sense" in result.reports[0].notes[0]


async def test_a_late_answer_is_heard_and_asked_for_again_in_peace(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(modbus, "MAX_UNIT", 3)
    whole = modbus.rtu(1, bytes((0x2B, 0x0E, 2, 0x82, 0, 0, 1)) + b"\x00\x03Odd")
    slow = Deaf(tmp_path / "bus", whole, pause=0.12)
    with plugged_in(slow):
        result = await look(library, replace(BUS, path=str(slow.link)), ModbusRtuScan())
    assert "1" in {f.address for f in result.findings if f.facts.get("maker") == "Odd"}
    assert not [f for f in result.findings if f.address in ("2", "3") and f.speed == BUS.speed]


class Halting(Deaf):
    """Hands its answer over in pieces, with pauses as on a busy computer: where a frame is not told to end yet, too."""

    async def _later(self) -> None:
        for at in range(0, len(self._answer), 5):
            await self.send(self._answer[at : at + 5], 115200)
            await asyncio.sleep(self._pause)


async def test_a_pause_within_a_frame_does_not_end_it(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(modbus, "MAX_UNIT", 1)
    whole = modbus.rtu(1, bytes((0x2B, 0x0E, 2, 0x82, 0, 0, 2)) + b"\x00\x03Odd\x01\x03M-7")
    wire = Halting(tmp_path / "bus", whole, pause=0.06)
    with plugged_in(wire):
        result = await look(library, replace(BUS, path=str(wire.link)), ModbusRtuScan())
    assert {(f.facts["maker"], f.facts["product_code"]) for f in result.findings if f.speed == BUS.speed} == {
        ("Odd", "M-7")
    }


# Dialogues


async def test_a_dialogue_is_found_at_its_speed_and_left_as_found(library: Library, tmp_path: Path) -> None:
    unit = bridge(library)
    line = TalkLine(tmp_path / "cable", unit)
    with plugged_in(line):
        result = await look(library, replace(PORT, path=str(line.link)), Dialogue())
    [finding] = result.findings
    assert (finding.identity.serial, finding.speed, finding.profile) == ("WB-1", 57600, "wendle-w1")
    assert finding.facts["mac"] == unit.mac
    assert finding.facts["garbled_at"], "and the speed at which its bytes made no sense is told"
    assert not line.talk.open, "it was left as it was found"


@pytest.mark.parametrize("pulled", [False, True])
async def test_a_unit_on_usb_takes_its_port_with_it(library: Library, tmp_path: Path, pulled: bool) -> None:
    """And brings it back, unless somebody pulled it out meanwhile."""
    line = TalkLine(tmp_path / "cable", on_serial(library, "pellow-h1", "PH-1", "1.2"))
    line.start()
    await line.unit.stop()
    assert not line.link.exists()
    if pulled:
        line.unplug()
    await line.unit.start()
    assert line.link.exists() != pulled
    line.stop()


async def test_what_it_says_while_it_starts_is_evidence(library: Library, tmp_path: Path) -> None:
    unit = bridge(library)
    line = TalkLine(tmp_path / "cable", unit)
    with plugged_in(line):
        unit.up = False
        asyncio.get_running_loop().call_later(0.6, lambda: asyncio.ensure_future(unit.start()))
        result = await look(library, replace(PORT, path=str(line.link), speed=57600), Dialogue())
    [finding] = result.findings
    assert (finding.identity.serial, finding.profile) == ("WB-1", "wendle-w1")
    assert "the passphrase is right" in finding.facts["started"]
    assert finding.facts["ip"] == "192.0.2.77"


@pytest.mark.parametrize(
    ("answer", "fact", "value"),
    [
        (b"quay-gw login: ", "prompt", "yes"),
        (b"\x91\xf3\x80\xe2\x9b", "noise", "yes"),
        (b"Welcome\r\n", "banner", "Welcome"),
    ],
)
async def test_prompts_noise_and_banners(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, answer: bytes, fact: str, value: str
) -> None:
    monkeypatch.setattr(dialogue, "USUAL_SPEEDS", (9600,))
    wire = Deaf(tmp_path / "cable", answer)
    with plugged_in(wire):
        result = await look(library, replace(PORT, path=str(wire.link)), Dialogue())
    assert result.findings[0].facts[fact] == value


async def test_a_silent_port_is_nobody(library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(dialogue, "ANSWER_S", 0.05)
    wire = PtyPort(tmp_path / "cable")
    with plugged_in(wire):
        line = replace(PORT, path=str(wire.link))
        known = Known("d1", "wendle|wb-1", "wendle-w1", "port", "direct")
        result = await look(library, line, Dialogue())
        absent = await explain(Case(known, "Bridge", line, result.findings, result.troubles, library, [line]))
    assert result.findings == []
    assert "Nobody at all answers" in absent.reasons[0].reason


# Ports and adapters


async def test_a_line_follows_its_adapter(library: Library, tmp_path: Path) -> None:
    info = {"title": "Cable", "vendor": "1d50", "product": "60c7", "usb_serial": "WD1", "place": "1-1"}
    wire = PtyPort(tmp_path / "usb-0", info, tmp_path / "ports")
    with plugged_in(wire):
        adapter = next(p.adapter for p in all_ports(tmp_path / "ports") if p.usb_serial == "WD1")
        path = str(wire.link)
        assert follow(path, adapter, all_ports(tmp_path / "ports")) == path
        wire.rename("usb-3")
        assert follow(path, adapter, all_ports(tmp_path / "ports")) == str(tmp_path / "usb-3")
        wire.unplug()
        assert follow(path, adapter, all_ports(tmp_path / "ports")) == path, "gone: the old name is all there is"


def test_an_adapter_without_a_serial_number_is_known_by_its_place(tmp_path: Path) -> None:
    assert PortInfo("/dev/x", place="1-1.2").adapter == "place:1-1.2"
    assert PortInfo("/dev/x").adapter == ""
    (tmp_path / "broken.json").write_text("[1, 2")
    (tmp_path / "list.json").write_text("[]")
    assert [p for p in all_ports(tmp_path) if not p.path.startswith("/dev")] == []


async def test_a_port_that_another_program_holds(library: Library, tmp_path: Path) -> None:
    import subprocess
    import sys

    wire = PtyPort(tmp_path / "cable")
    wire.start()
    program = "import fcntl,os,sys,termios,time;f=os.open(sys.argv[1],os.O_RDWR|os.O_NOCTTY);fcntl.flock(f,6);"
    holder = subprocess.Popen(
        [sys.executable, "-c", program + "print(1,flush=True);time.sleep(60)", str(wire.link)], stdout=subprocess.PIPE
    )
    assert holder.stdout is not None
    await asyncio.to_thread(holder.stdout.readline)
    line = replace(PORT, path=str(wire.link))
    known = Known("d1", "wendle|wb-1", "wendle-w1", "port", "direct")
    try:
        result = await look(library, line, Dialogue())
        absent = await explain(Case(known, "Bridge", line, result.findings, result.troubles, library, [line]))
        assert f"(process {holder.pid})" in holder_of(str(wire.link))
    finally:
        holder.kill()
        holder.wait(5)
        wire.stop()
    assert result.troubles[0]["code"] == "port-busy"
    assert f"process {holder.pid}" in absent.reasons[0].reason


# Behind a device


async def behind(library: Library, mode: str) -> tuple[SweepResult, Line]:
    profile = library.need("dunmarrow-dc4")
    listed = [{"address": 3, "maker": "Dunmarrow", "model": "DW1", "serial": "DW-3"}, {"address": 999}]
    login = Credentials("admin", profile.factory.password)
    answers = {"documents": {"subordinates": listed}}
    box = single(library, profile.id, "DC-1", "127.34.2.5", values={"/bus/mode": mode}, answers=answers)
    await box.start()
    net = Line("net", "Net", "ip", network="127.34.2.0/28", source="127.34.2.1")
    line = Line("behind", "Reader bus", "behind", parent="p")
    parent = Target("p", "Doors", profile.id, net, "127.34.2.5", keys=("dunmarrow|dc-1",), credentials=(login,))
    try:
        sessions = Sessions(Drivers(library, Owners()), library.maker, SystemClock())
        return await look(library, line, Behind(), parents={"behind": parent}, sessions=sessions), line
    finally:
        await box.stop()


async def test_a_leading_parent_tells_its_bus(library: Library) -> None:
    result, _ = await behind(library, "lead")
    [finding] = result.findings
    assert (finding.address, finding.identity.serial, finding.profile) == ("3", "DW-3", "dunmarrow-dw1")


async def test_a_parent_that_does_not_lead_says_so_and_setting_it_is_offered(library: Library) -> None:
    result, line = await behind(library, "follow")
    assert result.troubles[0]["code"] == "not-leading"
    known = Known("d3", "dunmarrow|dw-3", "dunmarrow-dw1", "behind", "3")
    case = Case(known, "Reader", line, [], result.troubles, library, [line], {"p": "Doors"}, parent_name="Doors",
                parent_profile="dunmarrow-dc4")  # fmt: skip
    reason = (await explain(case)).reasons[0]
    assert "Bus mode is follow" in reason.reason
    assert reason.offer == {"action": "set", "device": "p", "path": "/bus/mode", "value": "lead"}
