"""RFC 2217 against Debian's ser2net in front of a pseudo-terminal with OSDP readers."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import AsyncIterator
from pathlib import Path

import pytest
import pytest_asyncio

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.errors import LinkError, PortMissing
from netloom_core.library.load import Library
from netloom_core.links.ports import open_port
from netloom_core.links.rfc2217 import Rfc2217Link
from netloom_core.model.line import Line
from netloom_core.sweep.methods import osdp_scan
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.sweep.methods.rfc2217 import Rfc2217Servers
from netloom_core.sweep.sweep import sweep
from netloom_standins.osdp_line import OsdpLine
from netloom_standins.site import build_units, load_site
from tests.conftest import ROOT
from tests.peers.conftest import Start, wait_for

SERVER, SOURCE, PORT = "127.33.2.10", "127.33.2.1", 4001
URL = f"rfc2217://{SERVER}:{PORT}"
NET = Line("net", "Net", "ip", network="127.33.2.0/28", source=SOURCE)


@pytest_asyncio.fixture
async def bus(start: Start, tmp_path: Path, library: Library) -> AsyncIterator[OsdpLine]:
    _, ports = build_units(load_site(ROOT / "tests/sites/first_round.yaml"), library, tmp_path)
    [line] = ports
    assert isinstance(line, OsdpLine)
    line.start()
    conf = tmp_path / "ser2net.yaml"
    conf.write_text(
        "connection: &gate\n"
        f"  accepter: telnet(rfc2217),tcp,{SERVER},{PORT}\n"
        f"  connector: serialdev,{line.link},9600n81,local\n"
        "  options:\n    kickolduser: true\n"
    )
    start("ser2net", "-d", "-c", str(conf))
    await asyncio.to_thread(wait_for, SERVER, PORT)
    yield line
    line.stop()


async def test_it_is_found_and_known_as_a_device_server(bus: OsdpLine, library: Library) -> None:
    result = await sweep([NET], [], library, Owners(), SystemClock(), methods=[ConnectScan(), Rfc2217Servers()])
    [finding] = result.findings
    assert finding.facts["device_server"] == URL


async def test_a_bus_behind_it_is_scanned_at_two_speeds(
    bus: OsdpLine, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(osdp_scan, "MAX_ADDRESS", 4)
    monkeypatch.setattr(osdp_scan, "SCAN_TIMEOUT_S", 0.15)  # the network and the server's own buffering
    line = Line("bus", "Bus", "serial", path=URL, speed=9600, protocol="osdp", source=SOURCE)
    owners = Owners()
    try:
        result = await sweep([line], [], library, owners, SystemClock(), methods=[OsdpScan((38400,))])
    finally:
        owners.close()
    assert result.troubles == []
    assert {(f.address, f.speed) for f in result.findings} == {("0", 9600), ("1", 9600), ("2", 9600), ("3", 38400)}


async def test_the_far_port_takes_the_speed(bus: OsdpLine) -> None:
    link = await open_port(URL, 19200, source=SOURCE)
    assert bus.speed() == 19200
    await link.set_line(57600, "N")
    assert bus.speed() == 57600
    await link.send_break(0.01)
    link.write(b"\xff\x00")
    assert await link.read(0.05) == b"", "nobody answers that"
    link.close()


async def test_when_the_server_goes_away_it_is_said(bus: OsdpLine, start: Start) -> None:
    with pytest.raises(PortMissing, match="refuses"):
        await Rfc2217Link.open(f"rfc2217://{SERVER}:4009", 9600, source=SOURCE)


async def test_plain_telnet_is_not_taken_for_a_port() -> None:
    async def shell(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while data := await reader.read(100):
            for at in range(0, len(data) - 2):
                if data[at : at + 2] == b"\xff\xfd":
                    writer.write(bytes((255, 252, data[at + 2])))  # WONT
                if data[at : at + 2] == b"\xff\xfb":
                    writer.write(bytes((255, 254, data[at + 2])))  # DONT

    sock = socket.create_server((SERVER, 4010))
    server = await asyncio.start_server(shell, sock=sock)
    async with server:
        with pytest.raises(LinkError, match="without the COM port option"):
            await Rfc2217Link.open(f"rfc2217://{SERVER}:4010", 9600, source=SOURCE)
