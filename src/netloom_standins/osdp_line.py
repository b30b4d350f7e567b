"""OSDP units, and the RS-485 line that they hang on."""

from __future__ import annotations

import asyncio
import struct
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict

from netloom_core.bus.timing import line_time
from netloom_core.documents.tree import put
from netloom_core.protocols.osdp import frames
from netloom_core.protocols.osdp.constants import Cmd, Out, Rep
from netloom_core.protocols.osdp.messages import (
    SETS,
    STATUS_OK,
    STATUS_RANGE,
    STATUS_UNKNOWN_ID,
    Com,
    PdId,
    TableReply,
)
from netloom_standins.described.loading import MOST, Loading
from netloom_standins.described.memory import Wrong, spread
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.osdp_secure import SCBK_D, Broken, UnitChannel
from netloom_standins.pty_port import SPEEDS, PtyPort, mixed

TURNAROUND_S = 0.002
FRAGMENT = struct.Struct("<BIIH")
RESTARTS, FINISHING, GIVEN_UP, NOT_FOR_IT = 2, 3, -1, -3
COLOURS = {0: "off", 1: "red", 2: "green", 3: "amber"}


class Table(BaseModel):
    """Numbers of the commands by which its maker's table is read, written, kept, and the unit restarted."""

    model_config = ConfigDict(extra="forbid")

    vendor: str
    read: int
    write: int
    store: int = -1
    restart: int = -1


class OsdpForm(BaseModel):
    """`entries` are the first number in the table by path; `relays` and `inputs` are paths of states."""

    model_config = ConfigDict(extra="forbid")

    face: str
    vendor: str
    model_number: int
    table: Table | None = None
    entries: dict[str, int] = {}
    relays: str = ""
    inputs: str = ""
    lamp: str = ""
    sounder: str = ""
    text: str = ""


@dataclass
class OsdpUnit(DescribedUnit):
    """`bus_address` and `speed` are where it is, which its memory keeps, too."""

    speed: int = 9600
    up: bool = True
    key: bytes = b""  # of its secure channel; empty where it has none
    must: bool = False  # whether it answers anything but who it is on that channel only
    _channel: UnitChannel | None = None
    _sequence: int | None = None  # of the last command; since it was switched on it has heard none, and takes 0 only
    _last: bytes = b""
    _file: bytearray = field(default_factory=bytearray)

    def __post_init__(self) -> None:
        super().__post_init__()
        face = next(one for one in self.description.faces if one["face"] == "osdp")
        self.form = OsdpForm.model_validate(face)
        numbered = [
            (path, n) for span, first in self.form.entries.items() for n, path in enumerate(spread(span), first)
        ]
        self._entries = {number: path for path, number in numbered}
        self._relays = list(spread(self.form.relays)) if self.form.relays else []
        self._inputs = list(spread(self.form.inputs)) if self.form.inputs else []

    def where(self) -> str:
        return f"{self.bus_address} at {self.speed} baud"

    def move(self, address: int, speed: int) -> None:
        """It is there, and keeps it."""
        self.bus_address, self.speed = address, speed
        self.memory.begin(self.description.unit_at, address)
        self.memory.begin(self.description.speed_at, speed)

    def _place(self) -> None:
        """Zero is an address like any other here."""
        self.bus_address = int(self.memory.value(self.description.unit_at))
        self.speed = int(self.memory.value(self.description.speed_at))

    def state(self) -> dict[str, Any]:
        return {**super().state(), "key": self.key.hex()}

    def load(self, state: dict[str, Any]) -> None:
        if "address" in state and "startup" in state:  # as it was kept before its memory had it
            put(state["startup"], self.description.unit_at, state["address"])
            put(state["startup"], self.description.speed_at, state["speed"])
        super().load(state)
        self.key = bytes.fromhex(state.get("key", ""))

    def forget_talk(self) -> None:
        """As when its power was away."""
        self._sequence, self._last, self._channel, self._file = None, b"", None, bytearray()

    async def power_cut(self) -> None:
        self.forget_talk()
        await super().power_cut()

    def _unplug(self, seconds: float) -> None:
        async def plug_in() -> None:
            await asyncio.sleep(seconds)
            self.up = True

        self.up = False
        self._job(plug_in())

    def answer(self, frame: frames.Frame) -> bytes:
        """The reply's bytes, or none. Repeats the last reply for a repeated sequence number."""
        if not self.up or self.faults.silent:
            return b""
        if frame.sequence == 0:
            self._last = b""
        elif frame.sequence == self._sequence and self._last:
            return self._last
        elif self._sequence is None or frame.sequence != self._sequence % 3 + 1:
            return self._framed(frame, Rep.NAK, b"\x04")
        before = self.bus_address
        try:
            reply = self._secured(frame, before)
        except Broken:
            self._channel = None
            reply = self._framed(frame, Rep.NAK, b"\x06", before)
        if not self.up:
            return b""
        self._sequence = frame.sequence
        self._last = reply
        return self._last

    def _secured(self, frame: frames.Frame, before: int) -> bytes:
        """By the secure channel where the command came by it. Raises Broken."""
        if frame.code in (Cmd.CHLNG, Cmd.SCRYPT):
            return self._handshake(frame)
        if not frame.mac:
            self._channel = None
            if self.must and frame.code not in (Cmd.ID, Cmd.CAP):
                return self._framed(frame, Rep.NAK, b"\x06", before)
            return self._framed(frame, *self._carry_out(frame), before)
        channel = self._channel
        if channel is None or not channel.up:
            raise Broken
        plain = channel.taken(frame.signed, frame.mac, frame.data, frame.block[0] == 0x17)
        code, data = self._carry_out(replace(frame, data=plain))
        block = bytes((0x18 if data else 0x16,))
        out = channel.hidden(data) if data else b""
        made = frames.Frame(before, code, out, frame.sequence, reply=True, crc=frame.crc, block=block)
        return frames.encode(made, channel.sealed)

    def _handshake(self, frame: frames.Frame) -> bytes:
        if not self.key:
            return self._framed(frame, Rep.NAK, b"\x05")
        mark = 0 if self.key == SCBK_D else 1
        if frame.code == Cmd.CHLNG:
            if frame.block[1:2] != bytes((mark,)):
                return self._framed(frame, Rep.NAK, b"\x05")
            self._channel = UnitChannel(
                self.key, PdId(self.form.vendor, 0, 1, int(self.serial, 16), "0.0.0").pack()[:8]
            )
            data, block, code = self._channel.challenge(frame.data), bytes((0x12, mark)), Rep.CCRYPT
        else:
            if self._channel is None:
                raise Broken
            data, block, code = self._channel.agreed(frame.data), bytes((0x14, 1)), Rep.RMAC_I
        made = frames.Frame(self.bus_address, code, data, frame.sequence, reply=True, crc=frame.crc, block=block)
        return frames.encode(made)

    def _framed(self, frame: frames.Frame, code: int, data: bytes = b"", address: int | None = None) -> bytes:
        return frames.encode(
            frames.Frame(
                self.bus_address if address is None else address, code, data, frame.sequence, reply=True, crc=frame.crc
            )
        )

    def _carry_out(self, frame: frames.Frame) -> tuple[int, bytes]:
        match frame.code:
            case Cmd.POLL:
                return Rep.ACK, b""
            case Cmd.ID:
                ident = PdId(self.form.vendor, self.form.model_number, 1, int(self.serial, 16), self.firmware)
                return Rep.PDID, ident.pack()
            case Cmd.CAP:
                return Rep.PDCAP, self._capabilities()
            case Cmd.LSTAT:
                return Rep.LSTATR, self._local()
            case Cmd.ISTAT:
                return Rep.ISTATR, self._flags(self._inputs)
            case Cmd.OSTAT:
                return Rep.OSTATR, self._flags(self._relays)
            case Cmd.OUT:
                return self._out(frame.data)
            case Cmd.COMSET:
                return self._comset(frame.data)
            case Cmd.MFG:
                return self._mfg(frame.data)
            case Cmd.LED:
                return self._shows(self.form.lamp, COLOURS.get(frame.data[12]) if len(frame.data) == 14 else None)
            case Cmd.BUZ:
                tone = "on" if frame.data[1:2] == b"\x02" else "off"
                return self._shows(self.form.sounder, tone if len(frame.data) == 5 else None)
            case Cmd.TEXT:
                return self._shows(self.form.text, frame.data[6:].decode("latin-1") if len(frame.data) > 6 else None)
            case Cmd.KEYSET:
                return self._keyset(frame)
            case Cmd.FILETRANSFER if self.loading is not None:
                return self._file_part(self.loading, frame.data)
            case Cmd.ABORT if self.loading is not None:
                self._leave_file(self.loading)
                return Rep.ACK, b""
        return Rep.NAK, b"\x03"

    def _flags(self, paths: list[str]) -> bytes:
        """The words of a state are in the order of their numbers on the wire."""
        return bytes((self.memory.cells[path].words or []).index(self.memory.value(path)) for path in paths)

    def _capabilities(self) -> bytes:
        records = [(1, 1, len(self._inputs)), (2, 1, len(self._relays)), (8, 1, 0), (10, 128, 0)]
        return bytes(part for record in records for part in record)

    def _out(self, data: bytes) -> tuple[int, bytes]:
        if len(data) % 4 or not data:
            return Rep.NAK, b"\x02"
        for start in range(0, len(data), 4):
            number, control = data[start], data[start + 1]
            if number >= len(self._relays):
                return Rep.NAK, b"\x09"
            if control in (Out.ON, Out.ON_FOR):
                self.memory.set(self._relays[number], "on")
            elif control in (Out.OFF, Out.OFF_FOR):
                self.memory.set(self._relays[number], "off")
        return Rep.OSTATR, self._flags(self._relays)

    def _local(self) -> bytes:
        tampered = self.faults.tamper or self.memory.value("/tamper") == "tampered"
        return bytes((tampered, self.memory.value("/power") == "failed"))

    def _shows(self, path: str, value: str | None) -> tuple[int, bytes]:
        """Lamps, sounder and text, which nobody can ask for."""
        if value is None or not path:
            return Rep.NAK, b"\x02" if path else b"\x03"
        self.memory.set(path, value)
        return Rep.ACK, b""

    def _keyset(self, frame: frames.Frame) -> tuple[int, bytes]:
        data = frame.data
        if not frame.mac or self.faults.refuse_writes:
            return Rep.NAK, b"\x06" if not frame.mac else b"\x09"
        if len(data) != 18 or data[:2] != b"\x01\x10":
            return Rep.NAK, b"\x02"
        self.key = data[2:]
        self.on_change()
        return Rep.ACK, b""

    def _file_part(self, loading: Loading, data: bytes) -> tuple[int, bytes]:
        """A fragment of a file: its kind, size in all, offset and own size, then the bytes."""
        if len(data) < FRAGMENT.size:
            return Rep.NAK, b"\x02"
        _, total, offset, size = FRAGMENT.unpack(data[: FRAGMENT.size])
        part = data[FRAGMENT.size :]
        if len(part) != size:
            return Rep.NAK, b"\x02"
        if size == 0 and len(self._file) == total and total:
            file, self._file = bytes(self._file), bytearray()
            return Rep.FTSTAT, told_of_file(RESTARTS if not loading.whole(file) else NOT_FOR_IT)
        if offset == 0:
            self._file = bytearray()
            if loading.began():
                return Rep.FTSTAT, told_of_file(GIVEN_UP)
        if offset != len(self._file) or total > MOST:
            self._leave_file(loading)
            return Rep.FTSTAT, told_of_file(GIVEN_UP)
        self._file += part
        if not loading.came(len(self._file) / total):
            self.up = False
        return Rep.FTSTAT, told_of_file(FINISHING if len(self._file) >= total else 0)

    def _leave_file(self, loading: Loading) -> None:
        loading.gave_up(float(bool(self._file)))
        self._file = bytearray()

    def _comset(self, data: bytes) -> tuple[int, bytes]:
        if len(data) != 5:
            return Rep.NAK, b"\x02"
        wanted = Com.parse(data)
        if self.faults.refuse_writes or wanted.address > 126 or wanted.speed not in SPEEDS.values():
            return Rep.COM, bytes((self.bus_address,)) + self.speed.to_bytes(4, "little")
        if self.faults.pull_on_write:
            self._unplug(self.faults.pull_on_write)
            self.faults.pull_on_write = 0.0
            return Rep.COM, data
        self.move(wanted.address, wanted.speed)
        self.factory = False
        self.on_change()
        return Rep.COM, data

    def _mfg(self, data: bytes) -> tuple[int, bytes]:
        table = self.form.table
        if table is None or len(data) < 5 or data[:3].hex().upper() != table.vendor:
            return Rep.NAK, b"\x03"
        op, which, rest = data[3], data[4], data[5:]
        status, values = STATUS_OK, {}
        if op == table.read:
            told = self.memory.kept if which == SETS["startup"] else self.memory.value
            for ident in rest:
                if ident in self._entries:
                    values[ident] = int(told(self._entries[ident]))
                else:
                    status = STATUS_UNKNOWN_ID
        elif op == table.write:
            status = self._table_write(rest)
        elif op == table.store:
            self.keep()
        elif op == table.restart:
            self.restart_soon()
        else:
            return Rep.NAK, b"\x03"
        return Rep.MFGREP, TableReply(op, status, values).pack(table.vendor)

    def _table_write(self, rest: bytes) -> int:
        pairs = [(rest[i], rest[i + 1] | rest[i + 2] << 8) for i in range(0, len(rest) - 2, 3)]
        if self.faults.refuse_writes:
            return STATUS_RANGE
        try:
            good = [(self._entries[ident], value) for ident, value in pairs]
            for path, value in good:
                self.memory.cells[path].parsed(value)
        except KeyError:
            return STATUS_UNKNOWN_ID
        except Wrong:
            return STATUS_RANGE
        if self.faults.pull_on_write:
            good = good[: len(good) // 2]
            self._unplug(self.faults.pull_on_write)
            self.faults.pull_on_write = 0.0
        for path, value in good:
            self.written(path, value)
        return STATUS_OK


def told_of_file(detail: int) -> bytes:
    """How it goes with a file; between two fragments it wants 5 ms, and at most 96 bytes at once."""
    return struct.pack("<BHhH", 1, 5, detail, 96)


class OsdpLine(PtyPort):
    """An RS-485 line and the OSDP units on it."""

    def __init__(self, link: Path, units: list[OsdpUnit], **adapter: Any) -> None:
        super().__init__(link, **adapter)
        self.units = units
        self._receiver = frames.Receiver()

    def received(self, data: bytes) -> None:
        speed = self.speed()
        for frame in self._receiver.feed(data):
            if not frame.reply:
                self.in_turn(partial(self._answer, frame, speed), line_time(len(data), speed or 9600) + TURNAROUND_S)

    async def _answer(self, frame: frames.Frame, speed: int) -> None:
        hearing = [u for u in self.units if u.speed == speed and u.bus_address == frame.address]
        replies = [reply for reply in (unit.answer(frame) for unit in hearing) if reply]
        if replies:
            await self.send(mixed(replies), speed)
