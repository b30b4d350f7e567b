"""Modbus RTU on a line whose turn one has: one request, its reply, and who spoke at the wrong time."""

from __future__ import annotations

import asyncio
from collections import deque
from typing import Protocol

from netloom_core.bus.echo import EchoFilter
from netloom_core.bus.timing import PIECES_S, REST_S, line_time
from netloom_core.errors import NoAnswer, NobodyThere, ProtocolError
from netloom_core.links.serial import ByteLink
from netloom_core.patience import Patience, heard
from netloom_core.protocols import modbus

SILENT_CHARACTERS = 3.5  # between frames, serial line guide clause 2.5.1.1
MIN_SILENT_S = 0.00175  # the fixed value above 19200 baud


class Heard(Protocol):
    """What is known of the line: whether its adapter gives back what is sent, when bytes came that make no sense."""

    echoes: bool
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
    patience = Patience(usual, most=usual + line_time(modbus.MAX_PDU + 3, link.speed) + REST_S)
    # The reply to a write of one value is the request itself (clauses 6.5 and 6.6), which an echo only looks like.
    own = EchoFilter(request) if line.echoes or pdu[0] not in (modbus.WRITE_COIL, modbus.WRITE_REGISTER) else None
    while True:
        frame = await _frame(link, patience, own)
        line.echoes = line.echoes or bool(own and own.echoed)
        if not frame:
            silent = NoAnswer if strays else NobodyThere
            raise silent(f"Unit {unit} does not answer.", "Look at its power, its wires and its unit number.")
        answer = modbus.parse_rtu(frame)
        if answer.unit == unit and answer.function == pdu[0]:
            return answer
        strays.add(answer.unit)


async def late_answer(link: ByteLink, unit: int, pdu: bytes, seconds: float) -> modbus.Answer | None:
    """What that unit says so long after its time was over, to what it was asked last; None where it says nothing."""
    patience = Patience(seconds, most=seconds + REST_S)
    while frame := await _frame(link, patience, None):
        try:
            answer = modbus.parse_rtu(frame)
        except ProtocolError:
            continue
        if answer.unit == unit and answer.function == pdu[0]:
            return answer
    return None


async def _frame(link: ByteLink, patience: Patience, own: EchoFilter | None) -> bytes:
    """Bytes until the frame's length or a pause; empty when none came in time, and none after its end."""
    data = b""
    while len(data) <= modbus.MAX_PDU + 3:
        arrived = await heard(link.read, patience.rest(_rest(data, link.speed)) if data else patience)
        if not arrived:
            return data
        data += own.feed(arrived) if own else arrived
        if own and own.holding:
            patience.go_on(line_time(len(own.sent), link.speed) + PIECES_S)
        if data and modbus.rtu_length(data) <= len(data):
            return data
    return data


def _rest(data: bytes, speed: int) -> float:
    """How long the rest may take: an operating system hands bytes over in pieces, a busy one with long pauses."""
    return line_time(max(modbus.rtu_length(data) - len(data), 16), speed) + REST_S


def note(line: Heard, data: bytes, strays: set[int]) -> None:
    """What came when nobody was waited for: whose it was, or when it came if it makes no sense."""
    if not data:
        return
    try:
        strays.add(modbus.parse_rtu(data).unit)
    except ProtocolError:
        line.spoiled.append(asyncio.get_running_loop().time())
