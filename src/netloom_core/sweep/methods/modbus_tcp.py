"""Modbus/TCP: read device identification, and the serial number where a profile says it is."""

from __future__ import annotations

import socket

from netloom_core.errors import ProtocolError
from netloom_core.links.talk import Talk
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import ModbusReach
from netloom_core.protocols import modbus
from netloom_core.protocols.xml import clean
from netloom_core.sweep.base import Look, Method

ANSWER_S = 1.5
TALK_S = 4.0  # in all


class ModbusTcp(Method):
    name = "modbus-tcp"
    title = "Modbus/TCP identification"
    needs = "A connection of the connect scan on port 502."
    sends = "Read Device Identification, and a read of the registers with the serial number."

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset({modbus.PORT} | {p.reach.modbus.port for p in library if p.reach.modbus})

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        try:
            talk = Talk(sock, TALK_S)
            answer = await exchange(talk, 1, modbus.identify())
            if answer.exception:
                what = modbus.EXCEPTIONS.get(answer.exception, str(answer.exception))
                look.sight(address, self.name, ports=str(port), refused=f"identification: {what}")
                return
            facts = modbus.identification(answer)
            if reach := reach_of(look.library, facts):
                serial = await exchange(talk, 2, modbus.read_holding(reach.serial_register or 0, reach.serial_count))
                if not serial.exception:
                    facts["serial"] = serial_text(serial)
        except ProtocolError:
            return
        look.sight(address, self.name, ports=str(port), **facts)


def reach_of(library: Library, facts: dict[str, str]) -> ModbusReach | None:
    """How the model's profile says its serial number is read; None where it cannot be."""
    profile = library.best(facts)
    reach = profile.reach.modbus if profile else None
    return reach if reach and reach.serial_register is not None else None


def serial_text(answer: modbus.Answer) -> str:
    return clean(modbus.registers(answer).decode("latin-1").replace("\x00", " "), 60)


async def exchange(talk: Talk, transaction: int, pdu: bytes) -> modbus.Answer:
    """One request on unit 255, which is the device itself. Raises ProtocolError, after silence too."""
    await talk.say(modbus.tcp(transaction, 255, pdu))
    data = b""
    while len(data) < 6 or len(data) < 6 + int.from_bytes(data[4:6], "big"):
        more = await talk.read(ANSWER_S)
        if not more or len(data) > modbus.MAX_PDU + 7:
            raise ProtocolError("no Modbus reply")
        data += more
    return modbus.parse_tcp(data, transaction)
