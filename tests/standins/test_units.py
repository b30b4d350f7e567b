"""The stand-ins themselves: what they keep, how they misbehave on command, how they announce."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path
from typing import Any

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.documents.tree import get
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.protocols.osdp.constants import Cmd, Out, Rep
from netloom_core.protocols.osdp.frames import Frame, decode
from netloom_core.sweep.methods.mdns import MdnsBrowse
from netloom_core.sweep.sweep import sweep
from netloom_standins.__main__ import Memory, write_private
from netloom_standins.announce import Announcer
from netloom_standins.control import FAULTS, Control
from netloom_standins.described.memory import Wrong
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.osdp_line import OsdpUnit
from netloom_standins.site import build_units, load_site, written_out
from netloom_standins.units import Unit
from tests.conftest import ROOT

SITE = ROOT / "tests/sites/first_round.yaml"


@pytest.fixture
def units(library: Library, tmp_path: Path) -> dict[str, Unit]:
    made, _ = build_units(load_site(SITE, "127.27.10.0/24"), library, tmp_path)
    return {unit.name: unit for unit in made}


@pytest.fixture
def module(units: dict[str, Unit]) -> OsdpUnit:
    unit = units["Gate B module"]
    assert isinstance(unit, OsdpUnit)
    return unit


def test_the_site_can_lie_in_another_network(units: dict[str, Unit]) -> None:
    assert get(units["Car deck box"].running, "/network/address") == "127.27.10.12"
    series = {"series": {"count": 2}, "name": "Box {n}", "serial": "B-{nn}", "address": "127.27.10.11"}
    made = [(one["name"], one["serial"], one["address"]) for one in written_out(series)]
    assert made == [("Box 1", "B-01", "127.27.10.11"), ("Box 2", "B-02", "127.27.10.12")]


def test_the_demo_is_wrong_in_the_ways_it_says(units: dict[str, Unit], module: OsdpUnit) -> None:
    assert units["Fresh box"].factory
    assert units["Fresh module"].factory
    assert module.speed == 38400
    assert get(units["Car deck box"].running, "/relays/4/idle") == "closed", "changed behind our back"
    assert "Pier head box" not in units, "planned, and not there"


async def test_memory_outlives_the_process(units: dict[str, Unit], module: OsdpUnit, tmp_path: Path) -> None:
    box = units["Ticket hall box"]
    memory = Memory(tmp_path / "memory.json", list(units.values()))
    box.change("/name", "kept", True)
    box.change("/name", "not kept", False)
    module.move(77, 38400)
    memory.save()
    box.change("/name", "later", False)
    module.move(3, 38400)
    memory.load()
    assert get(box.running, "/name") == "kept"
    assert module.bus_address == 77


def test_every_unit_of_the_demo_begins_again_with_what_it_kept_itself(library: Library, tmp_path: Path) -> None:
    """Several bear no serial number there, of different models; a file of an earlier release has other values."""

    def built() -> list[Unit]:
        return build_units(load_site(ROOT / "demo/skerry_point.yaml"), library, tmp_path)[0]

    units = built()
    nameless = [unit for unit in units if not unit.serial and isinstance(unit, DescribedUnit)]
    assert len(nameless) > 1, "else this shows nothing"
    for number, unit in enumerate(units):
        unit.factory = number % 2 == 0
    Memory(tmp_path / "memory.json", units).save()
    again = built()
    Memory(tmp_path / "memory.json", again).load()
    assert [unit.factory for unit in again] == [number % 2 == 0 for number in range(len(units))]
    assert [unit.startup for unit in again] == [unit.startup for unit in units]
    other = {name: {"startup": {"gone": {"since": 1}}} for name in json.loads((tmp_path / "memory.json").read_text())}
    (tmp_path / "memory.json").write_text(json.dumps(other))
    Memory(tmp_path / "memory.json", again).load()
    assert [unit.startup for unit in again] == [unit.startup for unit in units]


def test_private_files_are_private(tmp_path: Path) -> None:
    write_private(tmp_path / "x.json", {"token": "t"})
    assert (tmp_path / "x.json").stat().st_mode & 0o077 == 0
    assert json.loads((tmp_path / "x.json").read_text()) == {"token": "t"}


# A unit's replies, frame by frame


def answer(unit: OsdpUnit, code: int, data: bytes = b"", sequence: int = 0) -> Frame | None:
    raw = unit.answer(Frame(unit.bus_address, code, data, sequence))
    return decode(raw) if raw else None


@pytest.mark.parametrize(
    ("code", "data", "reply"),
    [
        (Cmd.POLL, b"", Rep.ACK),
        (Cmd.ID, b"\x00", Rep.PDID),
        (Cmd.CAP, b"\x00", Rep.PDCAP),
        (Cmd.LSTAT, b"", Rep.LSTATR),
        (Cmd.ISTAT, b"", Rep.ISTATR),
        (Cmd.OSTAT, b"", Rep.OSTATR),
        (Cmd.OUT, bytes([1, Out.ON, 0, 0]), Rep.OSTATR),
        (Cmd.OUT, b"\x01", Rep.NAK),
        (Cmd.OUT, bytes([9, Out.ON, 0, 0]), Rep.NAK),
        (Cmd.COMSET, b"\x01", Rep.NAK),
        (Cmd.MFG, b"\xff\xff\xff\x01\x00", Rep.NAK),
        (Cmd.MFG, bytes.fromhex("0A4E4C6300"), Rep.NAK),
        (0x99, b"", Rep.NAK),
    ],
)
def test_replies(module: OsdpUnit, code: int, data: bytes, reply: int) -> None:
    got = answer(module, code, data)
    assert got is not None
    assert (got.code, got.address, got.reply) == (reply, module.bus_address, True)


def test_numbers_out_of_turn_are_refused_and_0_starts_anew(module: OsdpUnit) -> None:
    assert answer(module, Cmd.POLL).code == Rep.ACK  # type: ignore[union-attr]
    assert answer(module, Cmd.POLL, sequence=3).data == b"\x04"  # type: ignore[union-attr]
    assert answer(module, Cmd.POLL, sequence=1).code == Rep.ACK  # type: ignore[union-attr]
    assert answer(module, Cmd.POLL, sequence=0).code == Rep.ACK  # type: ignore[union-attr]


def test_a_silent_one_says_nothing(module: OsdpUnit) -> None:
    module.faults.silent = True
    assert answer(module, Cmd.POLL) is None


# Faults on command


async def control(
    units: list[Unit], method: str, path: str, body: dict | None = None, token: str = "t"
) -> tuple[int, Any]:
    sent: list[dict[str, Any]] = []

    async def receive() -> dict[str, Any]:
        return {"body": json.dumps(body or {}).encode()}

    async def send(message: dict[str, Any]) -> None:
        sent.append(message)

    scope = {"method": method, "path": path, "headers": [(b"authorization", f"Bearer {token}".encode())]}
    await Control(units, "t")(scope, receive, send)
    return sent[0]["status"], json.loads(sent[1]["body"])


async def test_the_control_api(units: dict[str, Unit], module: OsdpUnit) -> None:
    everyone = list(units.values())
    assert (await control(everyone, "GET", "/units", token="guess"))[0] == 401
    status, told = await control(everyone, "GET", "/units")
    assert (status, set(told["kinds"])) == (200, set(FAULTS))
    path = f"/units/{module.serial}/fault"
    assert (await control(everyone, "POST", path, {"kind": "melt"}))[0] == 404
    assert (await control(everyone, "POST", "/units/nobody/fault", {"kind": "silence"}))[0] == 404
    status, told = await control(everyone, "POST", path, {"kind": "silence"})
    assert told["faults"] == {"silent": True}
    assert (await control(everyone, "POST", path, {"kind": "change", "path": "/relays/1/idle", "value": 9}))[0] == 422
    status, told = await control(everyone, "POST", path, {"kind": "clear"})
    assert told["faults"] == {}


@pytest.mark.parametrize("stored", [False, True])
async def test_a_change_behind_our_back(module: OsdpUnit, stored: bool) -> None:
    await FAULTS["change"](module, {"path": "/relays/1/idle", "value": 1, "stored": stored})
    assert get(module.running, "/relays/1/idle") == 1
    assert get(module.startup, "/relays/1/idle") == (1 if stored else 0)


async def test_a_power_cut_and_a_slow_boot(module: OsdpUnit) -> None:
    module.set_point("relay-1", "on")
    await FAULTS["slow-boot"](module, {"seconds": 0.2})
    await module.power_cut()
    assert answer(module, Cmd.POLL) is None
    assert module.memory.value("/relays/1/state") == "off"
    await asyncio.sleep(0.3)
    assert answer(module, Cmd.POLL) is not None


async def test_points_that_do_not_exist(module: OsdpUnit) -> None:
    with pytest.raises(Wrong, match="no point"):
        await FAULTS["point"](module, {"point": "relay-7", "state": "on"})


async def test_announced_and_browsed_by_mdns(units: dict[str, Unit], library: Library) -> None:
    box = units["Ticket hall box"]
    assert isinstance(box, DescribedUnit)
    box.address = "127.27.10.11"
    announcer = Announcer()
    await announcer.announce(box, True)
    line = Line("net", "Net", "ip", network="127.27.10.0/24", source="127.27.10.1")
    try:
        found = await sweep([line], [], library, Owners(), SystemClock(), methods=[MdnsBrowse()])
        assert [(f.address, f.identity.serial, f.methods) for f in found.findings] == [
            ("127.27.10.11", "HV-40117", ["mdns"])
        ]
        other = Line("net", "Net", "ip", network="127.99.0.0/24", source="127.99.0.1")
        elsewhere = await sweep([other], [], library, Owners(), SystemClock(), methods=[MdnsBrowse()])
        assert elsewhere.findings == [], "an announcement belongs to the line that its address is on"
    finally:
        await announcer.close()
