"""Services that speak on a TCP connection: PJLink, Telnet, Modbus/TCP, web page, ONVIF, device server."""

from __future__ import annotations

import asyncio
import base64
import os
import termios
from typing import Any

from netloom_core.errors import ProtocolError
from netloom_core.protocols import modbus, onvif, pjlink, telnet
from netloom_core.protocols.xml import parse, text_of
from netloom_standins.services.base import TcpService
from netloom_standins.services.discovery import description

READ = 4096


class PjlinkDisplay(TcpService):
    """Class 2 with maker, model, name, serial number, version. `options`: password, class."""

    port = pjlink.PORT

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        password = str(self.options.get("password", ""))
        random = os.urandom(4).hex()
        writer.write(f"PJLINK 1 {random}\r".encode() if password else b"PJLINK 0\r")
        unit = self.unit
        answers = {
            "%1INF1": unit.profile.maker,
            "%1INF2": unit.reported_model,
            "%1NAME": unit.host,
            "%2SNUM": unit.serial,
            "%2SVER": unit.firmware,
            "%1POWR": "1",
            "%1CLSS": str(self.options.get("class", 2)),
        }
        while line := await reader.readuntil(b"\r"):
            if password:
                digest = pjlink.answer_to(random, password)
                if not line.startswith(digest):
                    writer.write(b"PJLINK ERRA\r")
                    return
                line, password = line[len(digest) :], ""
            command = line[:6].decode("latin-1").upper()
            known = command in answers and not (command.startswith("%2") and self.options.get("class") == 1)
            writer.write(f"{command}={answers[command] if known else 'ERR1'}\r".encode())
            await writer.drain()


class TelnetShell(TcpService):
    """A login and a small shell. `options`: banner, user, password, prompt, answers (command: words)."""

    port = 23

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        talk = telnet.Telnet(accept=frozenset({telnet.ECHO, telnet.SUPPRESS_GO_AHEAD}))
        writer.write(bytes((telnet.IAC, telnet.WILL, telnet.ECHO)))
        writer.write(str(self.options.get("banner", self.unit.label)).encode() + b"\r\n")
        user = self.options.get("user")
        if user is not None:
            name = await self._line(reader, writer, talk, "login: ")
            word = await self._line(reader, writer, talk, "Password: ", hidden=True)
            if (name, word) != (user, self.options.get("password", "")):
                writer.write(b"Login incorrect\r\n")
                return
        prompt = str(self.options.get("prompt", "> "))
        while (command := await self._line(reader, writer, talk, prompt)) not in ("exit", "quit"):
            words = self.options.get("answers", {}).get(command)
            answer = words if words is not None else ("" if not command else f"unknown command: {command}")
            writer.write(answer.replace("\n", "\r\n").encode() + (b"\r\n" if answer else b""))

    async def _line(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, talk: telnet.Telnet, prompt: str, *,
        hidden: bool = False,
    ) -> str:  # fmt: skip
        writer.write(prompt.encode())
        await writer.drain()
        line = bytearray()
        while True:
            data = await reader.read(READ)
            if not data:
                raise ConnectionResetError
            for byte in talk.receive(data):
                if byte == 13:
                    writer.write(b"\r\n")
                    return line.decode("utf-8", "replace")
                if byte not in (0, 10):
                    line.append(byte)
                    if not hidden:
                        writer.write(bytes((byte,)))
            await writer.drain()


class ModbusServer(TcpService):
    """Read Device Identification and the serial number's registers."""

    port = modbus.PORT

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while head := await reader.readexactly(7):
            pdu = await reader.readexactly(int.from_bytes(head[4:6], "big") - 1)
            answer = modbus_answer(self.unit, pdu)
            writer.write(head[:4] + (len(answer) + 1).to_bytes(2, "big") + head[6:7] + answer)
            await writer.drain()


def modbus_answer(unit: Any, pdu: bytes) -> bytes:
    """The reply PDU of a unit with an identity; for RTU and TCP."""
    told = next(
        (way.identity["serial"] for way in unit.profile.of_protocol("modbus") if "serial" in way.identity), None
    )
    if pdu[:2] == bytes((modbus.ENCAPSULATED, modbus.READ_DEVICE_ID)):
        values = {0: unit.profile.maker, 1: unit.profile.model, 2: unit.firmware, 5: unit.profile.model}
        body = bytes((modbus.READ_DEVICE_ID, 2, 0x82, 0, 0, len(values)))
        for number, value in values.items():
            body += bytes((number, len(value))) + value.encode("latin-1")
        return bytes((modbus.ENCAPSULATED,)) + body
    if pdu[:1] == bytes((modbus.READ_HOLDING,)) and len(pdu) == 5:
        start, count = int.from_bytes(pdu[1:3], "big"), int.from_bytes(pdu[3:5], "big")
        if told and start == told.register_ and count == told.length:
            text = unit.serial.encode("latin-1").ljust(count * 2, b"\x00")[: count * 2]
            return bytes((modbus.READ_HOLDING, len(text))) + text
        return bytes((modbus.READ_HOLDING | 0x80, 2))
    return bytes((pdu[0] | 0x80 if pdu else 0x80, 1))


class WebPage(TcpService):
    """A page with a title, the UPnP description, and ONVIF's GetDeviceInformation. `options`: title, user, password."""

    port = 80

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1")
        length = next((int(h.split(":")[1]) for h in head.splitlines() if h.lower().startswith("content-length")), 0)
        body = await reader.readexactly(min(length, 100_000))
        unit, path = self.unit, head.split(" ")[1]
        title = str(self.options.get("title", unit.host))
        if path == "/description.xml":
            maker, model = self.options.get("maker", unit.profile.maker), self.options.get("model", unit.reported_model)
            status, answer = 200, description(title, maker, model, self.options.get("serial", unit.serial), unit.uuid)
        elif path.startswith("/onvif/") and self.options.get("onvif"):
            status, answer = self._onvif(body)
        else:
            status, answer = 200, f"<html><head><title>{title}</title></head></html>".encode()
        writer.write(
            f"HTTP/1.1 {status} X\r\nContent-Length: {len(answer)}\r\nConnection: close\r\n\r\n".encode() + answer
        )
        await writer.drain()

    def _onvif(self, body: bytes) -> tuple[int, bytes]:
        try:
            root = parse(body)
        except ProtocolError:
            return 400, b""
        user, password = self.unit.profile.factory.user, self.unit.profile.factory.password
        nonce, created = text_of(root, "Nonce"), text_of(root, "Created")
        digest = onvif.password_digest(base64.b64decode(nonce or ""), created, password)
        if text_of(root, "Username") != user or text_of(root, "Password") != digest:
            return 400, (
                b'<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"><s:Body><s:Fault><s:Code><s:Value>'
                b"s:Sender</s:Value><s:Subcode><s:Value>ter:NotAuthorized</s:Value></s:Subcode></s:Code></s:Fault>"
                b"</s:Body></s:Envelope>"
            )
        unit = self.unit
        fields = {"Manufacturer": unit.profile.maker, "Model": unit.reported_model, "FirmwareVersion": unit.firmware,
                  "SerialNumber": unit.serial, "HardwareId": "1"}  # fmt: skip
        inner = "".join(f"<d:{name}>{value}</d:{name}>" for name, value in fields.items())
        return 200, (
            '<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"><s:Body><d:GetDeviceInformationResponse '
            f'xmlns:d="{onvif.DEVICE}">{inner}</d:GetDeviceInformationResponse></s:Body></s:Envelope>'
        ).encode()


class DeviceServer(TcpService):
    """A serial port over RFC 2217, on a pseudo-terminal of the site. `options`: port, path."""

    port = 4001

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        talk = telnet.Telnet(accept=frozenset({telnet.BINARY, telnet.SUPPRESS_GO_AHEAD, telnet.COM_PORT}))
        path = self.options.get("path")
        port = os.open(path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK) if path else -1
        loop = asyncio.get_running_loop()
        if port >= 0:
            loop.add_reader(port, lambda: writer.write(telnet.escape(os.read(port, READ))))
        try:
            while data := await reader.read(READ):
                plain = talk.receive(data)
                for option, body in talk.subs:
                    if option == telnet.COM_PORT and body:
                        self._set(port, body)
                        talk.subnegotiate(telnet.COM_PORT, bytes((body[0] + telnet.SERVER,)) + body[1:])
                talk.subs.clear()
                writer.write(talk.taken())
                if plain and port >= 0:
                    os.write(port, plain)
                await writer.drain()
        finally:
            if port >= 0:
                loop.remove_reader(port)
                os.close(port)

    def _set(self, port: int, body: bytes) -> None:
        if port < 0 or body[0] != telnet.SET_BAUDRATE:
            return
        speed = getattr(termios, f"B{int.from_bytes(body[1:5], 'big')}", None)
        if speed is not None:
            now = termios.tcgetattr(port)
            now[4] = now[5] = speed
            termios.tcsetattr(port, termios.TCSANOW, now)
