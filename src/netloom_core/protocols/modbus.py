"""Modbus: requests that only read, in RTU and TCP framing.

Source: Modbus Application Protocol V1.1b3, clauses 6.3 (read holding registers) and
6.21 (read device identification); Modbus over Serial Line V1.02, clause 2.5.1 (RTU
framing, CRC); Messaging on TCP/IP V1.0b, clause 3.1.3 (MBAP header).
"""

from __future__ import annotations

from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

PORT = 502
MIN_UNIT, MAX_UNIT = 1, 247
READ_HOLDING, ENCAPSULATED, READ_DEVICE_ID = 0x03, 0x2B, 0x0E
MAX_PDU = 253
OBJECTS = {0: "maker", 1: "product_code", 2: "firmware", 4: "product_name", 5: "model"}
EXCEPTIONS = {1: "illegal function", 2: "illegal data address", 3: "illegal data value", 4: "device failure",
              6: "busy", 10: "gateway path unavailable", 11: "gateway target failed to respond"}  # fmt: skip
MORE_FOLLOWS = 0xFF
GATEWAY = (10, 11)  # the gateway answers, the unit behind it does not


@dataclass(frozen=True)
class Answer:
    """One reply: `exception` is 0 when the unit carried it out."""

    unit: int
    function: int
    data: bytes
    exception: int = 0


def crc16(data: bytes) -> int:
    """CRC-16 of the serial line guide, appendix B: polynomial A001h reflected, start FFFFh."""
    crc = 0xFFFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = crc >> 1 ^ 0xA001 if crc & 1 else crc >> 1
    return crc


def identify(first: int = 0) -> bytes:
    """PDU of Read Device Identification: the regular objects, as a stream from object `first`."""
    return bytes((ENCAPSULATED, READ_DEVICE_ID, 2, first))


def read_holding(register: int, count: int) -> bytes:
    return bytes((READ_HOLDING,)) + register.to_bytes(2, "big") + count.to_bytes(2, "big")


def rtu(unit: int, pdu: bytes) -> bytes:
    body = bytes((unit,)) + pdu
    return body + crc16(body).to_bytes(2, "little")


def tcp(transaction: int, unit: int, pdu: bytes) -> bytes:
    return transaction.to_bytes(2, "big") + bytes(2) + (len(pdu) + 1).to_bytes(2, "big") + bytes((unit,)) + pdu


def _answer(unit: int, pdu: bytes) -> Answer:
    if not pdu:
        raise ProtocolError("an empty Modbus reply")
    if pdu[0] & 0x80:
        if len(pdu) != 2:
            raise ProtocolError("a Modbus exception of wrong length")
        return Answer(unit, pdu[0] & 0x7F, b"", pdu[1])
    return Answer(unit, pdu[0], pdu[1:])


def parse_rtu(data: bytes) -> Answer:
    """A whole reply frame. Raises ProtocolError when its CRC is wrong: noise, or two units at once."""
    if not 4 <= len(data) <= MAX_PDU + 3:
        raise ProtocolError(f"a Modbus frame of {len(data)} bytes")
    if crc16(data[:-2]) != int.from_bytes(data[-2:], "little"):
        raise ProtocolError("a Modbus frame with a wrong CRC")
    return _answer(data[0], data[1:-2])


def rtu_length(data: bytes) -> int:
    """Length of the reply frame that begins with these bytes, as far as they tell; 0 when not yet."""
    if len(data) < 3:
        return 0
    if data[1] & 0x80:
        return 5
    if data[1] == READ_HOLDING:
        return data[2] + 5
    if data[1] == ENCAPSULATED:
        return _device_id_length(data)
    return MAX_PDU + 3


def _device_id_length(data: bytes) -> int:
    if len(data) < 8:
        return 0
    at = 8
    for _ in range(data[7]):
        if len(data) < at + 2:
            return 0
        at += 2 + data[at + 1]
    return at + 2


def tcp_length(data: bytes) -> int:
    """Length of the TCP frame that begins with these bytes; 0 when not told yet. Raises ProtocolError."""
    if len(data) < 6:
        return 0
    length = int.from_bytes(data[4:6], "big")
    if data[2:4] != b"\x00\x00" or not 2 <= length <= MAX_PDU + 1:
        raise ProtocolError("not a Modbus TCP reply")
    return length + 6


def parse_tcp(data: bytes, transaction: int) -> Answer:
    """A whole reply. Raises ProtocolError when it is none to that transaction."""
    if len(data) < 9 or data[2:4] != b"\x00\x00" or int.from_bytes(data[4:6], "big") != len(data) - 6:
        raise ProtocolError("not a Modbus TCP reply")
    if int.from_bytes(data[:2], "big") != transaction:
        raise ProtocolError("a reply to another Modbus transaction")
    return _answer(data[6], data[7:])


def identification(answer: Answer) -> dict[str, str]:
    """Facts of a Read Device Identification reply. Raises ProtocolError when it is none."""
    data = answer.data
    if answer.function != ENCAPSULATED or len(data) < 6 or data[0] != READ_DEVICE_ID:
        raise ProtocolError("not a device identification")
    facts: dict[str, str] = {}
    at = 6
    for _ in range(data[5]):
        if len(data) < at + 2 or len(data) < at + 2 + data[at + 1]:
            raise ProtocolError("a device identification cut short")
        value = clean(data[at + 2 : at + 2 + data[at + 1]].decode("latin-1"), 120)
        name = OBJECTS.get(data[at])
        if name and value:
            facts[name] = value
        at += 2 + data[at + 1]
    if "model" not in facts and "product_code" in facts:
        facts["model"] = facts["product_code"]
    return facts


def follows(answer: Answer) -> int:
    """The object with which the identification goes on in another answer; 0 when this was all of it."""
    data = answer.data
    return data[4] if len(data) > 4 and data[3] == MORE_FOLLOWS else 0


def registers(answer: Answer) -> bytes:
    """Content of holding registers. Raises ProtocolError when the count is wrong."""
    if answer.function != READ_HOLDING or not answer.data or len(answer.data) != answer.data[0] + 1:
        raise ProtocolError("not a reply with registers")
    return answer.data[1:]
