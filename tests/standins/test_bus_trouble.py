"""A bus with trouble on it: adapters that echo, another control panel, garbage without end, cancelled talks."""

from __future__ import annotations

import asyncio
import os
import pty
import tty
from collections.abc import AsyncIterator, Callable
from pathlib import Path
from types import SimpleNamespace

import pytest
import pytest_asyncio

from netloom_core.bus.modbus import exchange
from netloom_core.bus.owner import TURN_S, Owners, SerialOwner
from netloom_core.clock import SystemClock
from netloom_core.errors import NoAnswer, PortMissing, Refused
from netloom_core.library.load import Library
from netloom_core.links.serial import SerialLink
from netloom_core.model.line import Line
from netloom_core.protocols import modbus
from netloom_core.protocols.osdp import flows, frames
from netloom_core.protocols.osdp.constants import Cmd, Rep
from netloom_core.protocols.osdp.frames import Frame
from netloom_core.protocols.osdp.messages import PdId
from netloom_core.protocols.osdp.session import Session
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.sweep.sweep import sweep
from netloom_core.testing.check_link import check_link
from netloom_standins.pty_port import PtyPort

PDID = PdId("0A4E4C", 2, 1, 0x00A41C02, "1.2.3").pack()
Answer = Callable[[Frame], list[bytes]]


class FarEnd:
    """The other end of the line: takes frames and sends what `answer` gives, after an echo where it echoes."""

    def __init__(self) -> None:
        self.master, self.slave = pty.openpty()
        tty.setraw(self.slave)
        os.set_blocking(self.master, False)
        self.path = os.ttyname(self.slave)
        self.answer: Answer = lambda frame: []
        self.echo = False
        self.heard = bytearray()
        self._receiver = frames.Receiver()
        asyncio.get_running_loop().add_reader(self.master, self._readable)

    def _readable(self) -> None:
        data = os.read(self.master, 4096)
        self.heard += data
        if self.echo:
            os.write(self.master, data)
        for frame in self._receiver.feed(data):
            for piece in self.answer(frame):
                os.write(self.master, piece)

    def close(self) -> None:
        asyncio.get_running_loop().remove_reader(self.master)
        os.close(self.master)
        os.close(self.slave)


@pytest_asyncio.fixture
async def far() -> AsyncIterator[FarEnd]:
    made = FarEnd()
    yield made
    made.close()


@pytest_asyncio.fixture
async def owner(far: FarEnd) -> AsyncIterator[SerialOwner]:
    owners = Owners()
    yield owners.serial(Line("bus", "Bus", "serial", path=far.path, speed=115200, protocol="osdp"))
    owners.close()


def reply(frame: Frame, code: int, data: bytes = b"", sequence: int | None = None) -> bytes:
    number = frame.sequence if sequence is None else sequence
    return frames.encode(Frame(frame.address, code, data, number, reply=True))


async def who(owner: SerialOwner, timeout: float = 0.15, retries: int = 1) -> PdId:
    return await owner.converse(1, 115200, flows.identify(), timeout=timeout, session=Session(1, retries=retries))


async def test_the_link_passes_the_examiner(far: FarEnd) -> None:
    link = SerialLink.open(far.path, 115200)

    async def say(data: bytes) -> None:
        os.write(far.master, data)

    async def heard() -> bytes:
        await asyncio.sleep(0.02)
        came = bytes(far.heard)
        far.heard.clear()
        return came

    await check_link(link, say, heard)


async def test_an_adapter_that_echoes_hides_nobody_and_invents_nobody(far: FarEnd, owner: SerialOwner) -> None:
    far.echo = True
    with pytest.raises(NoAnswer):
        await who(owner)
    far.answer = lambda frame: [reply(frame, Rep.PDID, PDID)] if frame.address == 1 else []
    assert (await who(owner)).serial == 0x00A41C02
    assert owner.echoes


async def test_an_echo_in_single_bytes(far: FarEnd, owner: SerialOwner) -> None:
    def answer(frame: Frame) -> list[bytes]:
        sent = frames.encode(frame)
        return [*(bytes((byte,)) for byte in sent), *(bytes((byte,)) for byte in reply(frame, Rep.PDID, PDID))]

    far.answer = answer
    assert (await who(owner)).serial == 0x00A41C02


async def test_a_scan_of_an_empty_bus_with_an_echo_finds_nobody_and_says_that_it_echoes(
    far: FarEnd, library: Library
) -> None:
    far.echo = True
    line = Line("bus", "Bus", "serial", path=far.path, speed=115200, protocol="osdp")
    owners = Owners()
    result = await sweep([line], [], library, owners, SystemClock(), methods=[OsdpScan(speeds=())],
                         only=frozenset({"0", "1", "2", "3"}))  # fmt: skip
    owners.close()
    assert result.findings == []
    assert "gives back what is sent" in result.reports[0].notes[0]


async def test_another_control_panel_holds_no_turn_for_ever_and_is_told(far: FarEnd, owner: SerialOwner) -> None:
    """It polls unit 9 at the same time; the unit's answers are none of ours."""
    going = True

    async def panel() -> None:
        poll, ack = Frame(9, Cmd.POLL, b"", 1), Frame(9, Rep.ACK, b"", 1, reply=True)
        while going:
            os.write(far.master, frames.encode(poll) + frames.encode(ack))
            await asyncio.sleep(0.01)

    task = asyncio.ensure_future(panel())
    loop = asyncio.get_running_loop()
    begun = loop.time()
    with pytest.raises(NoAnswer):
        await who(owner, retries=0)
    assert loop.time() - begun < 2
    for _ in range(5):  # a busy computer gives the panel few turns within one question
        if owner.led_by_another:
            break
        with pytest.raises(NoAnswer):
            await who(owner, retries=0)
    assert owner.led_by_another
    task.cancel()


async def test_bytes_without_end_end_the_talk_not_the_line(
    far: FarEnd, owner: SerialOwner, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("netloom_core.bus.owner.TURN_S", 0.6)
    far.answer = lambda frame: [reply(frame, Rep.BUSY, sequence=0)]
    with pytest.raises(NoAnswer, match="given up"):
        await who(owner, retries=50)
    far.answer = lambda frame: [reply(frame, Rep.PDID, PDID)]
    assert (await who(owner)).serial == 0x00A41C02, "the line is free again"
    assert TURN_S > 5


async def test_a_command_heard_damaged_is_said_again(far: FarEnd, owner: SerialOwner) -> None:
    answers = iter([[Rep.NAK, b"\x01"], [Rep.NAK, b"\x01"], [Rep.PDID, PDID]])
    far.answer = lambda frame: [reply(frame, *next(answers))]  # type: ignore[arg-type]
    assert (await who(owner)).serial == 0x00A41C02


async def test_damaged_for_ever_is_a_refusal(far: FarEnd, owner: SerialOwner) -> None:
    far.answer = lambda frame: [reply(frame, Rep.NAK, b"\x01")]
    with pytest.raises(Refused, match="message check"):
        await who(owner)


async def test_a_refusal_of_an_earlier_command_is_not_ours(far: FarEnd, owner: SerialOwner) -> None:
    far.answer = lambda frame: [reply(frame, Rep.NAK, b"\x03", sequence=2), reply(frame, Rep.PDID, PDID)]
    assert (await who(owner)).serial == 0x00A41C02


@pytest.mark.parametrize("rounds", range(0, 24, 3))
async def test_being_cancelled_is_an_ordinary_way_out(far: FarEnd, owner: SerialOwner, rounds: int) -> None:
    far.answer = lambda frame: [reply(frame, Rep.PDID, PDID)]
    talk = Session(1)
    for _ in range(2):
        task = asyncio.ensure_future(owner.converse(1, 115200, flows.identify(), session=talk))
        for _ in range(rounds):
            await asyncio.sleep(0)
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)
        assert (await owner.converse(1, 115200, flows.identify(), session=talk)).serial == 0x00A41C02


async def test_modbus_through_an_adapter_that_echoes(far: FarEnd) -> None:
    """A request has the shape of a reply: it must not be taken for one."""
    link = SerialLink.open(far.path, 115200)
    heard = SimpleNamespace(echoes=False)
    request = bytes((modbus.READ_HOLDING, 0, 100, 0, 1))
    far.echo = True
    with pytest.raises(NoAnswer):
        await exchange(heard, link, 7, request, 0.2, set())
    answer = modbus.rtu(7, bytes((modbus.READ_HOLDING, 2, 0x12, 0x34)))
    asyncio.get_running_loop().call_later(0.05, os.write, far.master, answer)
    got = await exchange(heard, link, 7, request, 0.5, set())
    assert got.unit == 7
    assert heard.echoes
    write = modbus.write_register(5, b"\x00\x07")
    asyncio.get_running_loop().call_later(0.05, os.write, far.master, modbus.rtu(7, write))
    taken = await exchange(heard, link, 7, write, 0.5, set())
    assert taken.data == write[1:], "behind its echo comes a reply that looks just like it"
    far.echo = False
    asyncio.get_running_loop().call_later(0.05, os.write, far.master, modbus.rtu(7, write))
    assert (await exchange(SimpleNamespace(echoes=False), link, 7, write, 0.5, set())).data == write[1:]
    link.close()


async def test_a_read_that_gives_nothing_is_no_port_that_went_away(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A terminal may wake whoever waits and have nothing; when it is gone, the system says so."""
    far = PtyPort(tmp_path / "cable")
    far.start()
    link = SerialLink.open(str(far.link), 9600)
    read, empty = os.read, [3]

    def nothing_at_first(descriptor: int, count: int) -> bytes:
        if descriptor != far.master and empty[0]:
            empty[0] -= 1
            return b""
        return read(descriptor, count)

    monkeypatch.setattr(os, "read", nothing_at_first)
    try:
        await far.send(b"hello", 9600)
        assert await link.read(1) == b"hello"
        far.unplug()
        with pytest.raises(PortMissing):
            await link.read(1)
    finally:
        link.close()
        far.stop()
