"""What is inside frames: commands as bytes, replies as values (clauses 6 and 7)."""

from __future__ import annotations

import struct
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.osdp.constants import Cmd


@dataclass(frozen=True)
class Command:
    """A command code with its data. `idempotent` ones may be sent anew after silence; `block` is the security block
    of the handshake's commands."""

    code: int
    data: bytes = b""
    idempotent: bool = True
    block: bytes = b""


@dataclass(frozen=True)
class Reply:
    code: int
    data: bytes = b""
    block: bytes = b""


@dataclass(frozen=True)
class PdId:
    """Reply PDID (7, PDID). `vendor` is the IEEE organisation number in hex."""

    vendor: str
    model: int
    version: int
    serial: int
    firmware: str

    @classmethod
    def parse(cls, data: bytes) -> PdId:
        if len(data) != 12:
            raise ProtocolError(f"An identity report has 12 bytes, this one {len(data)}.")
        model, version, serial, major, minor, build = struct.unpack("<BBIBBB", data[3:])
        return cls(data[:3].hex().upper(), model, version, serial, f"{major}.{minor}.{build}")

    def pack(self) -> bytes:
        major, minor, build = (int(part) for part in self.firmware.split("."))
        return bytes.fromhex(self.vendor) + struct.pack(
            "<BBIBBB", self.model, self.version, self.serial, major, minor, build
        )


CONTACTS, OUTPUTS, LAMPS, SOUNDERS, TEXTS, SECURITY = 1, 2, 4, 5, 6, 9  # functions of PDCAP (annex B)


@dataclass(frozen=True)
class Capability:
    """One record of PDCAP (7, PDCAP): function, compliance level, number of items."""

    function: int
    level: int
    count: int


def parse_capabilities(data: bytes) -> list[Capability]:
    if len(data) % 3:
        raise ProtocolError(f"A capability report comes in threes of bytes, this one has {len(data)}.")
    return [Capability(*data[i : i + 3]) for i in range(0, len(data), 3)]


def parse_flags(data: bytes, count: int | None = None) -> list[int]:
    """ISTATR, OSTATR, LSTATR: one byte an item (7)."""
    if count is not None and len(data) < count:
        raise ProtocolError(f"A status report of {count} items has only {len(data)} bytes.")
    return list(data)


def identify() -> Command:
    return Command(Cmd.ID, b"\x00")


def capabilities() -> Command:
    return Command(Cmd.CAP, b"\x00")


def output(number: int, control: int, timer: int = 0) -> Command:
    """OUT for one output, number from 0; `timer` in units of 100 ms (6, OUT)."""
    return Command(Cmd.OUT, struct.pack("<BBH", number, control, timer))


def comset(address: int, speed: int) -> Command:
    """New address and speed in baud. Answered at the old ones, then in force (6, COMSET)."""
    return Command(Cmd.COMSET, struct.pack("<BI", address, speed), idempotent=False)


COLOURS = {"off": 0, "red": 1, "green": 2, "amber": 3, "blue": 4, "magenta": 5, "cyan": 6, "white": 7}


def lamp(reader: int, number: int, colour: str, blink: int = 0) -> Command:
    """LED: that colour until told otherwise; `blink` is on and off for so many 100 ms (6, LED)."""
    ours = bytes((1, blink or 1, blink, COLOURS[colour], 0))
    return Command(Cmd.LED, bytes((reader, number)) + bytes(7) + ours)


def sounder(reader: int, on: int, off: int, times: int) -> Command:
    """BUZ: the unit's own tone, on and off for so many 100 ms; 0 times is until told otherwise (6, BUZ)."""
    return Command(Cmd.BUZ, bytes((reader, 2 if on else 1, on, off, times)))


def text(reader: int, words: str, seconds: int = 0) -> Command:
    """TEXT: words on a display, permanent or for so many seconds (6, TEXT)."""
    said = words.encode("ascii", "replace")[:32]
    return Command(Cmd.TEXT, bytes((reader, 3 if seconds else 1, seconds, 1, 1, len(said))) + said)


def keyset(key: bytes) -> Command:
    """A new base key; only on an open secure channel (6, KEYSET)."""
    return Command(Cmd.KEYSET, bytes((1, len(key))) + key, idempotent=False)


@dataclass(frozen=True)
class Com:
    """Reply COM: the address and speed that will be in force."""

    address: int
    speed: int

    @classmethod
    def parse(cls, data: bytes) -> Com:
        if len(data) != 5:
            raise ProtocolError(f"A communication report has 5 bytes, this one {len(data)}.")
        return cls(*struct.unpack("<BI", data))


# A parameter table inside MFG, our open form for units whose settings the standard does
# not cover (docs/osdp.md): vendor(3) op(1) set(1) then ids, or ids each with a value.
SETS = {"running": 0, "startup": 1}
TABLE_REPLY = 0x80
STATUS_OK, STATUS_UNKNOWN_ID, STATUS_RANGE = 0, 1, 2


def table_read(vendor: str, op: int, which: str, ids: list[int]) -> Command:
    return Command(Cmd.MFG, bytes.fromhex(vendor) + bytes((op, SETS[which])) + bytes(ids))


def table_write(vendor: str, op: int, values: dict[int, int]) -> Command:
    body = b"".join(struct.pack("<BH", ident, value) for ident, value in values.items())
    return Command(Cmd.MFG, bytes.fromhex(vendor) + bytes((op, 0)) + body)


def table_act(vendor: str, op: int) -> Command:
    return Command(Cmd.MFG, bytes.fromhex(vendor) + bytes((op, 0)), idempotent=False)


@dataclass(frozen=True)
class TableReply:
    """vendor(3) op|0x80(1) status(1), then id(1) value(2, low first) for each."""

    op: int
    status: int
    values: dict[int, int]

    @classmethod
    def parse(cls, vendor: str, data: bytes) -> TableReply:
        if len(data) < 5 or data[:3].hex().upper() != vendor or not data[3] & TABLE_REPLY:
            raise ProtocolError("The manufacturer-specific reply is not one of a parameter table.")
        rest = data[5:]
        if len(rest) % 3:
            raise ProtocolError("The parameter table in the reply is cut off.")
        values = {rest[i]: rest[i + 1] | rest[i + 2] << 8 for i in range(0, len(rest), 3)}
        return cls(data[3] & ~TABLE_REPLY, data[4], values)

    def pack(self, vendor: str) -> bytes:
        body = b"".join(struct.pack("<BH", ident, value) for ident, value in self.values.items())
        return bytes.fromhex(vendor) + bytes((self.op | TABLE_REPLY, self.status)) + body
