"""Faces on a network: what listens on the unit's own address, by the names that descriptions use.

Importing this is what makes units able to show them.
"""

from __future__ import annotations

import asyncio
from typing import Any

import asyncssh

from netloom_core.protocols import telnet
from netloom_standins.described.binary import BinaryForm, BinaryTalk
from netloom_standins.described.camera import Camera
from netloom_standins.described.display import Display
from netloom_standins.described.documents import Documents
from netloom_standins.described.fixture import Fixture
from netloom_standins.described.node import Node
from netloom_standins.described.objects import Agent
from netloom_standins.described.registers import RegisterForm, Registers
from netloom_standins.described.talk import Talk, TalkForm
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.described.web import Web
from netloom_standins.services.base import Service, TcpService
from netloom_standins.services.ssh import _host_key

READ = 4096


class TalkOnTcp(TcpService):
    """A dialogue on a bare connection."""

    options: dict[str, Any]

    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = TalkForm.model_validate(options)

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        talk = Talk(self.unit, self.form, writer.write, writer.close)  # type: ignore[arg-type]
        try:
            talk.began()
            while data := await reader.read(READ):
                talk.feed(self.plain(data, writer))
                await writer.drain()
        finally:
            talk.close()

    def plain(self, data: bytes, writer: asyncio.StreamWriter) -> bytes:
        return data


class BinaryOnTcp(TcpService):
    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = BinaryForm.model_validate(options)

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        talk = BinaryTalk(self.unit, self.form, writer.write)  # type: ignore[arg-type]
        while data := await reader.read(READ):
            talk.feed(data)
            await writer.drain()


class TalkOnTelnet(TalkOnTcp):
    port = 23

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._options = telnet.Telnet(accept=frozenset({telnet.ECHO, telnet.SUPPRESS_GO_AHEAD}))
        if self.form.echo:
            writer.write(bytes((telnet.IAC, telnet.WILL, telnet.ECHO)))
        await super().serve(reader, writer)

    def plain(self, data: bytes, writer: asyncio.StreamWriter) -> bytes:
        words = self._options.receive(data)
        writer.write(self._options.taken())
        return words


class TalkOnSsh(Service):
    """The shell of an SSH server; user and password are the server's own."""

    async def start(self) -> None:
        unit: Any = self.unit
        form = TalkForm.model_validate({**self.options, "user": "", "password": ""})
        user, password = self.options.get("user", ""), self.options.get("password", "")
        port = int(self.options.get("port", 22))

        class Door(asyncssh.SSHServer):
            def password_auth_supported(self) -> bool:
                return True

            def validate_password(self, username: str, given: str) -> bool:
                return (username, given) == (user, password)

        async def shell(process: asyncssh.SSHServerProcess[bytes]) -> None:
            talk = Talk(unit, form, process.stdout.write, lambda: process.exit(0))
            try:
                talk.began()
                while data := await process.stdin.read(READ):
                    talk.feed(data)
            except (asyncssh.BreakReceived, asyncssh.TerminalSizeChanged):
                pass
            finally:
                talk.close()
            process.exit(0)

        self._server = await asyncssh.listen(
            unit.address, port, server_factory=Door, server_host_keys=[_host_key(unit.serial)],
            server_version="standin_2.0", process_factory=shell, encoding=None, line_editor=False,
        )  # fmt: skip

    async def stop(self) -> None:
        self._server.close()
        await self._server.wait_closed()


class RegistersOnTcp(TcpService):
    """Modbus on TCP (Messaging on TCP/IP V1.0b): one unit, whatever number it is asked by."""

    port = 502

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        form = RegisterForm.model_validate(self.options)
        registers = Registers(self.unit, form)  # type: ignore[arg-type]
        while True:
            head = await reader.readexactly(7)
            pdu = await reader.readexactly(int.from_bytes(head[4:6], "big") - 1)
            if form.unit and head[6] not in (form.unit, 255, 0):
                answer = bytes((pdu[0] | 0x80, 11))
            else:
                answer = registers.answer(pdu)
            if not self.deaf:
                writer.write(head[:4] + (len(answer) + 1).to_bytes(2, "big") + head[6:7] + answer)
                await writer.drain()


DescribedUnit.faces.update(
    {
        "binary-tcp": BinaryOnTcp,
        "tcp": TalkOnTcp,
        "telnet": TalkOnTelnet,
        "ssh": TalkOnSsh,
        "modbus-tcp": RegistersOnTcp,
        "artnet": Node,
        "rdm": Fixture,
        "snmp": Agent,
        "pjlink": Display,
        "onvif": Camera,
        "web": Web,
        "documents": Documents,
    }
)
