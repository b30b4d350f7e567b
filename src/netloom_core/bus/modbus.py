"""Modbus RTU on a line whose turn one has: one request, its reply, and who spoke at the wrong time."""

from __future__ import annotations

import asyncio
from collections import deque
from typing import Protocol

from netloom_core.bus.crackle import Crackle
from netloom_core.bus.echo import EchoFilter
from netloom_core.bus.timing import REST_S, line_time
from netloom_core.errors import NoAnswer, NobodyThere, ProtocolError
from netloom_core.links.serial import ByteLink
from netloom_core.patience import Patience, heard
from netloom_core.protocols import modbus
from netloom_core.protocols.framing import CRACKLE
from netloom_core.protocols.modbus_rtu import LONGEST, Replies

SILENT_CHARACTERS = 3.5  # between frames, serial line guide clause 2.5.1.1
MIN_SILENT_S = 0.00175  # the fixed value above 19200 baud


class Heard(Protocol):
    """What is known of the line: whether its adapter gives back what is sent, whether drivers leave bytes on it, when
    bytes came that make no sense."""

    echoes: bool
    crackle: Crackle
    garbled_at: float  # when the first bytes of the last reply came
    spoiled: deque[float]


async def exchange(
    line: Heard, link: ByteLink, unit: int, pdu: bytes, timeout: float, strays: set[int]
) -> modbus.Answer:
    """The answer of one unit, waited for at most `timeout` seconds after the request's line time.

    A whole frame of another unit is a late answer: its number goes to `strays`. Raises NobodyThere
    after silence, NoAnswer where only others are heard, and ProtocolError for bytes that are no frame.
    """
    await asyncio.sleep(max(line_time(SILENT_CHARACTERS, link.speed), MIN_SILENT_S))
    note(line, link.take(), strays)
    request = modbus.rtu(unit, pdu)
    link.write(request)
    usual = line_time(len(request), link.speed) + timeout
    patience = Patience(usual, most=usual + line_time(LONGEST, link.speed) + REST_S)
    # The reply to a write of one value is the request itself (clauses 6.5 and 6.6), which an echo only looks like.
    own = EchoFilter(request) if line.echoes or pdu[0] not in (modbus.WRITE_COIL, modbus.WRITE_REGISTER) else None
    replies = Replies(unit, pdu[0])
    try:
        while answer := await _next(line, link, patience, replies, own):
            if answer.unit == unit and answer.function == pdu[0]:
                return answer
            strays.add(answer.unit)
            patience.back()
    finally:
        line.echoes = line.echoes or bool(own and own.echoed)
        note(line, replies.left(), strays)
    silent = NoAnswer if strays else NobodyThere
    raise silent(f"Unit {unit} does not answer.", "Look at its power, its wires and its unit number.")


async def late_answer(line: Heard, link: ByteLink, unit: int, pdu: bytes, seconds: float) -> modbus.Answer | None:
    """What that unit says so long after its time was over, to what it was asked last; None where it says nothing."""
    patience, replies = Patience(seconds, most=seconds + REST_S), Replies(unit, pdu[0])
    while True:
        try:
            answer = await _next(line, link, patience, replies, None)
        except ProtocolError:
            continue
        if answer is None or (answer.unit == unit and answer.function == pdu[0]):
            return answer


async def _next(
    line: Heard, link: ByteLink, patience: Patience, replies: Replies, own: EchoFilter | None
) -> modbus.Answer | None:
    """The next reply; None when none came in time. Raises ProtocolError for bytes that are no frame."""
    while (answer := replies.take()) is None:
        # An operating system hands bytes over in pieces, a busy one with long pauses.
        took, undecided = line_time(max(replies.missing, 16), link.speed), own.held if own else 0
        if undecided or 0 < replies.held <= CRACKLE:  # perhaps the beginning of one, and one may come behind it
            patience.go_on(line.crackle.rest(took))
        arrived = await heard(link.read, patience.rest(took + REST_S) if replies.held > CRACKLE else patience)
        if not arrived:
            replies.feed(own.release() if own else b"")
            if replies.held and (answer := replies.take() or replies.end()) is None:
                line.crackle.nothing_followed()
            return answer
        if not replies.held:
            line.garbled_at = asyncio.get_running_loop().time()
        replies.feed(own.feed(arrived) if own else arrived)
        if own and own.echoed and undecided:
            patience.back()
    return answer


def note(line: Heard, data: bytes, strays: set[int]) -> None:
    """What came when nobody was waited for: whose it was, or when it came if it makes no sense."""
    replies = Replies()
    replies.feed(data)
    try:
        while answer := replies.take() or replies.end():
            strays.add(answer.unit)
    except ProtocolError:
        line.spoiled.append(asyncio.get_running_loop().time())
