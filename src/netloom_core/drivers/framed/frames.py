"""Frames as a profile describes them: marks, length, check, stuffing. Sans-io.

    START [LENGTH] BODY [CHECK] [END]

`length` counts the body, or all of the frame. The check is over what stands before it, from behind the start mark or
with it. With stuffing, what may not stand inside is said as `by` and the byte with some bits turned.
"""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator, model_validator

from netloom_core.errors import ProtocolError
from netloom_core.types.base import Part

MAX_FRAME = 4096


class Check(Part):
    """A sum, an exclusive or, or a CRC by its parameters (width, polynomial, start, reflected, turned at the end)."""

    kind: Literal["none", "sum", "xor", "crc"] = "none"
    width: int = Field(default=1, ge=1, le=4)  # in bytes
    poly: int = Field(default=0x1021, ge=1, le=0xFFFFFFFF)
    start: int = Field(default=0, ge=0, le=0xFFFFFFFF)
    reflected: bool = False
    turned: int = Field(default=0, ge=0, le=0xFFFFFFFF)
    little: bool = False
    with_start: bool = False

    @property
    def size(self) -> int:
        return 0 if self.kind == "none" else self.width

    def made(self, data: bytes) -> bytes:
        order: Literal["little", "big"] = "little" if self.little else "big"
        return (self._number(data) & (1 << 8 * self.width) - 1).to_bytes(self.width, order)

    def _number(self, data: bytes) -> int:
        if self.kind == "sum":
            return (sum(data) + self.start) ^ self.turned
        if self.kind == "xor":
            value = self.start
            for byte in data:
                value ^= byte
            return value ^ self.turned
        width = 8 * self.width
        value = self.start
        for byte in data:
            if self.reflected:
                value ^= byte
                for _ in range(8):
                    value = value >> 1 ^ (_mirrored(self.poly, width) if value & 1 else 0)
            else:
                value ^= byte << width - 8
                for _ in range(8):
                    value = (value << 1 ^ self.poly if value & 1 << width - 1 else value << 1) & (1 << width) - 1
        return value ^ self.turned


def _mirrored(value: int, width: int) -> int:
    return int(f"{value:0{width}b}"[::-1], 2)


class Framing(Part):
    """`start`, `end` and `stuffed` are bytes in hexadecimal; `stuffed` may not stand inside, `by` is said instead."""

    start: str = Field(default="", pattern=r"^([0-9A-Fa-f]{2}){0,4}$")
    end: str = Field(default="", pattern=r"^([0-9A-Fa-f]{2}){0,2}$")
    length: Literal["none", "body", "frame"] = "none"
    length_bytes: int = Field(default=1, ge=1, le=2)
    length_little: bool = False
    check: Check = Check()
    stuffed: str = Field(default="", pattern=r"^([0-9A-Fa-f]{2}){0,8}$")
    by: str = Field(default="", pattern=r"^([0-9A-Fa-f]{2})?$")
    turned: int = Field(default=0x20, ge=0, le=255)

    @field_validator("check", mode="before")
    @classmethod
    def _named(cls, value: object) -> object:
        return {"kind": value} if isinstance(value, str) else value

    @model_validator(mode="after")
    def _ends(self) -> Framing:
        if self.length == "none" and not self.end:
            raise ValueError("nobody knows where such a frame ends: give a length or an end mark")
        if bool(self.stuffed) != bool(self.by):
            raise ValueError("stuffing needs both what is stuffed and by what")
        return self

    @property
    def overhead(self) -> int:
        return (len(self.start) + len(self.end)) // 2 + self.check.size + self._length_size

    @property
    def _length_size(self) -> int:
        return self.length_bytes if self.length != "none" else 0

    def encoded(self, body: bytes) -> bytes:
        start, end = bytes.fromhex(self.start), bytes.fromhex(self.end)
        head = b""
        if self.length != "none":
            count = len(body) if self.length == "body" else len(body) + self.overhead
            if count >= 1 << 8 * self.length_bytes:
                raise ProtocolError(f"A message of {len(body)} bytes is too long for its frame.", outcome="not_sent")
            head = count.to_bytes(self.length_bytes, "little" if self.length_little else "big")
        inner = head + body
        if self.check.size:
            inner += self.check.made((start if self.check.with_start else b"") + inner)
        return start + self._stuff(inner) + end

    def _stuff(self, data: bytes) -> bytes:
        if not self.by:
            return data
        special, by = bytes.fromhex(self.stuffed + self.by), bytes.fromhex(self.by)
        return b"".join(by + bytes((byte ^ self.turned,)) if byte in special else bytes((byte,)) for byte in data)

    def _bare(self, data: bytes) -> bytes | None:
        """Without stuffing; None where its last byte is still to come."""
        if not self.by:
            return data
        out, by, turn = bytearray(), bytes.fromhex(self.by)[0], False
        for byte in data:
            if turn:
                out.append(byte ^ self.turned)
                turn = False
            elif byte == by:
                turn = True
            else:
                out.append(byte)
        return None if turn else bytes(out)

    def inner(self, data: bytes) -> bytes | None:
        """The body of what stands between the marks, where length and check are right; None where they are not."""
        size, body = self._length_size, data
        if len(data) < size + self.check.size:
            return None
        if self.check.size:
            body, check = data[: -self.check.size], data[-self.check.size :]
            start = bytes.fromhex(self.start) if self.check.with_start else b""
            if self.check.made(start + body) != check:
                return None
        if size:
            count = int.from_bytes(body[:size], "little" if self.length_little else "big")
            body = body[size:]
            if count != (len(body) if self.length == "body" else len(body) + self.overhead):
                return None
        return body


class Receiver:
    """Collects bytes and gives the bodies of whole frames; skips what cannot be one, byte by byte."""

    def __init__(self, framing: Framing) -> None:
        self._framing = framing
        self._buffer = bytearray()

    def clear(self) -> None:
        self._buffer.clear()

    def feed(self, data: bytes) -> list[bytes]:
        self._buffer += data
        del self._buffer[: -2 * MAX_FRAME]
        found: list[bytes] = []
        start = bytes.fromhex(self._framing.start)
        while self._buffer:
            at = self._buffer.find(start) if start else 0
            if at < 0:
                del self._buffer[: max(len(self._buffer) - len(start) + 1, 0)]
                break
            del self._buffer[:at]
            size = self._size(bytes(self._buffer))
            if size == 0:
                break
            if size == 2 * len(start) and self._framing.start == self._framing.end:
                del self._buffer[: len(start)]  # the end of one frame before the start of the next
                continue
            body = self._body(bytes(self._buffer[:size])) if size > 0 else None
            if body is None:
                del self._buffer[:1]
                continue
            found.append(body)
            del self._buffer[:size]
        return found

    def _size(self, data: bytes) -> int:
        """Of the frame that begins here, as it is on the wire; 0 while that is not told, -1 where it cannot be one."""
        framing = self._framing
        start, end = len(framing.start) // 2, bytes.fromhex(framing.end)
        if framing.end and (framing.by or framing.length == "none"):
            at = data.find(end, start)
            return at + len(end) if at >= 0 else (-1 if len(data) > MAX_FRAME else 0)
        # By the length, which may itself be stuffed.
        for upto in range(start + framing.length_bytes, min(len(data), start + 2 * framing.length_bytes) + 1):
            bare = framing._bare(data[start:upto])
            if bare is not None and len(bare) >= framing.length_bytes:
                count = int.from_bytes(bare[: framing.length_bytes], "little" if framing.length_little else "big")
                inner = framing.length_bytes + count + framing.check.size
                if framing.length == "frame":
                    inner = count - (len(framing.start) + len(framing.end)) // 2
                if not 0 < inner <= MAX_FRAME:
                    return -1
                return self._reached(data, start, inner, len(end))
        return 0 if len(data) < start + 2 * framing.length_bytes else -1

    def _reached(self, data: bytes, start: int, inner: int, tail: int) -> int:
        """How far so many bytes reach on the wire."""
        if not self._framing.by:
            size = start + inner + tail
            return size if len(data) >= size else 0
        seen, at, by = 0, start, bytes.fromhex(self._framing.by)[0]
        while seen < inner:
            at += 2 if at < len(data) and data[at] == by else 1
            seen += 1
        return at + tail if len(data) >= at + tail else 0

    def _body(self, raw: bytes) -> bytes | None:
        framing = self._framing
        start, end = len(framing.start) // 2, bytes.fromhex(framing.end)
        if end and not raw.endswith(end):
            return None
        bare = framing._bare(raw[start : len(raw) - len(end)])
        return framing.inner(bare) if bare is not None else None
