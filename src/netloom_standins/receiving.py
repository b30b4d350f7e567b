"""Taking a file by XMODEM-CRC or YMODEM, as a device does it. It shares no code with the side that sends."""

from __future__ import annotations

import binascii
from collections.abc import Callable

ASK_S = 3.0


class Receiver:
    """`say` takes what goes out. `whole` is the file once it came; `failed` is why it never will.

    `spoils` is called with each block's number and says whether it is to come damaged, as on a bad cable.
    """

    def __init__(self, say: Callable[[bytes], None], *, batch: bool, most: int) -> None:
        self._say, self._batch, self._most = say, batch, most
        self._buffer = bytearray()
        self._expected = 0 if batch else 1
        self._data = bytearray()
        self._size: int | None = None  # as its sender says
        self._ends = 0
        self._headed = not batch
        self.whole: bytes | None = None
        self.failed = ""
        self.over = False
        self.spoils: Callable[[int], bool] = lambda number: False

    def ask(self) -> None:
        """Until the first block comes, now and then."""
        if not self._data and not self._buffer and not self.over:
            self._say(b"C")

    @property
    def size(self) -> int:
        return self._size or 0

    @property
    def received(self) -> int:
        return len(self._data)

    def feed(self, data: bytes) -> None:
        self._buffer += data
        while self._buffer and not self.over:
            head = self._buffer[0]
            if head == 0x04:
                del self._buffer[0]
                self._end()
            elif head == 0x18:
                if len(self._buffer) < 2:
                    return
                if self._buffer[1] == 0x18:
                    self._fail("cancelled")
                    return
                del self._buffer[0]
            elif head in (0x01, 0x02):
                size = 128 if head == 0x01 else 1024
                if len(self._buffer) < size + 5:
                    return
                frame = bytes(self._buffer[: size + 5])
                del self._buffer[: size + 5]
                self._block(frame, size)
            else:
                del self._buffer[0]

    def cancel(self) -> None:
        self._say(b"\x18\x18\x18")
        self._fail("refused")

    def _fail(self, why: str) -> None:
        self.failed, self.over = why, True

    def _block(self, frame: bytes, size: int) -> None:
        number, data, check = frame[1], frame[3 : 3 + size], frame[3 + size :]
        good = frame[1] ^ frame[2] == 0xFF and binascii.crc_hqx(data, 0) == int.from_bytes(check, "big")
        if not good or self.spoils(number):
            self._buffer.clear()
            self._say(b"\x15")
            return
        if self._batch and self.whole is not None:
            self._say(b"\x06")  # the empty head that ends the batch
            self.over = True
            return
        if not self._headed:
            _, _, rest = data.partition(b"\0")
            self._size = int(rest.split(b" ")[0].split(b"\0")[0] or b"0")
            self._headed, self._expected = True, 1
            if self._size > self._most:
                self.cancel()
                return
            self._say(b"\x06C")
            return
        if number == (self._expected - 1) & 0xFF:
            self._say(b"\x06")  # again: the answer to it was lost
            return
        if number != self._expected:
            self.cancel()
            return
        self._data += data
        self._expected = (self._expected + 1) & 0xFF
        if len(self._data) > self._most + 1024:
            self.cancel()
            return
        self._say(b"\x06")

    def _end(self) -> None:
        self._ends += 1
        if self._ends == 1:
            self._say(b"\x15")  # once more, so that it was no noise
            return
        self.whole = bytes(self._data[: self._size]) if self._size is not None else bytes(self._data)
        self._say(b"\x06")
        if self._batch:
            self._say(b"C")
        else:
            self.over = True
