"""The control panel's side of the talk with one unit: sequence numbers, busy, NAK, repeats.

Sans-io: `send` gives the bytes to put on the wire; then exactly one of `received`
or `silent` is told, and its Verdict says what to do. Legal moves are in TRANSITIONS.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from enum import Enum

from netloom_core.errors import (
    Busy,
    NetloomError,
    NoAnswer,
    NobodyThere,
    ProtocolError,
    Refused,
    Unproven,
    WantsEncryption,
)
from netloom_core.protocols.osdp import frames
from netloom_core.protocols.osdp.constants import (
    BUSY_RETRIES,
    NAK_CHECK,
    NAK_SECURE,
    NAK_SEQUENCE,
    NAK_TEXT,
    RETRIES,
    Rep,
)
from netloom_core.protocols.osdp.messages import Command, Reply
from netloom_core.protocols.osdp.secure import Channel

_NUMBERS = itertools.count(1)
LATE_NAKS = 2 * (1 + RETRIES)  # of commands before; more are a unit that takes no number at all


class State(Enum):
    IDLE = "idle"
    WAITING = "waiting"


class Event(Enum):
    SEND = "send"
    REPLY = "reply"
    BUSY = "busy"
    SILENCE = "silence"
    GIVE_UP = "give up"


TRANSITIONS: dict[tuple[State, Event], State] = {
    (State.IDLE, Event.SEND): State.WAITING,
    (State.WAITING, Event.REPLY): State.IDLE,
    (State.WAITING, Event.BUSY): State.WAITING,
    (State.WAITING, Event.SILENCE): State.WAITING,
    (State.WAITING, Event.GIVE_UP): State.IDLE,
}


@dataclass(frozen=True)
class Again:
    """Put these bytes on the wire, after a pause if the unit was busy."""

    data: bytes
    busy: bool = False


@dataclass(frozen=True)
class Ignore:
    """Not for us, or a late reply to an earlier command: go on waiting."""


Verdict = Reply | Again | Ignore


class Session:
    """One unit's talk. `crc=False` sends checksums; replies of either kind are taken.

    Sequence 0 restarts the talk (5.9); then 1, 2, 3 and round. A repeat carries the same
    number, so the unit gives its reply once more without acting twice, which makes even a
    COMSET safe to repeat. Only after a restart of the numbers is that protection gone.
    """

    def __init__(self, address: int, *, crc: bool = True, name: str = "", retries: int = RETRIES) -> None:
        self.address = address
        self.crc = crc
        self.state = State.IDLE
        self._name = name or f"unit {address}"
        self._retries = retries
        self._sequence = 0
        self._command: Command | None = None
        self._silences = self._busy = self._damaged = self._misnumbered = 0
        self.number = next(_NUMBERS)  # no two talks have the same one
        self.restarts = 0  # how often the numbers began anew: another unit may have taken its place
        self.channel: Channel | None = None  # once it is open, everything goes by it

    def move(self, event: Event) -> None:
        try:
            self.state = TRANSITIONS[self.state, event]
        except KeyError:
            raise RuntimeError(f"a session that is {self.state.value} cannot take {event.value}") from None

    @property
    def sequence(self) -> int:
        """The number of what is sent now, or next."""
        return self._sequence

    def send(self, command: Command) -> bytes:
        self.move(Event.SEND)
        self._command = command
        self._silences = self._busy = self._damaged = self._misnumbered = 0
        return self._bytes()

    def _bytes(self) -> bytes:
        if self._command is None:
            raise RuntimeError("nothing is being sent")
        return self.framed(self._command)

    def framed(self, command: Command) -> bytes:
        """Its bytes on the wire with the number that is due."""
        channel = self.channel
        if channel is None or command.block:
            frame = frames.Frame(
                self.address, command.code, command.data, self._sequence, crc=self.crc, block=command.block
            )
            return frames.encode(frame)
        block, data = bytes((channel.block(command.data),)), channel.hidden(command.data)
        frame = frames.Frame(self.address, command.code, data, self._sequence, crc=self.crc, block=block)
        return frames.encode(frame, channel.sealed)

    def received(self, frame: frames.Frame) -> Verdict:
        if not frame.reply or frame.address != self.address or self.state is not State.WAITING:
            return Ignore()
        if frame.code == Rep.BUSY:  # carries sequence 0 always (7, BUSY)
            self._busy += 1
            if self._busy > BUSY_RETRIES:
                raise self._given_up(
                    Busy(
                        f"{self._name} was busy {self._busy} times in a row.", "Wait until it has finished, try again."
                    )
                )
            self.move(Event.BUSY)
            return Again(self._bytes(), busy=True)
        if frame.code == Rep.NAK and frame.data[:1] == bytes((NAK_SEQUENCE,)):
            return self._refused(frame)  # its number is what it expects or what it got: either is taken (7, NAK)
        if frame.sequence != self._sequence:
            return Ignore()
        if self.channel is not None and frame.mac:
            try:
                plain = self.channel.opened(frame.block[0], frame.signed, frame.data, frame.mac)
            except ProtocolError as error:
                self.restart()
                raise self._given_up(error) from None
            frame = replace(frame, data=plain)
        elif self.channel is not None and frame.code not in (Rep.CCRYPT, Rep.RMAC_I):
            # It has left the secure channel, or another one speaks for it: nothing of that is believed.
            self.restart()
            raise self._given_up(Unproven(f"{self._name} has left its secure channel.", "It is asked again who it is."))
        elif frame.mac:
            return Ignore()
        if frame.code == Rep.NAK:
            return self._refused(frame)
        self.move(Event.REPLY)
        self._sequence = self._sequence % 3 + 1
        return Reply(frame.code, frame.data, frame.block)

    def _refused(self, frame: frames.Frame) -> Verdict:
        reason = frame.data[0] if frame.data else 0
        command = self._command
        if command is None:
            return Ignore()
        if reason == NAK_SEQUENCE and self._sequence == 0 and self._misnumbered < LATE_NAKS:
            # Number 0 is always taken (5.9), so this is to what was sent before, which may have been repeated.
            self._misnumbered += 1
            return Ignore()
        if reason == NAK_SEQUENCE and self._sequence:
            # Its power was away, or another one has its place: it is told nothing before that is known.
            self.restart()
            if self._silences and not command.idempotent:  # said before, too: that may be why it has begun anew
                text = f"{self._name} has begun anew. Whether it carried out command 0x{command.code:02X} is not known."
                raise self._given_up(NoAnswer(text, "Look what it has now."))
            known = "unknown" if self._silences else None
            text = f"{self._name} has begun anew."
            raise self._given_up(Unproven(text, "It is asked again who it is.", outcome=known))
        if reason == NAK_CHECK and self._damaged < RETRIES:
            # It heard a damaged command and did nothing (7, NAK 01): the same once more.
            self._damaged += 1
            self.move(Event.SILENCE)
            return Again(self._bytes())
        text = NAK_TEXT.get(reason, f"error {reason}")
        self._sequence = self._sequence % 3 + 1
        said = f"{self._name} refused command 0x{command.code:02X}: {text}."
        if reason in NAK_SECURE:
            raise self._given_up(WantsEncryption(said, "It takes that only over its secure channel, with its key."))
        raise self._given_up(Refused(said, "Nothing was changed by it."))

    def silent(self, *, garbled: bool = False) -> Again:
        """The reply time is over. Says to repeat, or raises NobodyThere or ProtocolError.

        Number 0 does not protect against acting twice, so a command that must not be carried
        out twice is not repeated with it: what came of it has to be read.
        """
        self._silences += 1
        once = self._command is not None and not self._command.idempotent and self._sequence == 0
        if once or self._silences > self._retries:
            self.restart()
            if garbled:
                raise self._given_up(
                    ProtocolError(
                        f"{self._name} answers with bytes that make no sense.",
                        "Two units may share the address, or the speed is wrong.",
                    )
                )
            raise self._given_up(
                NobodyThere(f"{self._name} does not answer.", "Look at its power, cable and the line's termination.")
            )
        self.move(Event.SILENCE)
        return Again(self._bytes())

    def restart(self) -> None:
        """Number from 0 again, as after a restart of the unit."""
        self._sequence = 0
        self.restarts += 1
        self.channel = None

    def abandon(self) -> None:
        """Whoever was waiting has gone: a talk that is under way is given up, and may be begun anew."""
        if self.state is State.WAITING:
            self.move(Event.GIVE_UP)
            self.restart()

    def _given_up(self, error: NetloomError) -> NetloomError:
        self.move(Event.GIVE_UP)
        return error
