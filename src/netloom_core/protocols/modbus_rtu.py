"""Modbus RTU replies, found in what arrives on a two-wire line.

Frames have no marks, only silence around them (serial line guide V1.02, clause 2.5.1.1), and what hands the bytes over
does not keep that: so a frame is known by its length and its CRC. A driver that is switched on or off, on a line that
nothing polarises (clause 3.4.6), leaves a few bytes of crackle before or behind it.
"""

from __future__ import annotations

from netloom_core.errors import ProtocolError
from netloom_core.protocols import modbus
from netloom_core.protocols.framing import CRACKLE

LONGEST = modbus.MAX_PDU + 3


class Replies:
    """Takes what arrives after a request, in whatever pieces; gives the replies in it.

    The reply to what was asked, of `unit` and with `function`, may stand behind crackle. Others may, too, where they
    came whole. Never holds more than one longest frame and its crackle.
    """

    def __init__(self, unit: int = 0, function: int = 0) -> None:
        self._unit, self._function = unit, function
        self._came = b""

    @property
    def held(self) -> int:
        """How many bytes came behind the last reply."""
        return len(self._came)

    @property
    def missing(self) -> int:
        """Bytes that the longest of what has begun needs at least."""
        return max((modbus.rtu_length(data) - len(data) for data in self._begun()), default=0)

    def feed(self, data: bytes) -> None:
        self._came += data

    def left(self) -> bytes:
        """What came behind the last reply, given away."""
        left, self._came = self._came, b""
        return left

    def take(self) -> modbus.Answer | None:
        """The next reply; None where there is none yet. Raises ProtocolError where what came cannot be one."""
        for start in range(min(CRACKLE + 1, len(self._came))):
            data = self._came[start:]
            if (length := modbus.rtu_length(data)) <= len(data) and modbus.sound(data[:length]):
                self._came = data[length:]
                return modbus.parse_rtu(data[:length])
        over = len(self._came) > LONGEST + CRACKLE
        return self.end() if self._came and (over or self.missing <= 0) else None

    def end(self) -> modbus.Answer | None:
        """After a silence: the frame that came, also one whose length nobody knows; None after crackle.

        Raises ProtocolError for anything else.
        """
        came, begun, self._came = self._came, self._begun(), b""
        for data in begun:
            if modbus.sound(data):
                return modbus.parse_rtu(data)
        if len(came) > CRACKLE:
            raise ProtocolError(f"{len(came)} bytes that are no Modbus frame")
        return None

    def _begun(self) -> list[bytes]:
        """What may be a frame: all of it, or behind crackle the reply to what was asked."""
        asked = (data for start in range(1, CRACKLE + 1) if self._asked(data := self._came[start:]))
        return [self._came, *asked] if self._came else []

    def _asked(self, data: bytes) -> bool:
        return data[:1] == bytes((self._unit,)) and (len(data) < 2 or data[1] & 0x7F == self._function)
