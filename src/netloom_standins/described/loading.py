"""Firmware of described units: files as their makers would make them, and what a unit does with one.

A file is one line of words, `HEAD code=… rev=… version=… crc=…`, and the payload that the CRC-32 is of.
"""

from __future__ import annotations

import asyncio
import re
import zlib
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from pydantic import BaseModel, ConfigDict

LINE = re.compile(rb"^(\S+) code=(\S+) rev=(\S+) version=(\S+) crc=([0-9a-f]{8})\n")
MOST = 64_000_000
ARTNET = "artnet"  # for `head`: the file has the header that Art-Net gives such files


class FirmwareForm(BaseModel):
    """`banks` 1 is a unit that overwrites what it runs from: cut off, it is left in its loader. `sets` are values that
    a new version brings with it; `pair` is set where it hands the file on to its other half."""

    model_config = ConfigDict(extra="forbid")

    head: str
    code: str
    hardware: str = "A"
    boot: float = 2.0
    banks: int = 2
    pair: bool = False
    sets: dict[str, Any] = {}
    apps: dict[
        str, tuple[str, str]
    ] = {}  # by product code: what it calls itself with that application, what it has then


def made(form: FirmwareForm, version: str, size: int, *, revisions: str = "", code: str = "") -> bytes:
    payload = bytes((n * 37 + n // 256 * 11) & 0xFF for n in range(size))
    if form.head == ARTNET:
        return _artnet(code or form.code, version, payload)
    words = f"{form.head} code={code or form.code} rev={revisions or form.hardware} version={version}"
    return f"{words} crc={zlib.crc32(payload):08x}\n".encode() + payload


def _artnet(code: str, version: str, payload: bytes) -> bytes:
    """With the header of Art-Net: the ones' complement of the sum of its words, version, name, OEM codes, length."""
    payload += bytes(len(payload) % 2)
    total = sum(int.from_bytes(payload[at : at + 2], "big") for at in range(0, len(payload), 2))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    major, _, minor = version.partition(".")
    head = (~total & 0xFFFF).to_bytes(2, "big") + bytes((int(major), int(minor or 0)))
    codes = bytes.fromhex(code).ljust(512, b"\0")
    return (
        head + b"node firmware".ljust(30, b"\0") + codes + bytes(510) + (len(payload) // 2).to_bytes(4, "big") + payload
    )


class Header(NamedTuple):
    """What a file says of itself, and whether it came as it was."""

    codes: list[str]
    revisions: list[str]
    version: str
    good: bool


@dataclass
class Part:
    """What came so far of a file that is announced by its size and CRC-32."""

    size: int
    crc: int
    data: bytearray = field(default_factory=bytearray)


class Loading:
    """One unit's way with firmware. `unit.firmware` is what runs; `mode` is `loader` while nothing does."""

    def __init__(self, unit: Any, form: FirmwareForm) -> None:
        self.unit, self.form = unit, form
        self.mode = ""
        self.far = str(unit.firmware)  # of its other half
        self._hidden = ""  # the version that it has and does not tell before its power was cut
        self._busy = False
        self.part: Part | None = None
        self.app = form.code

    @property
    def version(self) -> str:
        return "" if self.mode else str(self.unit.firmware)

    def words(self) -> dict[str, str]:
        told = {"hardware": self.form.hardware, "mode": self.mode, "firmware": self.version}
        named = {"model": self.form.apps[self.app][0]} if self.app in self.form.apps else {}
        return {**told, **named, "far_firmware": self.far if self.form.pair else ""}

    def has(self, path: str) -> bool:
        """Whether it has that with its present application."""
        mine = self.form.apps.get(self.app)
        return not any(path.startswith(where) for app in self.form.apps.values() if app != mine for where in app[1:])

    def began(self) -> str:
        """Somebody begins to send; why it will not take any, else nothing."""
        if self._busy:
            return "another file is coming in"
        if self.unit.faults.refuse_writes:
            return "locked"
        self._busy = True
        return ""

    def came(self, share: float) -> bool:
        """So much of it is here, of 1. False where the power went just now."""
        limit = self.unit.faults.cut_load
        if limit and share >= limit:
            self.unit.faults.cut_load = 0.0
            self.gave_up(share)
            self.unit._job(self.unit.power_cut())
            return False
        return True

    def gave_up(self, share: float = 0.0) -> None:
        self._busy = False
        if self.form.banks == 1 and share > 0:
            self.mode = "loader"
            self.unit.on_change()

    def whole(self, data: bytes, header: Header | None = None) -> str:
        """All of it is here: why it is not taken, else nothing, and it starts anew. `header` is what a file says whose
        form is a standard's."""
        self._busy = False
        spoilt, self.unit.faults.spoil_load = self.unit.faults.spoil_load, False
        found = header or self._line(data)
        if found is None:
            return "not a file of ours"
        if not {self.form.code, *self.form.apps} & set(found.codes):
            return f"for {found.codes[0] if found.codes else 'nobody'}, this is {self.form.code}"
        if found.revisions and self.form.hardware not in found.revisions:
            return f"for hardware {','.join(found.revisions)}, this is {self.form.hardware}"
        if spoilt or not found.good:
            self.gave_up(1.0)
            return "damaged on the way"
        if self.form.apps:
            self.app = found.codes[0]
        self._start(found.version)
        return ""

    def _line(self, data: bytes) -> Header | None:
        found = LINE.match(data)
        if found is None or found[1].decode() != self.form.head:
            return None
        good = zlib.crc32(data[found.end() :]) == int(found[5], 16)
        return Header([found[2].decode()], found[3].decode().split(","), found[4].decode(), good)

    def _start(self, version: str) -> None:
        unit = self.unit
        if unit.faults.hide_version:
            unit.faults.hide_version, self._hidden = False, version
        else:
            self._now(version)

        async def anew() -> None:
            await asyncio.sleep(0.3)
            hidden, self._hidden = self._hidden, ""
            boot, unit.faults.boot_seconds = unit.faults.boot_seconds, self.form.boot
            await unit.power_cut()
            self._hidden = hidden
            await asyncio.sleep(self.form.boot)
            unit.faults.boot_seconds = boot

        unit._job(anew())

    def _now(self, version: str) -> None:
        self.mode, self.unit.firmware = "", version
        if not self.unit.faults.half_load:
            self.far = version
        self.unit.faults.half_load = False
        for path, value in self.form.sets.items():
            self.unit.memory.set(path, value)
        if self.form.sets:
            self.unit.keep()
        self.unit.on_change()

    def power_went(self) -> None:
        self._busy = False
        if self._hidden:
            hidden, self._hidden = self._hidden, ""
            self._now(hidden)

    def state(self) -> dict[str, Any]:
        return {"firmware": self.unit.firmware, "mode": self.mode, "far": self.far, "app": self.app}

    def load(self, state: dict[str, Any]) -> None:
        self.unit.firmware = state.get("firmware") or self.unit.firmware
        self.app = str(state.get("app") or self.form.code)
        self.mode, self.far = str(state.get("mode", "")), str(state.get("far") or self.unit.firmware)
