"""Drivers on real sockets and pseudo-terminals: the examiner, and what goes wrong on a wire."""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import pty
import time
from collections.abc import AsyncIterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
import pytest_asyncio

from netloom_core.bus.owner import Owners
from netloom_core.bus.timing import line_time
from netloom_core.bus.turns import Priority
from netloom_core.clock import SystemClock
from netloom_core.documents.tree import get
from netloom_core.drivers.registry import Drivers
from netloom_core.errors import (
    LinkError,
    NoAnswer,
    PortBusy,
    PortMissing,
    PromisedElsewhere,
    ProtocolError,
    Refused,
    WrongCredentials,
    WrongDevice,
)
from netloom_core.identity.keys import serial_key
from netloom_core.library.load import Library
from netloom_core.links.serial import SerialLink, check_port
from netloom_core.links.tcp import probe_port
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import Line
from netloom_core.protocols.osdp import flows
from netloom_core.protocols.osdp.session import Session
from netloom_core.testing.check_driver import check_abilities, check_cancelling, check_trust
from netloom_standins.described.documents import Documents
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.osdp_line import OsdpLine, OsdpUnit
from netloom_standins.site import build_units, load_site
from tests.conftest import ROOT

NETWORK = "127.24.10.0/24"


class Site:
    def __init__(self, folder: Path, library: Library) -> None:
        site = load_site(ROOT / "tests/sites/first_round.yaml", NETWORK)
        self.units, self.ports = build_units(site, library, folder)
        self.boxes = {unit.name: unit for unit in self.units if isinstance(unit, DescribedUnit) and unit.address}
        self.modules = {unit.name: unit for unit in self.units if isinstance(unit, OsdpUnit)}
        self.bus: OsdpLine = self.ports[0]
        self.net = Line("net", "Net", "ip", network=NETWORK, source="127.24.10.1")
        self.serial = Line("bus", "Bus", "serial", path=str(self.bus.link), speed=9600, protocol="osdp")
        self.owners = Owners()
        self.drivers = Drivers(library, self.owners)
        self.sessions = Sessions(self.drivers, library.maker, SystemClock())

    async def talk(self, target: Target) -> Talk:
        return await self.sessions.talk(target, "test", Priority.RUN)

    def box_target(self, password: str = "hallvane") -> Target:
        return Target("box", "Ticket hall box", "hallvane-rx8", self.net, "127.24.10.11", keys=("hallvane|hv-40117",),
                      credentials=(Credentials("admin", password),))  # fmt: skip

    def unit_target(self, name: str) -> Target:
        unit = self.modules[name]
        key = serial_key(unit.profile.maker, unit.serial)
        return Target(name, name, unit.profile.id, self.serial, str(unit.bus_address), unit.speed, keys=(key,))


@pytest_asyncio.fixture
async def site(tmp_path: Path, library: Library) -> AsyncIterator[Site]:
    made = Site(tmp_path, library)
    for port in made.ports:
        port.start()
    for box in made.boxes.values():
        await box.start()
    yield made
    made.owners.close()
    for box in made.boxes.values():
        await box.stop()
    for port in made.ports:
        port.stop()


async def test_the_box_passes_the_examiner(site: Site) -> None:
    talk = await site.talk(site.box_target())
    await check_abilities(talk, "/relays/5/idle", ("open", "closed"), "relay-5")
    await check_trust(await site.drivers.open(site.box_target()), "/name", "x")
    assert await check_cancelling(talk) > 3


async def test_the_module_passes_the_examiner(site: Site) -> None:
    target = site.unit_target("Gate B module")
    talk = await site.talk(target)
    await check_abilities(talk, "/relays/2/pulse_ms", (1000, 2000), "relay-2")
    await check_trust(await site.drivers.open(target), "/relays/2/pulse_ms", 1000)
    assert await check_cancelling(talk, most=12) > 3


async def test_wrong_credentials_say_what_to_do(site: Site) -> None:
    talk = await site.talk(site.box_target("wrong"))
    with pytest.raises(WrongCredentials) as caught:
        await talk.read("running")
    assert "wrong" not in str(caught.value.as_dict()["message"])
    assert "nothing was changed" in caught.value.hint
    assert (await talk.identify()).serial == "HV-40117", "who it is, it tells everybody"


async def test_a_stranger_at_the_address_hears_no_password(site: Site) -> None:
    box = site.boxes["Ticket hall box"]
    talk = await site.talk(site.box_target())
    await talk.read("running")
    box.serial = "HV-STRANGER"
    await box.stop()
    await box.start()
    with pytest.raises(WrongDevice, match="HV-STRANGER"):
        await talk.read("running")
    assert not next(one for one in box.services if isinstance(one, Documents)).tokens, "nobody signed in to it"


async def test_a_device_that_hangs_up_after_each_answer_is_still_proven(site: Site) -> None:
    """As HTTP/1.0 servers do: the proof counts for the question that follows at once."""
    async with one_answer_each(
        "127.24.10.77",
        8480,
        {
            "/identity": {"maker": "Hallvane", "model": "RX8", "serial": "HV-77"},
            "/session": {"token": "t"},
            "/settings/running": {"name": "closing"},
        },
    ) as heard:
        target = replace(site.box_target(), address="127.24.10.77", keys=("hallvane|hv-77",))
        assert (await (await site.talk(target)).read("running"))["name"] == "closing"
    assert heard == ["/identity", "/session", "/settings/running"]


async def test_a_token_with_a_line_break_is_that_devices_trouble(site: Site) -> None:
    answers = {"/identity": {"maker": "Hallvane", "model": "RX8", "serial": "HV-77"}, "/session": {"token": "a\r\nb"}}
    async with one_answer_each("127.24.10.78", 8480, answers):
        target = replace(site.box_target(), address="127.24.10.78", keys=("hallvane|hv-77",))
        with pytest.raises(ProtocolError, match="without a token"):
            await (await site.talk(target)).read("running")


async def test_an_answer_nested_without_end_is_that_devices_trouble(site: Site) -> None:
    deep: Any = "x"
    for _ in range(300):
        deep = {"a": deep}
    async with one_answer_each("127.24.10.79", 8480, {"/identity": deep}):
        target = replace(site.box_target(), address="127.24.10.79")
        with pytest.raises(ProtocolError):
            await (await site.talk(target)).read("running")


async def test_a_power_cut_takes_what_was_not_stored(site: Site) -> None:
    box = site.boxes["Ticket hall box"]
    talk = await site.talk(site.box_target())
    await talk.write([Change("/relays/5/idle", "open", "closed")])
    await box.power_cut()
    with pytest.raises(NoAnswer):
        await talk.read("running")
    await box.start()
    assert get(await talk.read("running"), "/relays/5/idle") == "open"


async def test_a_cable_pulled_in_the_middle_leaves_half(site: Site) -> None:
    box = site.boxes["Ticket hall box"]
    box.faults.pull_on_write = 0.3
    talk = await site.talk(site.box_target())
    changes = [Change(f"/inputs/{n}/rest", "open", "closed") for n in (3, 4, 5, 6)]
    with pytest.raises(NoAnswer):
        await talk.write(changes)
    assert [get(box.running, c.path) for c in changes] == ["closed", "closed", "open", "open"]


async def test_live_states_stream(site: Site) -> None:
    box = site.boxes["Ticket hall box"]
    session = await site.sessions.of(site.box_target())
    async with contextlib.aclosing(session.watch("test")) as stream:
        assert (await anext(stream))["input-1"] == "rest"
        box.set_point("input-1", "active")
        assert await anext(stream) == {"input-1": "active"}
    assert session.known.states["input-1"] == "active"


async def test_live_states_are_polled_where_nobody_tells_them(site: Site) -> None:
    unit = site.modules["Gate B module"]
    session = await site.sessions.of(site.unit_target("Gate B module"))
    async with contextlib.aclosing(session.watch("test")) as stream:
        assert (await anext(stream))["relay-1"] == "off"
        unit.set_point("relay-1", "on")
        assert await anext(stream) == {"relay-1": "on"}


async def test_refused_writes(site: Site) -> None:
    site.boxes["Ticket hall box"].faults.refuse_writes = True
    talk = await site.talk(site.box_target())
    with pytest.raises(Refused, match="409"):
        await talk.write([Change("/name", "", "x")])


@contextlib.asynccontextmanager
async def one_answer_each(address: str, port: int, answers: dict[str, Any]) -> AsyncIterator[list[str]]:
    """An HTTP/1.0 server: one answer on each connection. Gives the paths that were asked for."""
    heard: list[str] = []

    async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        head = await reader.readuntil(b"\r\n\r\n")
        path = head.split()[1].decode()
        heard.append(path)
        assert f"host: {address}:{port}".encode() in head.lower(), "RFC 9110 clause 7.2"
        body = json.dumps(answers.get(path, {})).encode()
        writer.write(b"HTTP/1.0 200 OK\r\ncontent-type: application/json\r\n\r\n" + body)
        await writer.drain()
        writer.close()

    server = await asyncio.start_server(serve, address, port)
    async with server:
        yield heard


# The bus


async def ask(site: Site, address: int, speed: int, timeout: float = 0.3) -> object:
    """As patient as the standard's control panel, so that a busy computer is no silent unit."""
    talk = Session(address, retries=3)
    return await site.owners.serial(site.serial).converse(
        address, speed, flows.identify(), session=talk, timeout=timeout
    )


async def test_a_unit_at_another_speed_hears_nothing(site: Site) -> None:
    with pytest.raises(NoAnswer):
        await ask(site, 3, 9600)
    assert (await ask(site, 3, 38400)).serial == 0x00B70E31  # type: ignore[attr-defined]


async def test_two_units_on_one_address_garble_each_other(site: Site) -> None:
    site.modules["Gate B reader"].move(1, 9600)
    with pytest.raises(ProtocolError, match="make no sense"):
        await ask(site, 1, 9600)


async def test_a_byte_takes_its_time(site: Site) -> None:
    """A command of 9 and a reply of 20 bytes at 9600 baud cannot be faster than their line time."""
    begun = time.perf_counter()
    await ask(site, 1, 9600)
    assert time.perf_counter() - begun >= line_time(9 + 20, 9600)


async def test_checksum_units_are_understood(site: Site) -> None:
    talk = Session(1, crc=False, retries=1)
    found = await site.owners.serial(site.serial).converse(1, 9600, flows.identify(), session=talk)
    assert found.firmware == "1.8.3"


async def test_a_repeated_command_is_carried_out_once(site: Site) -> None:
    """The unit repeats its reply for a repeated sequence number."""
    unit = site.modules["Fresh module"]
    from netloom_core.protocols.osdp.frames import Frame

    command = Frame(0, 0x6E, bytes.fromhex("0780250000"), 0)
    unit.answer(Frame(0, 0x60, b"", 0))
    second = Frame(0, command.code, command.data, 1)
    first_reply = unit.answer(second)
    assert unit.bus_address == 7
    assert unit.answer(second) == first_reply


async def test_comset_moves_the_unit(site: Site) -> None:
    talk = await site.talk(site.unit_target("Fresh module"))
    await talk.readdress([Change("/bus/address", 0, 9), Change("/bus/speed", 9600, 19200)])
    assert (await ask(site, 9, 19200)).serial == 0x00B70E58  # type: ignore[attr-defined]
    with pytest.raises(NoAnswer):
        await ask(site, 0, 9600)


async def test_a_speed_that_a_unit_cannot_do_is_refused(site: Site) -> None:
    site.modules["Fresh module"].faults.refuse_writes = True
    talk = await site.talk(site.unit_target("Fresh module"))
    with pytest.raises(PromisedElsewhere, match="address 0 at 9600"):
        await talk.readdress([Change("/bus/address", 0, 9)])


# Ports


async def test_ports_that_are_missing_busy_or_no_ports(tmp_path: Path) -> None:
    with pytest.raises(PortMissing, match="does not exist"):
        check_port(str(tmp_path / "nothing"), 9600)
    (tmp_path / "file").write_text("x")
    with pytest.raises(LinkError):
        check_port(str(tmp_path / "file"), 9600)
    master, slave = pty.openpty()
    held = SerialLink.open(os.ttyname(slave), 9600)
    with pytest.raises(PortBusy, match="Another program"):
        check_port(os.ttyname(slave), 9600)
    os.close(slave)
    os.close(master)
    with pytest.raises(PortMissing, match="gone away"):
        await held.read(1)
    held.close()


async def test_a_port_that_comes_back_is_opened_again(site: Site) -> None:
    """The adapter is pulled and plugged in as another port behind the same name."""
    assert await ask(site, 1, 9600)
    old = site.bus
    old.stop()
    with pytest.raises((PortMissing, NoAnswer)):
        await ask(site, 1, 9600)
    again = OsdpLine(old.link, old.units)
    again.start()
    site.ports[:] = [again]
    assert await ask(site, 1, 9600)


async def test_probing_tells_open_from_refused(site: Site) -> None:
    assert await probe_port("127.24.10.1", "127.24.10.11", 8480, 1) == "open"
    assert await probe_port("127.24.10.1", "127.24.10.99", 8480, 1) == "refused"
