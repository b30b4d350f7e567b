"""Modbus: requests and replies, in RTU and TCP framing.

Source: Modbus Application Protocol V1.1b3, clauses 6.1 to 6.6 (read and write one), 6.11 and 6.12 (write several),
6.21 (read device identification); Modbus over Serial Line V1.02, clause 2.5.1 (RTU
framing, CRC); Messaging on TCP/IP V1.0b, clause 3.1.3 (MBAP header).
"""

from __future__ import annotations

from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

PORT = 502
MIN_UNIT, MAX_UNIT = 1, 247
READ_COILS, READ_DISCRETE, READ_HOLDING, READ_INPUT = 0x01, 0x02, 0x03, 0x04
WRITE_COIL, WRITE_REGISTER, WRITE_COILS, WRITE_REGISTERS = 0x05, 0x06, 0x0F, 0x10
ENCAPSULATED, READ_DEVICE_ID = 0x2B, 0x0E
READS_BITS, READS_REGISTERS = (READ_COILS, READ_DISCRETE), (READ_HOLDING, READ_INPUT)
WRITES = (WRITE_COIL, WRITE_REGISTER, WRITE_COILS, WRITE_REGISTERS)
MAX_BITS, MAX_REGISTERS, MAX_WRITTEN, MAX_WRITTEN_BITS = 2000, 125, 123, 1968
MAX_PDU = 253
SHORTEST = 5  # of a reply on a serial line: an exception
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
    return read(READ_HOLDING, register, count)


def read(function: int, first: int, count: int) -> bytes:
    """PDU that reads so many coils, inputs or registers from `first`, counted from 0."""
    return bytes((function,)) + first.to_bytes(2, "big") + count.to_bytes(2, "big")


def write_coil(coil: int, on: bool) -> bytes:
    return bytes((WRITE_COIL,)) + coil.to_bytes(2, "big") + (b"\xff\x00" if on else b"\x00\x00")


def write_register(register: int, data: bytes) -> bytes:
    """`data` are the two bytes of one register."""
    return bytes((WRITE_REGISTER,)) + register.to_bytes(2, "big") + data


def write_registers(first: int, data: bytes) -> bytes:
    count = len(data) // 2
    head = bytes((WRITE_REGISTERS,)) + first.to_bytes(2, "big") + count.to_bytes(2, "big")
    return head + bytes((len(data),)) + data


def bits(answer: Answer, function: int, count: int) -> list[bool]:
    """Coils or discrete inputs. Raises ProtocolError when there are not so many."""
    data = answer.data
    if answer.function != function or not data or data[0] != (count + 7) // 8 or len(data) != data[0] + 1:
        raise ProtocolError("not a reply with so many coils")
    return [bool(data[1 + n // 8] >> n % 8 & 1) for n in range(count)]


def words(answer: Answer, function: int, count: int) -> bytes:
    """Content of so many registers. Raises ProtocolError when there are not so many."""
    data = answer.data
    if answer.function != function or not data or data[0] != count * 2 or len(data) != data[0] + 1:
        raise ProtocolError("not a reply with so many registers")
    return data[1:]


def confirmed(answer: Answer, pdu: bytes) -> None:
    """Whether a write was taken as it was said: its reply repeats it. Raises ProtocolError."""
    if answer.function != pdu[0] or answer.data != pdu[1:5]:
        raise ProtocolError("The unit confirms another write than was said.")


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


def sound(data: bytes) -> bool:
    """Whether that is one frame as a serial line carries it: neither noise, nor two units at once."""
    return 4 <= len(data) <= MAX_PDU + 3 and crc16(data[:-2]) == int.from_bytes(data[-2:], "little")


def parse_rtu(data: bytes) -> Answer:
    """A whole reply frame. Raises ProtocolError when its length or its CRC is wrong."""
    if not sound(data):
        raise ProtocolError(f"{len(data)} bytes that are no Modbus frame: a wrong length, or a wrong CRC")
    return _answer(data[0], data[1:-2])


def rtu_length(data: bytes) -> int:
    """How long the reply frame is that begins with these bytes; at least so long where they do not tell it all yet."""
    if len(data) < 3 or data[1] & 0x80:
        return SHORTEST
    if data[1] in READS_BITS or data[1] in READS_REGISTERS:
        return data[2] + 5
    if data[1] in WRITES:
        return 8
    if data[1] == ENCAPSULATED:
        return _device_id_length(data)
    return MAX_PDU + 3


def _device_id_length(data: bytes) -> int:
    """Clause 6.21: a head that ends in the number of objects, each with its id and length; then the CRC."""
    at = 8
    for _ in range(data[7] if len(data) >= at else 0):
        if len(data) < at + 2:
            return at + 4
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
