"""Frames: bytes in, frames out, and back. No port, no clock.

    SOM ADDR LEN_LSB LEN_MSB CTRL CODE DATA... CHECK

LEN counts every byte from SOM to the end of the check, which is a CRC-16 (two
bytes, low first) or a one-byte checksum as CTRL says. With a security block (annex D) its length, type and data
stand between CTRL and CODE, and from type 15 on four bytes of a MAC before the check.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.osdp.constants import (
    CONFIG_ADDRESS,
    CRC_POLYNOMIAL,
    CRC_START,
    CTRL_CRC,
    CTRL_SECURITY,
    CTRL_SEQUENCE,
    HEADER_BYTES,
    MAC_BYTES,
    MAX_FRAME,
    MIN_FRAME,
    REPLY_FLAG,
    SEALED,
    SOM,
)


def _crc_table() -> tuple[int, ...]:
    table = []
    for byte in range(256):
        value = byte << 8
        for _ in range(8):
            value = ((value << 1) ^ CRC_POLYNOMIAL if value & 0x8000 else value << 1) & 0xFFFF
        table.append(value)
    return tuple(table)


_TABLE = _crc_table()


def crc16(data: bytes) -> int:
    value = CRC_START
    for byte in data:
        value = ((value << 8) & 0xFFFF) ^ _TABLE[(value >> 8) ^ byte]
    return value


def checksum(data: bytes) -> int:
    """Two's complement of the sum, so that all bytes of a good frame add up to 0 modulo 256."""
    return -sum(data) & 0xFF


@dataclass(frozen=True)
class Frame:
    """One message. `address` is without the reply flag, `sequence` 0 to 3.

    `block` is the security block from its type on; `mac` the MAC's first bytes, and `signed` the bytes that it covers.
    """

    address: int
    code: int
    data: bytes = b""
    sequence: int = 0
    reply: bool = False
    crc: bool = True
    block: bytes = b""
    mac: bytes = b""
    signed: bytes = b""


def encode(frame: Frame, seal: Callable[[bytes], bytes] | None = None) -> bytes:
    """`seal` gives the MAC for what stands before it, on an open secure channel."""
    if not 0 <= frame.address <= CONFIG_ADDRESS:
        raise ValueError(f"address {frame.address} is not 0 to 127")
    block = bytes((len(frame.block) + 1,)) + frame.block if frame.block else b""
    length = HEADER_BYTES + len(block) + 1 + len(frame.data) + (MAC_BYTES if seal else 0) + (2 if frame.crc else 1)
    if length > MAX_FRAME:
        raise ValueError(f"a frame of {length} bytes is longer than {MAX_FRAME}")
    head = bytes(
        (
            SOM,
            frame.address | (REPLY_FLAG if frame.reply else 0),
            length & 0xFF,
            length >> 8,
            (frame.sequence & CTRL_SEQUENCE) | (CTRL_CRC if frame.crc else 0) | (CTRL_SECURITY if block else 0),
        )
    )
    body = head + block + bytes((frame.code,)) + frame.data
    if seal is not None:
        body += seal(body)
    return body + (crc16(body).to_bytes(2, "little") if frame.crc else bytes((checksum(body),)))


class Receiver:
    """Collects bytes and gives whole frames; skips what cannot be one.

    `noise` counts the bytes that were skipped since the last `clear`. Never holds more
    than one longest frame.
    """

    def __init__(self) -> None:
        self._buffer = bytearray()
        self.noise = 0

    @property
    def pending(self) -> int:
        """Bytes since the last frame: skipped ones, and those of a frame that has begun."""
        return self.noise + len(self._buffer)

    def clear(self) -> None:
        self._buffer.clear()
        self.noise = 0

    def feed(self, data: bytes) -> list[Frame]:
        """All frames that are complete now. Damaged ones count as noise, byte by byte."""
        self._buffer += data
        frames: list[Frame] = []
        while True:
            self._seek_start()
            if len(self._buffer) < 4:
                return frames
            length = self._buffer[2] | self._buffer[3] << 8
            if not MIN_FRAME <= length <= MAX_FRAME:
                self._skip(1)
                continue
            if len(self._buffer) < length:
                return frames
            try:
                frames.append(decode(bytes(self._buffer[:length])))
            except ProtocolError:
                self._skip(1)
                continue
            del self._buffer[:length]

    def released(self) -> list[Frame]:
        """After a silence: frames behind what only looked like the beginning of one."""
        frames: list[Frame] = []
        while self._buffer:
            self._skip(1)
            frames += self.feed(b"")
        return frames

    def _seek_start(self) -> None:
        start = self._buffer.find(SOM)
        self._skip(len(self._buffer) if start < 0 else start)

    def _skip(self, count: int) -> None:
        self.noise += count
        del self._buffer[:count]


def decode(raw: bytes) -> Frame:
    """One whole frame. Raises ProtocolError for anything else."""
    if len(raw) < MIN_FRAME or raw[0] != SOM or (raw[2] | raw[3] << 8) != len(raw) or len(raw) > MAX_FRAME:
        raise ProtocolError("The bytes are not one OSDP frame.")
    control = raw[4]
    crc = bool(control & CTRL_CRC)
    tail = 2 if crc else 1
    if len(raw) < HEADER_BYTES + 1 + tail:
        raise ProtocolError("The frame is too short for its check.")
    body = raw[:-tail]
    good = crc16(body) == int.from_bytes(raw[-2:], "little") if crc else checksum(body) == raw[-1]
    if not good:
        raise ProtocolError("The frame's check does not match its bytes.")
    block, mac, signed, at = b"", b"", b"", HEADER_BYTES
    if control & CTRL_SECURITY:
        size = raw[HEADER_BYTES]
        at += size
        sealed = size >= 2 and raw[HEADER_BYTES + 1] >= SEALED
        if size < 2 or len(body) < at + 1 + (MAC_BYTES if sealed else 0):
            raise ProtocolError("The security block is longer than its frame.")
        block = body[HEADER_BYTES + 1 : at]
        if sealed:
            signed, mac, body = body[:-MAC_BYTES], body[-MAC_BYTES:], body[:-MAC_BYTES]
    return Frame(
        address=raw[1] & ~REPLY_FLAG & 0xFF,
        code=body[at],
        data=body[at + 1 :],
        sequence=control & CTRL_SEQUENCE,
        reply=bool(raw[1] & REPLY_FLAG),
        crc=crc,
        block=block,
        mac=mac,
        signed=signed,
    )
