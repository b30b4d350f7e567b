"""Serial block transfer, the side that sends: XMODEM with CRC, XMODEM-1K and YMODEM batch. Sans-io.

Source: Chuck Forsberg, "XMODEM/YMODEM Protocol Reference" (18 October 1988): chapter 3 (YMODEM batch), 4 and 7
(blocks of 1024 bytes, XMODEM), 8 (CRC-16, polynomial 0x1021, from 0).

Give `Sender.feed` what comes and `Sender.silence` how long nothing did; both answer with what is to be sent. After that
`done` says whether the receiver has confirmed the end.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import Enum
from typing import Literal

from netloom_core.errors import NoAnswer, ProtocolError, Refused

SOH, STX, EOT, ACK, NAK, CAN, SUB = 0x01, 0x02, 0x04, 0x06, 0x15, 0x18, 0x1A
CRC_ASKED, STREAM_ASKED = ord("C"), ord("G")
SHORT, LONG = 128, 1024
TRIES = 10  # of one block (chapter 7.3)
BEGIN_S = 60.0  # until the receiver asks for the first block
ANSWER_S = 12.0  # to a block; a receiver asks again after 10 s itself (chapter 7.3.2)
QUIET_TRIES = 3  # in a row without any answer: then nobody is there
ASKED_AGAIN_S = 2.0  # receivers ask every three seconds or so until the first block comes
CANCELS = 2  # in a row: one alone may be noise (chapter 7.3.1)
NAME = 100  # letters of a file's name, so that block 0 stays short

Way = Literal["xmodem", "xmodem-1k", "ymodem"]
Read = Callable[[int, int], bytes]


class _At(Enum):
    BEGIN = "the receiver has not asked for it yet"
    HEAD = "its name was not confirmed"
    DATA_ASKED = "the receiver has not asked for its contents yet"
    DATA = "a block was not confirmed"
    END = "its end was not confirmed"
    BATCH = "the receiver has not asked for another file yet"
    CLOSE = "the end of all was not confirmed"
    DONE = ""


def crc16(data: bytes) -> int:
    """CRC-16 as XMODEM has it: 0x31C3 for "123456789"."""
    crc = 0
    for byte in data:
        crc ^= byte << 8
        for _ in range(8):
            crc = (crc << 1 ^ 0x1021) & 0xFFFF if crc & 0x8000 else crc << 1
    return crc


_TABLE = [crc16(bytes((byte,))) for byte in range(256)]


def _crc(data: bytes) -> int:
    crc = 0
    for byte in data:
        crc = (crc << 8 & 0xFFFF) ^ _TABLE[crc >> 8 ^ byte]
    return crc


def block(number: int, data: bytes, *, crc: bool = True) -> bytes:
    """One block; `data` is filled up to 128 or 1024 bytes. With the old sum of all bytes where `crc` is false."""
    size = SHORT if len(data) <= SHORT else LONG
    whole = data.ljust(size, bytes((SUB,)))
    check = _crc(whole).to_bytes(2, "big") if crc else bytes((sum(whole) & 0xFF,))
    low = number & 0xFF
    return bytes((SOH if size == SHORT else STX, low, 0xFF - low)) + whole + check


class Sender:
    """`read(offset, size)` gives the file's bytes; `sent` are those that the receiver confirmed."""

    def __init__(self, way: Way, name: str, size: int, read: Read) -> None:
        self._way, self._read, self.size = way, read, size
        self._name = "".join(c for c in name.rpartition("/")[2] if 32 < ord(c) < 127)[-NAME:] or "file"
        self._at = _At.BEGIN
        self._crc = True
        self._number, self._offset, self._length = 0, 0, 0
        self._last = b""
        self._tries, self._quiet, self._cancels, self._waited = 0, 0, 0, 0.0
        self.sent = 0
        self.rest = b""  # what came after the end: words about it

    @property
    def done(self) -> bool:
        return self._at is _At.DONE

    def feed(self, data: bytes) -> bytes:
        """What to send now. Raises Refused where the receiver cancels, ProtocolError where it takes no block."""
        out = b""
        for at, byte in enumerate(data):
            if self.done:
                self.rest += data[at:]
                break
            if out and byte != CAN:
                continue  # it was sent before this: no answer to it
            try:
                out += self._heard(byte)
            except Refused:
                self.rest += data[at + 1 :].lstrip(bytes((CAN, 0x08)))
                raise
        return out

    def silence(self, seconds: float) -> bytes:
        """Nothing came for that long since the last call of either. Raises NoAnswer at the end of patience."""
        self._waited += seconds
        if self._waited < (BEGIN_S if self._at is _At.BEGIN else ANSWER_S):
            return b""
        if self._at is _At.BEGIN:
            raise NoAnswer("It did not ask for the file.", "Is it ready to take one?", outcome="not_sent")
        if self._at in (_At.BATCH, _At.CLOSE):
            self._at = _At.DONE  # it has confirmed the whole file; that no other one follows it need not know
            return b""
        self._quiet += 1
        return self._again("it fell silent", over=self._quiet > QUIET_TRIES)

    def cancel(self) -> bytes:
        """What tells the receiver that nothing more comes (chapter 7.3.1)."""
        return bytes((CAN,)) * 8

    def _heard(self, byte: int) -> bytes:
        if byte == CAN:
            self._cancels += 1
            if self._cancels >= CANCELS:
                raise Refused(
                    f"The device cancelled the transfer after {self.sent} of {self.size} bytes.",
                    "What it says about it, and its lights, tell why.",
                )
            return b""
        self._cancels = 0
        if byte not in (ACK, NAK, CRC_ASKED, STREAM_ASKED):
            return b""  # noise, or words of a console before it begins
        self._quiet = 0
        asked_early = byte == CRC_ASKED and self._waited < ASKED_AGAIN_S
        self._waited = 0.0
        match self._at:
            case _At.BEGIN:
                return self._begin(byte)
            case _At.DATA_ASKED:
                return self._next() if byte in (CRC_ASKED, NAK) else b""
            case _At.BATCH:
                return self._closed() if byte in (CRC_ASKED, NAK) else b""
            case _At.DONE:
                return b""
        if byte == ACK:
            return self._confirmed()
        if byte == STREAM_ASKED or asked_early or (byte == CRC_ASKED and self.sent):
            return b""  # of a receiver that asked several times before the first block came
        return self._again("it takes none of them whole")

    def _begin(self, byte: int) -> bytes:
        if byte == ACK:
            return b""
        if byte == STREAM_ASKED:
            return b""  # YMODEM-g wants a line without errors; it asks for the plain one after a while
        self._crc = byte == CRC_ASKED
        if self._way != "ymodem":
            return self._next()
        self._at = _At.HEAD
        return self._say(block(0, f"{self._name}\0{self.size}\0".encode("ascii").ljust(SHORT, b"\0"), crc=self._crc))

    def _confirmed(self) -> bytes:
        match self._at:
            case _At.HEAD:
                self._at = _At.DATA_ASKED
                return b""
            case _At.DATA:
                self._offset += self._length
                self.sent = self._offset
                return self._next()
            case _At.END:
                self._at = _At.BATCH if self._way == "ymodem" else _At.DONE
                return b""
        self._at = _At.DONE
        return b""

    def _next(self) -> bytes:
        left = self.size - self._offset
        if left <= 0:
            self._at = _At.END
            return self._say(bytes((EOT,)))
        # A long block of which most would be filling goes as short ones (chapter 4.1).
        size = SHORT if self._way == "xmodem" or left <= LONG - SHORT else LONG
        data = self._read(self._offset, min(size, left))
        if not data:
            raise ProtocolError("The file ended before its end.", outcome="unknown")
        self._at, self._length = _At.DATA, len(data)
        self._number += 1
        return self._say(block(self._number, data, crc=self._crc))

    def _closed(self) -> bytes:
        self._at = _At.CLOSE
        return self._say(block(0, bytes(SHORT), crc=self._crc))

    def _say(self, data: bytes) -> bytes:
        self._last, self._tries, self._waited = data, 1, 0.0
        return data

    def _again(self, why: str, *, over: bool = False) -> bytes:
        self._waited = 0.0
        if over or self._tries >= TRIES:
            raise NoAnswer(
                f"After {self.sent} of {self.size} bytes {self._at.value}, sent {self._tries} times: {why}.",
                "Look at the cable and the speed; begin again.",
            )
        self._tries += 1
        # Where it is the receiver's turn to ask, a block again would be confirmed twice, and the next one with it.
        return b"" if self._at is _At.DATA_ASKED else self._last
