"""Drivers against servers that others wrote: snmpd by v2c and v3 with writing, pymodbus, asyncssh, a small Telnet."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

import asyncssh
import pytest
from pymodbus.datastore import ModbusSequentialDataBlock, ModbusServerContext
from pymodbus.server import ModbusTcpServer

from netloom_core.documents.tree import get
from netloom_core.errors import NetloomError, WrongCredentials, WrongDevice
from netloom_core.links.udp import UdpLink
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials
from netloom_core.model.snmp import SnmpAccess, SnmpUser
from netloom_core.protocols import snmp
from tests.core.drivers.made import driver, line, profile
from tests.peers.conftest import Start

NETWORK = "127.33.7"
LINE = line(NETWORK)
AGENT = f"{NETWORK}.10"


# SNMP

SYSTEM = profile(
    {"protocol": "snmp", "identity": {"host": "1.3.6.1.2.1.1.5.0"}, "constant": {"serial": "S-1"}},
    [
        {"path": "/name", "label": "Name", "type": "text", "kept": "always",
         "bind": {"way": {"oid": "1.3.6.1.2.1.1.5.0", "syntax": "text"}}},
        {"path": "/place", "label": "Place", "type": "text", "kept": "always",
         "bind": {"way": {"oid": "1.3.6.1.2.1.1.6.0", "syntax": "text"}}},
        {"path": "/up", "label": "Up", "type": {"is": "integer"}, "use": ["live"],
         "bind": {"way": {"oid": "1.3.6.1.2.1.1.3.0", "syntax": "ticks", "read_only": True}}},
    ],
)  # fmt: skip
USERS = [
    SnmpUser("strong", "SHA-512", "a long enough key", "AES-256", "another long key"),
    SnmpUser("plain", "SHA", "a long enough key", "AES", "another long key"),
]


async def agent(start: Start, folder: Path) -> None:
    conf = folder / "snmpd.conf"
    users = "".join(
        f'createUser {u.name} {u.auth} "{u.auth_key}" {u.priv} "{u.priv_key}"\nrwuser {u.name} priv\n' for u in USERS
    )
    conf.write_text(f"rocommunity quay\nrwcommunity crane\n{users}agentAddress udp:{AGENT}:161\n")
    start("snmpd", "-f", "-Lf", str(folder / "log"), "-C", "-c", str(conf), f"--persistentDir={folder}")
    for _ in range(100):
        with UdpLink(LINE.source) as link:
            await link.send(snmp.get(snmp.SYSTEM, "quay", 1), AGENT, snmp.PORT)
            async for _ in link.answers(0.2):
                return
    raise AssertionError("snmpd does not answer")


@pytest.mark.parametrize("way", ["crane", "strong", "plain"])
async def test_snmpd_is_read_and_written(start: Start, tmp_path: Path, way: str) -> None:
    await agent(start, tmp_path)
    users = tuple(user for user in USERS if user.name == way)
    access = SnmpAccess(("crane",) if way == "crane" else (), users)
    async with driver(SYSTEM, AGENT, snmp=access) as here:
        await here.write([Change("/name", "x", "rack-9"), Change("/place", "", "Plant room")])
        assert await here.read("running") == {"name": "rack-9", "place": "Plant room"}
        assert int((await here.states())["up"]) >= 0


async def test_a_community_that_only_reads_is_told_as_that(start: Start, tmp_path: Path) -> None:
    await agent(start, tmp_path)
    async with driver(SYSTEM, AGENT, snmp=SnmpAccess(("quay",))) as here:
        with pytest.raises(WrongCredentials):
            await here.write([Change("/name", "x", "rack-9")])
        assert get(await here.read("running"), "/name") != "rack-9"


async def test_who_reads_is_tried_first_and_who_may_write_writes(start: Start, tmp_path: Path) -> None:
    await agent(start, tmp_path)
    async with driver(SYSTEM, AGENT, snmp=SnmpAccess(("quay", "crane"))) as here:
        await here.write([Change("/name", "x", "rack-9")])
        await here.write([Change("/place", "", "Plant room")])
        assert await here.read("running") == {"name": "rack-9", "place": "Plant room"}


# Modbus

DOORS = profile(
    {"protocol": "modbus", "over": ["tcp"], "names_itself": False, "unit": 1,
     "identity": {"serial": {"register": 100, "length": 2}}},
    [
        {"path": "/level", "label": "Level", "type": {"is": "decimal", "minimum": -50, "maximum": 50, "step": 0.1},
         "kept": "always", "bind": {"way": {"register": 10, "kind": "s16", "factor": 10}}},
        {"path": "/rate", "label": "Rate", "type": {"is": "decimal", "maximum": 1000, "step": 0.25}, "kept": "always",
         "bind": {"way": {"register": 11, "kind": "f32"}}},
        {"path": "/count", "label": "Count", "type": {"is": "integer"}, "kept": "always",
         "bind": {"way": {"register": 13, "kind": "u32", "low_first": True}}},
        {"path": "/flag", "label": "Flag", "type": "boolean", "kept": "always",
         "bind": {"way": {"register": 15, "kind": "bit", "bit": 9}}},
        {"path": "/out", "label": "Out", "type": "boolean", "use": ["live", "driven"], "point": "out",
         "bind": {"way": {"table": "coil", "register": 3}}},
    ],
)  # fmt: skip


@asynccontextmanager
async def registers(host: str) -> AsyncIterator[None]:
    from pymodbus.datastore import ModbusDeviceContext

    held = [0] * 200
    held[100:102] = [0x5331, 0x3233]
    unit = ModbusDeviceContext(co=ModbusSequentialDataBlock(1, [False] * 40), hr=ModbusSequentialDataBlock(1, held))
    server = ModbusTcpServer(ModbusServerContext(devices=unit, single=True), address=(host, 502))
    task = asyncio.ensure_future(server.serve_forever())
    await asyncio.sleep(0.2)
    try:
        yield
    finally:
        await server.shutdown()
        task.cancel()


async def test_pymodbus_is_read_written_and_driven() -> None:
    host = f"{NETWORK}.20"
    async with registers(host), driver(DOORS, host) as here:
        wanted = {"level": -12.5, "rate": 333.25, "count": 70_000, "flag": True}
        await here.write([Change(f"/{name}", None, value) for name, value in wanted.items()])
        assert await here.read("running") == wanted
        await here.drive("out", "on")
        assert await here.states() == {"out": "on"}


# A shell over SSH

SHELL = {
    "protocol": "dialogue", "over": "ssh", "prompt": "box> $", "line_end": "\n",
    "identify": [{"send": "who", "answer": "number (?P<serial>\\S+)"}],
    "errors": [{"pattern": "^no such", "means": "unknown"}],
}  # fmt: skip
BOX = profile(
    SHELL,
    [{"path": "/gain", "label": "Gain", "type": {"is": "integer", "maximum": 99}, "kept": "always",
      "bind": {"way": {"ask": "gain", "answer": "gain (?P<value>\\d+)", "set": "gain {value}"}}}],
)  # fmt: skip


@asynccontextmanager
async def shell(host: str) -> AsyncIterator[asyncssh.SSHKey]:
    held = {"gain": 7}
    key = asyncssh.generate_private_key("ssh-ed25519")

    class Door(asyncssh.SSHServer):
        def password_auth_supported(self) -> bool:
            return True

        def validate_password(self, username: str, password: str) -> bool:
            return (username, password) == ("tech", "right")

    async def talk(process: asyncssh.SSHServerProcess[str]) -> None:
        process.stdout.write("Welcome\nbox> ")
        async for said in process.stdin:
            words = said.split()
            if words[:1] == ["who"]:
                process.stdout.write("number B-77\n")
            elif words[:1] == ["gain"]:
                if len(words) > 1:
                    held["gain"] = int(words[1])
                process.stdout.write(f"gain {held['gain']}\n")
            else:
                process.stdout.write("no such command\n")
            process.stdout.write("box> ")

    server = await asyncssh.listen(host, 22, server_factory=Door, server_host_keys=[key], process_factory=talk)
    try:
        yield key
    finally:
        server.close()
        await server.wait_closed()


async def test_a_shell_over_ssh_is_read_and_written_and_its_key_is_held_to() -> None:
    host = f"{NETWORK}.30"
    login = (Credentials("tech", "wrong"), Credentials("tech", "right"))
    async with shell(host) as key:
        async with driver(BOX, host, credentials=login, pins={"ssh": key.get_fingerprint()}) as here:
            await here.write([Change("/gain", 7, 42)])
            assert await here.read("running") == {"gain": 42}
            assert not await here.sign_in_as(Credentials("tech", "wrong"))
            assert await here.sign_in_as(Credentials("tech", "right"))
        with pytest.raises(WrongDevice):
            async with driver(BOX, host, credentials=login, pins={"ssh": "SHA256:another"}):
                pass
        with pytest.raises(NetloomError):
            async with driver(BOX, host, credentials=login[:1]):
                pass
