"""Values in registers: how a binding's words are read and made, and how reads are joined into few requests. Pure."""

from __future__ import annotations

import struct
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from netloom_core.drivers.modbus.form import ModbusBinding, ModbusChannel
from netloom_core.drivers.wire import Unreadable, as_number, as_text, from_number, from_text
from netloom_core.errors import OutOfRange
from netloom_core.profiles.item import Item
from netloom_core.protocols import modbus

_FORMS = {"u16": ">H", "s16": ">h", "u32": ">I", "s32": ">i", "f32": ">f"}


@dataclass(frozen=True)
class Span:
    """So many registers, or bits, of a table from `first`."""

    table: str
    first: int
    count: int

    @property
    def function(self) -> int:
        return {"coil": modbus.READ_COILS, "discrete": modbus.READ_DISCRETE, "holding": modbus.READ_HOLDING,
                "input": modbus.READ_INPUT}[self.table]  # fmt: skip

    @property
    def bits(self) -> bool:
        return self.table in ("coil", "discrete")

    def holds(self, other: Span) -> bool:
        return self.table == other.table and self.first <= other.first and other.end <= self.end

    @property
    def end(self) -> int:
        return self.first + self.count


def span_of(binding: ModbusBinding, *, startup: bool = False) -> Span:
    first = binding.startup if startup and binding.startup is not None else binding.register_
    return Span(binding.table, first, binding.size)


def joined(spans: Iterable[Span], channel: ModbusChannel, gap: int) -> list[Span]:
    """The same places in as few requests as can be: over so many registers between, none longer than one reply."""
    result: list[Span] = []
    for span in sorted(set(spans), key=lambda one: (one.table, one.first)):
        most = modbus.MAX_BITS if span.bits else channel.most
        last = result[-1] if result else None
        if last and last.table == span.table and span.first <= last.end + gap:
            end = max(last.end, span.end)
            if end - last.first <= most:
                result[-1] = Span(last.table, last.first, end - last.first)
                continue
        result.append(span)
    return result


def value_of(item: Item, binding: ModbusBinding, channel: ModbusChannel, raw: bytes) -> Any:
    """The canonical value in the words of its registers; for bits one byte, 0 or 1. Raises Unreadable."""
    if binding.bits:
        return from_number(item, binding, raw[0])
    if binding.kind == "text":
        return from_text(item, binding, raw.split(b"\x00")[0].decode("latin-1").rstrip())
    if binding.kind == "bit":
        return from_number(item, binding, int.from_bytes(raw, "big") >> binding.bit & 1)
    (number,) = struct.unpack(_FORMS[binding.kind], _ordered(raw, binding, channel))
    return from_number(item, binding, number)


def words_of(item: Item, binding: ModbusBinding, channel: ModbusChannel, value: Any) -> bytes:
    """The registers that a value becomes. Raises OutOfRange where they cannot hold it."""
    if binding.kind == "text":
        text = as_text(item, binding, value).encode("latin-1", "replace")
        if len(text) > binding.length * 2:
            raise OutOfRange(f"{item.label} has room for {binding.length * 2} letters.", "Give a shorter one.")
        return text.ljust(binding.length * 2, b"\x00")
    number = as_number(item, binding, value)
    try:
        packed = struct.pack(_FORMS[binding.kind], number if binding.kind == "f32" else round(number))
    except (struct.error, OverflowError):
        raise OutOfRange(f"{item.label}: {value} does not fit its register.", "Give another value.") from None
    return _ordered(packed, binding, channel)


def _ordered(raw: bytes, binding: ModbusBinding, channel: ModbusChannel) -> bytes:
    low_first = channel.low_first if binding.low_first is None else binding.low_first
    return raw[2:] + raw[:2] if low_first and len(raw) == 4 else raw


def told(exception: int) -> str:
    return modbus.EXCEPTIONS.get(exception, f"exception {exception}")


def refused(exception: int) -> Unreadable:
    return Unreadable(f"it answers: {told(exception)}")
