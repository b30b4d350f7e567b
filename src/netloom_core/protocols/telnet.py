"""Telnet: telling data from commands, and the COM port option of RFC 2217. Sans-io.

Source: RFC 854 (commands), RFC 1143 (answering once), RFC 2217 (COM-PORT-OPTION).
"""

from __future__ import annotations

from dataclasses import dataclass, field

from netloom_core.errors import ProtocolError
from netloom_core.protocols.framing import Framing

IAC, DONT, DO, WONT, WILL, SB, SE, BREAK = 255, 254, 253, 252, 251, 250, 240, 243
BINARY, ECHO, SUPPRESS_GO_AHEAD, COM_PORT = 0, 1, 3, 44
SET_BAUDRATE, SET_DATASIZE, SET_PARITY, SET_STOPSIZE, SET_CONTROL, PURGE = 1, 2, 3, 4, 5, 12
SERVER = 100  # what a server answers is the command's number and this
PARITIES = {"N": 1, "O": 2, "E": 3}
CONTROL_BREAK_ON, CONTROL_BREAK_OFF = 5, 6
FLOWS = {"none": 1, "software": 2, "hardware": 3}
MAX_SUB = 1024


@dataclass
class Telnet:
    """One connection's state. `accept` are the options that both sides may use.

    `receive` gives data; what must be sent back gathers in `out`. `ours` are options that the
    far side lets us use, `denied` those it does not; `theirs` are those it uses itself.
    `subs` are the subnegotiations that came.
    """

    accept: frozenset[int] = frozenset({BINARY, ECHO, SUPPRESS_GO_AHEAD})
    out: bytearray = field(default_factory=bytearray)
    ours: set[int] = field(default_factory=set)
    denied: set[int] = field(default_factory=set)
    theirs: set[int] = field(default_factory=set)
    subs: list[tuple[int, bytes]] = field(default_factory=list)
    _answered: set[tuple[int, int]] = field(default_factory=set)
    _state: str = "data"
    _verb: int = 0
    _sub: bytearray = field(default_factory=bytearray)

    def offer(self, *options: int, ask: bool = True) -> None:
        """Say that we will use these and, with `ask`, that the far side should, too.

        The COM port option is only offered: the access server answers DO, and nobody asks it
        to use the option itself (RFC 2217 clause 2).
        """
        for option in options:
            for verb in (WILL, DO) if ask else (WILL,):
                self._answered.add((verb, option))
                self.out += bytes((IAC, verb, option))

    def subnegotiate(self, option: int, body: bytes) -> None:
        self.out += bytes((IAC, SB, option)) + escape(body) + bytes((IAC, SE))

    def taken(self) -> bytes:
        """What is to be sent now."""
        data = bytes(self.out)
        self.out.clear()
        return data

    def receive(self, data: bytes) -> bytes:
        """The data among what came. Raises ProtocolError when a subnegotiation has no end."""
        plain = bytearray()
        for byte in data:
            match self._state:
                case "data":
                    if byte == IAC:
                        self._state = "iac"
                    else:
                        plain.append(byte)
                case "iac":
                    self._command(byte, plain)
                case "option":
                    self._option(self._verb, byte)
                    self._state = "data"
                case "sub":
                    if byte == IAC:
                        self._state = "sub-iac"
                    else:
                        self._grow(byte)
                case "sub-iac":
                    if byte == SE:
                        if self._sub:
                            self.subs.append((self._sub[0], bytes(self._sub[1:])))
                            del self.subs[:-64]
                        self._state = "data"
                    else:
                        self._grow(byte)
                        self._state = "sub"
        return bytes(plain)

    def _grow(self, byte: int) -> None:
        if len(self._sub) >= MAX_SUB:
            raise ProtocolError("a Telnet subnegotiation without end")
        self._sub.append(byte)

    def _command(self, byte: int, plain: bytearray) -> None:
        self._state = "data"
        if byte == IAC:
            plain.append(IAC)
        elif byte in (DO, DONT, WILL, WONT):
            self._verb, self._state = byte, "option"
        elif byte == SB:
            self._sub.clear()
            self._state = "sub"

    def _option(self, verb: int, option: int) -> None:
        good = option in self.accept
        if verb == WILL:
            if good:
                self.theirs.add(option)
            self._say(DO if good else DONT, option)
        elif verb == DO:
            if good:
                self.ours.add(option)
            # An echo by us would type everything twice.
            self._say(WILL if good and option != ECHO else WONT, option)
        elif verb == WONT:
            self.theirs.discard(option)
            self._say(DONT, option)
        else:
            self.ours.discard(option)
            self.denied.add(option)
            self._say(WONT, option)

    def _say(self, verb: int, option: int) -> None:
        if (verb, option) not in self._answered:
            self._answered.add((verb, option))
            self.out += bytes((IAC, verb, option))


def escape(data: bytes) -> bytes:
    return data.replace(b"\xff", b"\xff\xff")


def line_settings(speed: int, framing: Framing) -> list[bytes]:
    """Bodies of the subnegotiations that set a port, RFC 2217 clause 3. There 1.5 stop bits are 3; we have 1 and 2."""
    return [
        bytes((SET_BAUDRATE,)) + speed.to_bytes(4, "big"),
        bytes((SET_DATASIZE, framing.bits)),
        bytes((SET_PARITY, PARITIES[framing.parity])),
        bytes((SET_STOPSIZE, framing.stop)),
        bytes((SET_CONTROL, FLOWS[framing.flow])),
    ]
