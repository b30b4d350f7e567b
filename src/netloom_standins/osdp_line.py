"""OSDP units, and the RS-485 line that they hang on."""

from __future__ import annotations

import asyncio
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from netloom_core.bus.timing import line_time
from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import OutOfRange
from netloom_core.profiles.values import checked
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
from netloom_standins.osdp_secure import SCBK_D, Broken, UnitChannel
from netloom_standins.pty_port import SPEEDS, PtyPort, mixed
from netloom_standins.units import Unit

TURNAROUND_S = 0.002


@dataclass
class OsdpUnit(Unit):
    address: int = 0
    speed: int = 9600
    up: bool = True
    key: bytes = b""  # of its secure channel; empty where it has none
    must: bool = False  # whether it answers anything but who it is on that channel only
    shown: dict[str, Any] = field(default_factory=dict)  # lamps, sounder and text, which nobody can ask for
    _channel: UnitChannel | None = None
    _sequence: int = 0
    _last: bytes = b""
    _jobs: set[asyncio.Task[Any]] = field(default_factory=set)

    def where(self) -> str:
        return f"{self.address} at {self.speed} baud"

    def state(self) -> dict[str, Any]:
        return {**super().state(), "address": self.address, "speed": self.speed, "key": self.key.hex()}

    def load(self, state: dict[str, Any]) -> None:
        super().load(state)
        self.address, self.speed = state["address"], state["speed"]
        self.key = bytes.fromhex(state.get("key", ""))

    async def power_cut(self) -> None:
        self.up = False
        self.lose_unkept()
        self._sequence, self._last, self._channel = 0, b"", None
        self._later(self.faults.boot_seconds, self._boot)

    def _boot(self) -> None:
        self.up = True

    def _unplug(self, seconds: float) -> None:
        self.up = False
        self._later(seconds, self._boot)

    def _later(self, seconds: float, act: Any) -> None:
        async def wait() -> None:
            await asyncio.sleep(seconds)
            act()

        task = asyncio.ensure_future(wait())
        self._jobs.add(task)
        task.add_done_callback(self._jobs.discard)

    def answer(self, frame: frames.Frame) -> bytes:
        """The reply's bytes, or none. Repeats the last reply for a repeated sequence number."""
        if not self.up or self.faults.silent:
            return b""
        if frame.sequence == 0:
            self._last = b""
        elif frame.sequence == self._sequence and self._last:
            return self._last
        elif frame.sequence != self._sequence % 3 + 1:
            return self._framed(frame, Rep.NAK, b"\x04")
        before = self.address
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
            self._channel = UnitChannel(self.key, PdId(self._vendor(), 0, 1, int(self.serial, 16), "0.0.0").pack()[:8])
            data, block, code = self._channel.challenge(frame.data), bytes((0x12, mark)), Rep.CCRYPT
        else:
            if self._channel is None:
                raise Broken
            data, block, code = self._channel.agreed(frame.data), bytes((0x14, 1)), Rep.RMAC_I
        made = frames.Frame(self.address, code, data, frame.sequence, reply=True, crc=frame.crc, block=block)
        return frames.encode(made)

    def _framed(self, frame: frames.Frame, code: int, data: bytes = b"", address: int | None = None) -> bytes:
        return frames.encode(
            frames.Frame(
                self.address if address is None else address, code, data, frame.sequence, reply=True, crc=frame.crc
            )
        )

    def _carry_out(self, frame: frames.Frame) -> tuple[int, bytes]:
        match frame.code:
            case Cmd.POLL:
                return Rep.ACK, b""
            case Cmd.ID:
                number = self._way.model_number or 0
                ident = PdId(self._vendor(), number, 1, int(self.serial, 16), self.firmware)
                return Rep.PDID, ident.pack()
            case Cmd.CAP:
                return Rep.PDCAP, self._capabilities()
            case Cmd.LSTAT:
                return Rep.LSTATR, bytes((1 if self.faults.tamper else 0, 0))
            case Cmd.ISTAT:
                return Rep.ISTATR, self._flags("input")
            case Cmd.OSTAT:
                return Rep.OSTATR, self._flags("relay")
            case Cmd.OUT:
                return self._out(frame.data)
            case Cmd.COMSET:
                return self._comset(frame.data)
            case Cmd.MFG:
                return self._mfg(frame.data)
            case Cmd.LED:
                return self._shows("lamp", frame.data[12] if len(frame.data) == 14 else None)
            case Cmd.BUZ:
                return self._shows("sounder", frame.data[1] == 2 if len(frame.data) == 5 else None)
            case Cmd.TEXT:
                return self._shows("text", frame.data[6:].decode("latin-1") if len(frame.data) > 6 else None)
            case Cmd.KEYSET:
                return self._keyset(frame)
        return Rep.NAK, b"\x03"

    @property
    def _way(self) -> Any:
        return self.profile.of_protocol("osdp")[0]

    def _vendor(self) -> str:
        return str(self._way.vendor or "000000")

    def _of(self, kind: str) -> list[str]:
        return [point.id for point in self.profile.by_point.values() if point.kind == kind]

    def _flags(self, kind: str) -> bytes:
        return bytes(self.profile.by_point[point].states.index(self.points[point]) for point in self._of(kind))

    def _capabilities(self) -> bytes:
        records = [(1, 1, len(self._of("input"))), (2, 1, len(self._of("relay"))), (8, 1, 0), (10, 128, 0)]
        return bytes(part for record in records for part in record)

    def _out(self, data: bytes) -> tuple[int, bytes]:
        relays = self._of("relay")
        if len(data) % 4 or not data:
            return Rep.NAK, b"\x02"
        for start in range(0, len(data), 4):
            number, control = data[start], data[start + 1]
            if number >= len(relays):
                return Rep.NAK, b"\x09"
            if control in (Out.ON, Out.ON_FOR):
                self.set_point(relays[number], "on")
            elif control in (Out.OFF, Out.OFF_FOR):
                self.set_point(relays[number], "off")
        return Rep.OSTATR, self._flags("relay")

    def _shows(self, what: str, value: Any) -> tuple[int, bytes]:
        if value is None:
            return Rep.NAK, b"\x02"
        self.shown[what] = value
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

    def _comset(self, data: bytes) -> tuple[int, bytes]:
        if len(data) != 5:
            return Rep.NAK, b"\x02"
        wanted = Com.parse(data)
        if self.faults.refuse_writes or wanted.address > 126 or wanted.speed not in SPEEDS.values():
            return Rep.COM, bytes((self.address,)) + self.speed.to_bytes(4, "little")
        if self.faults.pull_on_write:
            self._unplug(self.faults.pull_on_write)
            self.faults.pull_on_write = 0.0
            return Rep.COM, data
        self.address, self.speed = wanted.address, wanted.speed
        self.factory = False
        self.on_change()
        return Rep.COM, data

    def _mfg(self, data: bytes) -> tuple[int, bytes]:
        table = self._way.table
        if table is None or len(data) < 5 or data[:3].hex().upper() != table.vendor:
            return Rep.NAK, b"\x03"
        op, which, rest = data[3], data[4], data[5:]
        bound = {path: one.binding.entry for path, one in self.profile.bound_by_path("bus").items()}
        paths = {entry: path for path, entry in bound.items() if entry is not None}
        status, values = STATUS_OK, {}
        if op == table.read:
            document = self.startup if which == SETS["startup"] else self.running
            for ident in rest:
                value = get(document, paths[ident]) if ident in paths else MISSING
                if value is MISSING:
                    status = STATUS_UNKNOWN_ID
                else:
                    values[ident] = int(value)
        elif op == table.write:
            status = self._table_write(paths, rest)
        elif op == self._operation("store"):
            self.keep()
        elif op == self._operation("restart"):
            self._later(0.2, lambda: asyncio.ensure_future(self.power_cut()))
        else:
            return Rep.NAK, b"\x03"
        return Rep.MFGREP, TableReply(op, status, values).pack(table.vendor)

    def _operation(self, procedure: str) -> int:
        calls = self.profile.calls(procedure, "bus")
        return int(calls[0].operation) if calls else -1

    def _table_write(self, paths: dict[int, str], rest: bytes) -> int:
        pairs = [(rest[i], rest[i + 1] | rest[i + 2] << 8) for i in range(0, len(rest) - 2, 3)]
        if self.faults.refuse_writes:
            return STATUS_RANGE
        try:
            good = [(paths[ident], checked(self.profile, paths[ident], value)) for ident, value in pairs]
        except KeyError:
            return STATUS_UNKNOWN_ID
        except OutOfRange:
            return STATUS_RANGE
        if self.faults.pull_on_write:
            good = good[: len(good) // 2]
            self._unplug(self.faults.pull_on_write)
            self.faults.pull_on_write = 0.0
        for path, value in good:
            self.take(path, value)
        return STATUS_OK


class OsdpLine(PtyPort):
    """An RS-485 line and the OSDP units on it."""

    def __init__(self, link: Path, units: list[OsdpUnit], **adapter: Any) -> None:
        super().__init__(link, **adapter)
        self.units = units
        self._receiver = frames.Receiver()

    def received(self, data: bytes) -> None:
        for frame in self._receiver.feed(data):
            if not frame.reply:
                self.work(self._serve(frame, len(data), self.speed()))

    async def _serve(self, frame: frames.Frame, length: int, speed: int) -> None:
        hearing = [u for u in self.units if u.speed == speed and u.address == frame.address]
        if not hearing:
            return
        await asyncio.sleep(line_time(length, speed) + TURNAROUND_S)
        replies = [reply for reply in (unit.answer(frame) for unit in hearing) if reply]
        if replies:
            await self.send(mixed(replies), speed)
