"""RDM: messages to one unit on a DMX512 line, and their answers. ANSI E1.20.

Source: E1.20 clause 6 (message structure, of which table 6-1 has the offsets), clause 7.5 (discovery answers) and
clause 10 (parameters); the numbers are from appendix A. A message here is whole, from the start code to the checksum.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

START, SUB_START = 0xCC, 0x01
HEAD, SUM = 24, 2  # bytes before and after the parameter's data
MAX_DATA = 231
ACK, ACK_TIMER, NACK, ACK_OVERFLOW = range(4)
DISCOVERY, GET, SET = 0x10, 0x20, 0x30  # the classes of commands; that of an answer is one more
UNIQUE_BRANCH, MUTE, UN_MUTE = 0x0001, 0x0002, 0x0003
QUEUED, STATUS = 0x0020, 0x0030
DEVICE_INFO, MODEL, MAKER, LABEL = 0x0060, 0x0080, 0x0081, 0x0082
SOFTWARE, PERSONALITY, START_ADDRESS = 0x00C0, 0x00E0, 0x00F0
STATUS_ERROR = 0x04
REFUSALS = {
    0x0000: "it has no such parameter", 0x0001: "its form is wrong", 0x0002: "a fault of its hardware",
    0x0003: "a proxy does not take it", 0x0004: "it is protected from writing", 0x0005: "not in that way",
    0x0006: "out of its range", 0x0007: "it has no room for it now", 0x0008: "too long for it",
    0x0009: "it has no such sub-device", 0x000A: "its proxy has no room for it now",
}  # fmt: skip
UNKNOWN_PID, BUFFER_FULL, PROXY_FULL = 0x0000, 0x0007, 0x000A
CATEGORIES = {0x01: "fixture", 0x02: "fixture accessory", 0x03: "projector", 0x04: "atmospheric effect", 0x05: "dimmer",
              0x06: "power control", 0x07: "scenic drive", 0x08: "data distribution", 0x09: "audiovisual unit",
              0x0A: "monitor", 0x70: "control", 0x71: "test equipment"}  # fmt: skip
EVERYBODY = b"\xff" * 6
UID = re.compile(r"^[0-9A-F]{4}:[0-9A-F]{8}$")


@dataclass(frozen=True)
class Message:
    """`kind` is the type of an answer, and the controller's port of a question."""

    to: bytes
    source: bytes
    number: int
    command: int
    parameter: int
    data: bytes = b""
    kind: int = 1
    waiting: int = 0  # messages that the unit holds for whoever asks
    sub_device: int = 0


def uid_text(uid: bytes) -> str:
    """As it is printed: maker and device, in capitals."""
    return f"{uid[:2].hex()}:{uid[2:].hex()}".upper()


def uid_of(text: str) -> bytes:
    """From any way of writing it. Raises ProtocolError."""
    bare = re.sub(r"[:.\s-]", "", text)
    if len(bare) != 12 or not re.fullmatch(r"[0-9a-fA-F]{12}", bare):
        raise ProtocolError(f"{text[:40]!r} is no RDM UID")
    return bytes.fromhex(bare)


def checksum(data: bytes) -> bytes:
    return (sum(data) & 0xFFFF).to_bytes(2, "big")


def pack(message: Message) -> bytes:
    """Raises ProtocolError where the data is too long for one message."""
    if len(message.data) > MAX_DATA:
        raise ProtocolError(f"{len(message.data)} bytes do not fit one RDM message.", outcome="not_sent")
    head = bytes((START, SUB_START, HEAD + len(message.data))) + message.to + message.source
    head += bytes((message.number & 0xFF, message.kind, message.waiting))
    head += message.sub_device.to_bytes(2, "big") + bytes((message.command,))
    body = head + message.parameter.to_bytes(2, "big") + bytes((len(message.data),)) + message.data
    return body + checksum(body)


def parse(data: bytes) -> Message:
    """Raises ProtocolError for whatever is no whole message with a right checksum."""
    if len(data) < HEAD + SUM or data[0] != START or data[1] != SUB_START:
        raise ProtocolError("not an RDM message")
    length = data[2]
    if length < HEAD or len(data) < length + SUM or data[23] != length - HEAD:
        raise ProtocolError(f"an RDM message of {len(data)} bytes that says {length}")
    if checksum(data[:length]) != data[length : length + SUM]:
        raise ProtocolError("an RDM message with a wrong checksum")
    return Message(
        to=data[3:9], source=data[9:15], number=data[15], kind=data[16], waiting=data[17],
        sub_device=int.from_bytes(data[18:20], "big"), command=data[20], parameter=int.from_bytes(data[21:23], "big"),
        data=data[HEAD:length],
    )  # fmt: skip


# What units tell


@dataclass(frozen=True)
class DeviceInfo:
    """Clause 10.5.1. `start` is 0 where the unit has no footprint."""

    model: int
    category: str
    software: int
    footprint: int
    personality: int
    personalities: int
    start: int
    sub_devices: int
    sensors: int


def device_info(data: bytes) -> DeviceInfo:
    """Raises ProtocolError."""
    if len(data) != 19:
        raise ProtocolError(f"a DEVICE_INFO of {len(data)} bytes")

    def word(at: int) -> int:
        return int.from_bytes(data[at : at + 2], "big")

    start = word(14)
    return DeviceInfo(
        model=word(2), category=CATEGORIES.get(data[4], ""), software=int.from_bytes(data[6:10], "big"),
        footprint=word(10), personality=data[12], personalities=data[13], start=start if start <= 512 else 0,
        sub_devices=word(16), sensors=data[18],
    )  # fmt: skip


def text(data: bytes) -> str:
    """A label: up to 32 characters, with or without a zero at its end."""
    return clean(data.split(b"\x00", 1)[0].decode("utf-8", "replace"), 64)


# Discovery


def branch(source: bytes, low: bytes, high: bytes) -> Message:
    return Message(EVERYBODY, source, 0, DISCOVERY, UNIQUE_BRANCH, low + high)


def branch_answer(uid: bytes) -> bytes:
    """What a unit that is not muted answers to a branch that it is in: each byte twice, so that two at once show."""
    coded = bytes(byte | mask for byte in uid for mask in (0xAA, 0x55))
    total = (sum(coded) & 0xFFFF).to_bytes(2, "big")
    return b"\xfe" * 7 + b"\xaa" + coded + bytes(byte | mask for byte in total for mask in (0xAA, 0x55))


def parse_branch_answer(data: bytes) -> bytes | None:
    """The UID of the one that answered; None where several did at once, or it is noise."""
    mark = data.find(b"\xaa", 0, 8)
    if mark < 0 or len(data) < mark + 17 or data[:mark].strip(b"\xfe"):
        return None
    coded, total = data[mark + 1 : mark + 13], data[mark + 13 : mark + 17]
    said = bytes((total[0] & total[1], total[2] & total[3]))
    if (sum(coded) & 0xFFFF).to_bytes(2, "big") != said:
        return None
    return bytes(coded[at] & coded[at + 1] for at in range(0, 12, 2))
