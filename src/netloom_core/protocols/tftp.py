"""TFTP, the side that gives one file. Sans-io.

Source: RFC 1350, with the options of RFC 2347, RFC 2348 (blksize) and RFC 2349 (timeout, tsize).

`parse_request` takes a first datagram; `Giving` is one transfer: what came in, what goes out, when nothing came.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from netloom_core.errors import NoAnswer, ProtocolError, Refused

RRQ, WRQ, DATA, ACK, ERROR, OACK = 1, 2, 3, 4, 5, 6
NOT_FOUND, DENIED, ILLEGAL, UNKNOWN_ID = 1, 2, 4, 5
BLOCK = 512
LEAST_BLOCK, MOST_BLOCK = 8, 1428  # of a datagram that goes through an Ethernet whole (RFC 2348 allows more)
AGAIN_S = 1.0
MOST_AGAIN_S = 30
TRIES = 8
MOST_REQUEST = 516
AHEAD = 65_536

Read = Callable[[int, int], bytes]


@dataclass(frozen=True)
class Request:
    name: str
    mode: str
    options: dict[str, str]


@dataclass(frozen=True)
class File:
    """`read(offset, size)` gives so many bytes from there."""

    name: str
    size: int
    read: Read


def error(code: int, words: str) -> bytes:
    return ERROR.to_bytes(2, "big") + code.to_bytes(2, "big") + words.encode("ascii", "replace") + b"\0"


def parse_request(data: bytes) -> Request:
    """A read request. Raises ProtocolError for anything else."""
    if len(data) < 4 or len(data) > MOST_REQUEST:
        raise ProtocolError(f"A request of {len(data)} bytes is none of TFTP.")
    code = int.from_bytes(data[:2], "big")
    if code != RRQ:
        raise ProtocolError("It wants to write, and nothing is taken." if code == WRQ else "No read request.")
    if data[-1:] != b"\0":
        raise ProtocolError("A request that does not end.")
    parts = [part.decode("latin-1") for part in data[2:-1].split(b"\0")]
    if len(parts) < 2 or not parts[0]:
        raise ProtocolError("A request without a name or a mode.")
    options = {parts[n].lower(): parts[n + 1] for n in range(2, len(parts) - 1, 2)}
    return Request(parts[0], parts[1].lower(), options)


class Giving:
    """One file to one client. `first()` is what answers its request; `sent` are the bytes that it confirmed."""

    def __init__(self, request: Request, size: int, read: Read) -> None:
        if request.mode != "octet":
            raise ProtocolError(f"Firmware is given as it is, in octet mode, not in {request.mode[:20]}.")
        self._read, self.size = read, size
        self._block = BLOCK
        self.again_s = AGAIN_S
        self._agreed = self._agree(request.options)
        self._number = 0  # of the last block that was sent, counted on beyond 16 bits
        self._last = b""
        self._ahead, self._ahead_from = b"", 0
        self._tries, self._waited = 0, 0.0
        self.sent = 0
        self.done = False

    def _agree(self, options: dict[str, str]) -> dict[str, str]:
        """Options that are not understood, or whose value cannot be, are left out (RFC 2347)."""
        agreed: dict[str, str] = {}
        for name, said in options.items():
            if not (said.isascii() and said.isdecimal() and len(said) <= 10):
                continue
            value = int(said)
            if name == "blksize" and value >= LEAST_BLOCK:
                self._block = min(value, MOST_BLOCK)
                agreed[name] = str(self._block)
            elif name == "tsize":
                agreed[name] = str(self.size)
            elif name == "timeout" and 1 <= value <= MOST_AGAIN_S:
                self.again_s = float(value)
                agreed[name] = said
        return agreed

    def first(self) -> bytes:
        if not self._agreed:
            return self._next()
        words = b"".join(f"{name}\0{value}\0".encode("ascii") for name, value in self._agreed.items())
        return self._say(OACK.to_bytes(2, "big") + words)

    def feed(self, data: bytes) -> bytes:
        """What to send now; empty for what is no answer of this transfer. Raises Refused where the client gives up."""
        if len(data) < 4:
            return b""
        code, number = int.from_bytes(data[:2], "big"), int.from_bytes(data[2:4], "big")
        if code == ERROR:
            words = data[4:].split(b"\0")[0].decode("ascii", "replace")[:120]
            raise Refused(f"The device ended the transfer after {self.sent} of {self.size} bytes: {words or number}.")
        # An answer to an earlier block is answered with nothing, else each would be sent twice from then on
        # (RFC 1123, 4.2.3.1).
        if code != ACK or number != self._number & 0xFFFF or self.done:
            return b""
        self._waited = 0.0
        self.sent = min(self._number * self._block, self.size)
        if self._number and len(self._last) < 4 + self._block:
            self.done = True
            return b""
        return self._next()

    def silence(self, seconds: float) -> bytes:
        """Nothing came for that long. Raises NoAnswer after some tries."""
        self._waited += seconds
        if self._waited < self.again_s:
            return b""
        self._waited = 0.0
        if self._tries >= TRIES:
            raise NoAnswer(
                f"The device fell silent after {self.sent} of {self.size} bytes.", "Look at its power and cable."
            )
        self._tries += 1
        return self._last

    def _next(self) -> bytes:
        data = self._part(self._number * self._block)
        self._number += 1
        return self._say(DATA.to_bytes(2, "big") + (self._number & 0xFFFF).to_bytes(2, "big") + data)

    def _part(self, offset: int) -> bytes:
        """One block, of what was read ahead: a disk is not asked for each."""
        at = offset - self._ahead_from
        if at < 0 or at + self._block > len(self._ahead):
            self._ahead, self._ahead_from, at = self._read(offset, AHEAD), offset, 0
        return self._ahead[at : at + self._block]

    def _say(self, data: bytes) -> bytes:
        self._last, self._tries, self._waited = data, 1, 0.0
        return data
