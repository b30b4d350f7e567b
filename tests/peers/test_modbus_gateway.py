"""Units behind Modbus/TCP gateways, served by pymodbus: told apart from gateways and devices that answer for all."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import pytest
from pymodbus import ModbusDeviceIdentification
from pymodbus.datastore import ModbusDeviceContext, ModbusSequentialDataBlock, ModbusServerContext
from pymodbus.server import ModbusTcpServer

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.protocols import modbus
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.modbus_tcp import ModbusTcp
from netloom_core.sweep.sweep import SweepResult, sweep

GATE = "127.33.5.10"
NET = Line("net", "Net", "ip", network="127.33.5.0/28", source="127.33.5.1")


@asynccontextmanager
async def served(units: tuple[int, ...]) -> AsyncIterator[None]:
    """pymodbus with these units; none of them is one device that answers for every number."""

    def blocks() -> ModbusDeviceContext:
        return ModbusDeviceContext(hr=ModbusSequentialDataBlock(1, [0x4142] * 20))

    devices = {unit: blocks() for unit in units} if units else blocks()
    context = ModbusServerContext(devices=devices, single=not units)
    identity = ModbusDeviceIdentification(
        info_name={"VendorName": "Farrow", "ProductCode": "F1", "MajorMinorRevision": "1.2"}
    )
    server = ModbusTcpServer(context, identity=identity, address=(GATE, modbus.PORT))
    task = asyncio.create_task(server.serve_forever())
    await asyncio.sleep(0.2)
    try:
        yield
    finally:
        await server.shutdown()
        task.cancel()


async def look(library: Library) -> SweepResult:
    methods = (ConnectScan(), ModbusTcp())
    return await sweep([NET], [], library, Owners(), SystemClock(), methods=methods)


async def test_the_units_behind_a_gateway_are_found(library: Library) -> None:
    async with served((3, 17, 40)):
        result = await look(library)
    found = {f.address: f.facts for f in result.findings}
    assert sorted(found) == [GATE, f"{GATE}#17", f"{GATE}#3", f"{GATE}#40"]
    assert found[GATE]["units"] == "3 17 40"
    assert found[f"{GATE}#17"]["maker"] == "Farrow"


async def test_one_that_answers_for_every_number_is_one(library: Library) -> None:
    async with served(()):
        [finding] = (await look(library)).findings
    assert (finding.address, finding.facts["maker"]) == (GATE, "Farrow")


@pytest.mark.parametrize("absent", ["exception", "silence"])
async def test_a_gateway_answers_for_those_who_are_not_there(library: Library, absent: str) -> None:
    """Slowly, with "target failed to respond", or not at all."""

    async def gateway(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while head := await reader.read(7):
            pdu = await reader.readexactly(int.from_bytes(head[4:6], "big") - 1)
            if head[6] == 9:
                body = bytes((modbus.ENCAPSULATED, modbus.READ_DEVICE_ID, 1, 1, 0, 0, 1, 0, 6)) + b"Grayle"
            elif absent == "silence":
                continue
            else:
                await asyncio.sleep(0.005)
                body = bytes((pdu[0] | 0x80, 11))
            writer.write(head[:4] + (len(body) + 1).to_bytes(2, "big") + head[6:7] + body)

    server = await asyncio.start_server(gateway, GATE, modbus.PORT)
    async with server:
        result = await look(library)
    found = {f.address: f.facts for f in result.findings}
    assert sorted(found) == [GATE, f"{GATE}#9"]
    assert found[f"{GATE}#9"]["maker"] == "Grayle"
