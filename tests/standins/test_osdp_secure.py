"""OSDP's secure channel: the codec against cryptograms worked out apart, and a unit that does not share its code."""

from __future__ import annotations

import asyncio
import os
from collections.abc import AsyncIterator
from dataclasses import replace
from pathlib import Path

import pytest
import pytest_asyncio
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.bus.owner import Owners
from netloom_core.bus.turns import Priority
from netloom_core.clock import SystemClock
from netloom_core.documents.tree import get
from netloom_core.drivers.registry import Drivers
from netloom_core.errors import CannotDo, ProtocolError, Refused, WrongCredentials
from netloom_core.library.load import Library
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import Line
from netloom_core.protocols.osdp import frames, secure
from netloom_core.protocols.osdp.constants import REPLY_TIMEOUT_S, Cmd
from netloom_standins.osdp_line import OsdpLine, OsdpUnit
from netloom_standins.osdp_secure import UnitChannel
from netloom_standins.site import BUS, single

KEY = bytes.fromhex("00112233445566778899aabbccddeeff")
OTHER = bytes.fromhex("0f0e0d0c0b0a09080706050403020100")


def test_the_keys_of_a_session_are_those_of_the_annex() -> None:
    """Worked out with another program for this base key and RND.A: AES-128 of 01 82, 01 01, 01 02."""
    keys = secure.Keys.derived(secure.DEFAULT_KEY, bytes.fromhex("b0b1b2b3b4b5b6b7"))
    from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

    for kind, made in ((0x82, keys.enc), (0x01, keys.mac1), (0x02, keys.mac2)):
        plain = bytes((1, kind)) + bytes.fromhex("b0b1b2b3b4b5") + bytes(8)
        assert made == Cipher(algorithms.AES(secure.DEFAULT_KEY), modes.ECB()).encryptor().update(plain)


@given(st.binary(max_size=70), st.binary(max_size=70))
def test_both_sides_agree_on_every_message(command: bytes, answer: bytes) -> None:
    panel, unit = secure.Channel(KEY, os.urandom(8)), UnitChannel(KEY, bytes(8))
    cryptogram = panel.answered(unit.challenge(panel.challenge()))
    panel.confirmed(unit.agreed(cryptogram), 1)
    for _ in range(3):
        head = b"\x53\x01"
        hidden = panel.hidden(command)
        message = head + hidden
        mac = panel.sealed(message)
        assert panel.sealed(message) == mac, "a repeat is the very same"
        assert unit.taken(message, mac, hidden, bool(command)) == command
        out = unit.hidden(answer) if answer else b""
        reply = b"\x53\x81" + out
        kind = secure.SCS_18 if answer else secure.SCS_16
        assert panel.opened(kind, reply, out, unit.sealed(reply)) == answer


@given(st.binary(max_size=80))
def test_spoiled_answers_are_errors(data: bytes) -> None:
    panel = secure.Channel(KEY, bytes(8))
    with pytest.raises((ProtocolError, WrongCredentials)):
        panel.answered(data)
    with pytest.raises(WrongCredentials):
        panel.confirmed(data, 1)
    with pytest.raises(ProtocolError):
        panel.opened(secure.SCS_18, b"x" + data, data, data[:4])


@given(st.binary(max_size=60))
def test_frames_with_any_security_block_are_taken_or_refused(data: bytes) -> None:
    raw = bytes((0x53, 0x81, 0, 0, 0x0C)) + data
    raw = raw[:2] + (len(raw) + 2).to_bytes(2, "little") + raw[4:]
    raw += frames.crc16(raw).to_bytes(2, "little")
    try:
        frame = frames.decode(raw)
    except ProtocolError:
        return
    assert frame.block


class Bus:
    def __init__(self, library: Library, unit: OsdpUnit, line: OsdpLine) -> None:
        self.library, self.unit, self.line = library, unit, line
        self.owners = Owners()
        self.sessions = Sessions(Drivers(library, self.owners), library.maker, SystemClock())
        self.target = Target(
            "d1", "Gate reader", "dunmarrow-dr5", Line("bus", "Bus", "serial", path=str(line.link), protocol="osdp"),
            "4", 9600, keys=("dunmarrow|00a41c55",), maker="Dunmarrow", models=("DR5",),
        )  # fmt: skip

    async def talk(self, *keys: bytes, **more: str) -> Talk:
        logins = tuple(Credentials("", key.hex()) for key in keys)
        return await self.sessions.talk(replace(self.target, credentials=logins, secrets=more), "test", Priority.RUN)


@pytest_asyncio.fixture
async def bus(library: Library, tmp_path: Path) -> AsyncIterator[Bus]:
    unit = single(library, "dunmarrow-dr5", "00A41C55", "4", BUS, key=KEY.hex(), must=True)
    line = OsdpLine(tmp_path / "bus", [unit])
    line.start()
    made = Bus(library, unit, line)
    yield made
    await made.sessions.close()
    made.owners.close()
    line.stop()


async def test_an_answer_that_comes_late_is_no_other_key(bus: Bus, monkeypatch: pytest.MonkeyPatch) -> None:
    """The challenge was said again meanwhile: what the unit then waits for is not what the first answer asks for."""
    challenges = 0

    async def answer(frame: frames.Frame, speed: int) -> None:
        nonlocal challenges
        reply = bus.unit.answer(frame)
        if frame.code == Cmd.CHLNG:
            challenges += 1
            await asyncio.sleep(REPLY_TIMEOUT_S * {1: 1.4, 2: 0.4}.get(challenges, 0))
        await bus.line.send(reply, speed)

    monkeypatch.setattr(bus.line, "_answer", answer)
    talk = await bus.talk(KEY)
    assert get(await talk.read("running"), "/lamp/level") == 80
    assert challenges == 3, "it was said again, and then begun anew"


async def test_a_unit_that_wants_encryption_says_so_without_a_key(bus: Bus) -> None:
    with pytest.raises(Refused, match="encrypted"):
        await (await bus.talk()).read("running")


async def test_with_its_key_it_is_read_written_and_driven(bus: Bus) -> None:
    talk = await bus.talk(KEY)
    document = await talk.read("running")
    assert get(document, "/lamp/level") == 80
    await talk.write([Change("/lamp/level", 80, 33)])
    assert get(await talk.read("running"), "/lamp/level") == 33
    assert (await talk.states())["tamper"] == "normal"
    await talk.drive("lamp", "amber")
    await talk.drive("sounder", "on")
    await talk.drive("text", "Gate 4")
    assert [bus.unit.memory.value(path) for path in ("/lamp/colour", "/sounder", "/text")] == ["amber", "on", "Gate 4"]


async def test_another_key_is_wrong_and_nothing_is_told(bus: Bus) -> None:
    with pytest.raises(WrongCredentials):
        await (await bus.talk(OTHER)).read("running")
    assert get(await (await bus.talk(OTHER, KEY)).read("running"), "/lamp/level") == 80, "the second one fits"


async def test_after_a_power_cut_the_channel_is_opened_anew(bus: Bus) -> None:
    talk = await bus.talk(KEY)
    await talk.read("running")
    bus.unit.forget_talk()
    assert get(await talk.read("running"), "/lamp/level") == 80


async def test_a_new_key_is_set_on_the_channel_only_and_proven_by_entering(bus: Bus) -> None:
    talk = await bus.talk(KEY, **{"secret:k": OTHER.hex()})
    await talk.write([Change("/bus/key", None, "secret:k")])
    assert bus.unit.key == OTHER
    assert await talk.sign_in_as(Credentials("", OTHER.hex()))
    assert not await talk.sign_in_as(Credentials("", KEY.hex()))
    assert get(await (await bus.talk(OTHER)).read("running"), "/lamp/level") == 80
    bus.unit.must, bus.unit.key, bus.unit._channel = False, b"", None
    clear = await bus.talk(**{"secret:k": KEY.hex()})
    await clear.drop()
    with pytest.raises(CannotDo, match="in the clear"):
        await clear.write([Change("/bus/key", None, "secret:k")])
