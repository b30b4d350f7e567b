"""Layouts of binary messages as one line of text: what is constant, and what of which type comes. Pure.

Blanks are between the parts:

    1F                a byte, in hexadecimal
    u8:value s16:value u32:value f32:value    numbers, the high byte first; `le` behind the type turns that round
    text8:value       text of eight bytes, filled up with zeros; text*:value takes the rest
    bytes4:value bytes*:value                 bytes
    u8:_              a field that nobody looks at
    [s16:x s16:y]*    repeated to the end: a curve

What is said is made from the same layout as what is heard.
"""

from __future__ import annotations

import re
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from netloom_core.errors import ProtocolError

_FIELD = re.compile(r"^(u8|s8|u16|s16|u32|s32|f32|text|bytes)(\d+|\*)?(le)?:([a-z_]+)$")
_FORMS = {"u8": "B", "s8": "b", "u16": "H", "s16": "h", "u32": "I", "s32": "i", "f32": "f"}
MAX_POINTS = 1024


class BadLayout(ValueError):
    """It is no layout; the text says why."""


@dataclass(frozen=True)
class Field:
    """`size` is in bytes, None for the rest; `name` is empty for a constant byte, `_` for what nobody looks at."""

    kind: str
    size: int | None
    little: bool
    name: str
    constant: int = 0


@dataclass(frozen=True)
class Layout:
    fields: tuple[Field, ...]
    repeated: tuple[Field, ...] = ()

    @property
    def names(self) -> set[str]:
        return {field.name for field in (*self.fields, *self.repeated)} - {"", "_"}


@lru_cache(8192)
def parsed(text: str) -> Layout:
    """Raises BadLayout."""
    head, bracket, rest = text.partition("[")
    repeated: tuple[Field, ...] = ()
    if bracket:
        inner, closing, after = rest.partition("]")
        if not closing or after.strip() != "*":
            raise BadLayout("what is repeated stands in [ ] with * behind it, at the end")
        repeated = tuple(_field(part) for part in inner.split())
        if not repeated or any(field.size is None for field in repeated):
            raise BadLayout("what is repeated has fields of known size")
    fields = tuple(_field(part) for part in head.split())
    if any(field.size is None for field in fields[:-1]) or (repeated and any(field.size is None for field in fields)):
        raise BadLayout("what takes the rest comes last")
    return Layout(fields, repeated)


def _field(part: str) -> Field:
    if re.fullmatch(r"[0-9A-Fa-f]{2}", part):
        return Field("u8", 1, False, "", int(part, 16))
    found = _FIELD.match(part)
    if found is None:
        raise BadLayout(f"{part!r} is neither a byte in hexadecimal nor TYPE:NAME")
    kind, count, little, name = found[1], found[2], bool(found[3]), found[4]
    if kind in ("text", "bytes"):
        if count is None or count == "0":
            raise BadLayout(f"{part!r} needs its number of bytes, or *")
        return Field(kind, None if count == "*" else int(count), little, name)
    if count is not None:
        raise BadLayout(f"{part!r}: a number has no count")
    return Field(kind, struct.calcsize(_FORMS[kind]), little, name)


def packed(layout: Layout, values: Mapping[str, Any]) -> bytes:
    """The message. Raises ProtocolError where a value does not fit."""
    out = b"".join(_put(field, values) for field in layout.fields)
    if layout.repeated:
        points = values.get("points", [])
        out += b"".join(_put(field, point) for point in points for field in layout.repeated)
    return out


def _put(field: Field, values: Mapping[str, Any]) -> bytes:
    if not field.name or field.name == "_":
        return bytes((field.constant,)) + bytes((field.size or 1) - 1)
    value = values[field.name]
    if field.kind == "text":
        data = str(value).encode("utf-8")
        return _sized(data, field)
    if field.kind == "bytes":
        return _sized(bytes(value), field)
    try:
        number = float(value) if field.kind == "f32" else round(value)
        return struct.pack(("<" if field.little else ">") + _FORMS[field.kind], number)
    except (struct.error, OverflowError, TypeError, ValueError) as error:
        raise ProtocolError(f"{value!r} does not fit a field {field.kind}.", outcome="not_sent") from error


def _sized(data: bytes, field: Field) -> bytes:
    if field.size is None:
        return data
    if len(data) > field.size:
        raise ProtocolError(f"{len(data)} bytes do not fit a field of {field.size}.", outcome="not_sent")
    return data.ljust(field.size, b"\x00")


def unpacked(layout: Layout, data: bytes) -> dict[str, Any] | None:
    """Values by name; None where the message is not of this layout."""
    values: dict[str, Any] = {}
    at = 0
    for field in layout.fields:
        size = len(data) - at if field.size is None else field.size
        if at + size > len(data):
            return None
        if not _take(field, data[at : at + size], values):
            return None
        at += size
    if layout.repeated:
        points: list[dict[str, Any]] = []
        width = sum(field.size or 0 for field in layout.repeated)
        if (len(data) - at) % width or (len(data) - at) // width > MAX_POINTS:
            return None
        while at < len(data):
            point: dict[str, Any] = {}
            for field in layout.repeated:
                if not _take(field, data[at : at + (field.size or 0)], point):
                    return None
                at += field.size or 0
            points.append(point)
        values["points"] = points
    return values if at == len(data) else None


def _take(field: Field, data: bytes, values: dict[str, Any]) -> bool:
    if not field.name:
        return data == bytes((field.constant,))
    if field.name == "_":
        return True
    if field.kind == "text":
        values[field.name] = data.split(b"\x00")[0].decode("utf-8", "replace")
    elif field.kind == "bytes":
        values[field.name] = data
    else:
        (values[field.name],) = struct.unpack(("<" if field.little else ">") + _FORMS[field.kind], data)
    return True
