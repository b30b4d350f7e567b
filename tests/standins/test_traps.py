"""An SNMP agent that says when something changed: it is looked at then, and what the notice says is not believed."""

from __future__ import annotations

import asyncio
import contextlib
import random
import socket
import time
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Any

import pytest
from pyasn1.codec.ber import decoder, encoder
from pysnmp.proto import api

from netloom_core.errors import ProtocolError
from netloom_core.library.load import Library
from netloom_core.live import session
from netloom_core.protocols import snmp_notice
from netloom_core.protocols.snmp_notice import notice
from tests.patience import SOON_S
from tests.standins.models import Bench, bench

TOOLS: Any = api.PROTOCOL_MODULES[api.SNMP_VERSION_2C]
NETWORK = "127.41.{n}"
PORT = 10162
FLOOD_S = 2.0  # that a flood of a thousand lasts; it lasts longer where the computer is busy


def inform(number: int = 77) -> bytes:
    pdu = TOOLS.InformRequestPDU()
    TOOLS.apiPDU.set_defaults(pdu)
    TOOLS.apiPDU.set_request_id(pdu, number)
    TOOLS.apiPDU.set_varbinds(pdu, [((1, 3, 6, 1, 2, 1, 2, 2, 1, 8, 4), TOOLS.Integer32(1))])
    message = TOOLS.Message()
    TOOLS.apiMessage.set_defaults(message)
    TOOLS.apiMessage.set_community(message, "public")
    TOOLS.apiMessage.set_pdu(message, pdu)
    return bytes(encoder.encode(message))


@contextlib.asynccontextmanager
async def watched(here: Bench) -> AsyncIterator[asyncio.Queue[dict[str, str]]]:
    """What is told of its points, after the first look."""
    told: asyncio.Queue[dict[str, str]] = asyncio.Queue()
    talks = await here.sessions.of(here.target)

    async def follow() -> None:
        async for states in talks.watch("test"):
            told.put_nowait(states)

    task = asyncio.ensure_future(follow())
    try:
        await asyncio.wait_for(told.get(), SOON_S)
        yield told
    finally:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


@pytest.fixture(autouse=True)
def seldom(monkeypatch: pytest.MonkeyPatch) -> None:
    """Nobody looks for its own sake while a test lasts."""
    monkeypatch.setattr(session, "HINTED_S", 10 * SOON_S)


def links(states: dict[str, str]) -> dict[str, str]:
    """Without what counts on and on where a link is up."""
    return {name: state for name, state in states.items() if name.startswith("link-")}


async def test_a_trap_makes_us_look_at_once(library: Library, tmp_path: Path) -> None:
    network = NETWORK.format(n=201)
    values = {"/traps/to": f"{network}.1"}
    async with bench(library, "marrowby-sw24", tmp_path, network, changed=values) as here, watched(here) as told:
        here.unit.memory.set("/ports/4/link", "up")
        assert links(await asyncio.wait_for(told.get(), SOON_S)) == {"link-4": "up"}
        for port in range(5, 9):  # many at once are one look, or two
            here.unit.memory.set(f"/ports/{port}/link", "up")
        seen: dict[str, str] = {}
        while len(seen) < 4:
            seen |= links(await asyncio.wait_for(told.get(), SOON_S))
        assert seen == {f"link-{port}": "up" for port in range(5, 9)}


async def test_what_a_trap_says_is_not_believed_and_an_inform_is_answered(library: Library, tmp_path: Path) -> None:
    """It says that port 4 is up; it is not. Nothing is told, and whoever waits for an answer has it."""
    network = NETWORK.format(n=202)
    async with bench(library, "marrowby-sw24", tmp_path, network) as here, watched(here) as told:
        with _speaker(f"{network}.7") as sock:
            for junk in (b"", b"\x30\x80", b"\xff" * 60_000, inform()[:-3]):
                sock.sendto(junk, (f"{network}.1", PORT))
            sock.sendto(inform(4711), (f"{network}.1", PORT))
            answer = await asyncio.wait_for(asyncio.get_running_loop().sock_recv(sock, 4096), SOON_S)
        assert (4711).to_bytes(2, "big") in answer
        here.unit.memory.set("/ports/9/link", "up")
        with _speaker(f"{network}.7") as sock:
            sock.sendto(inform(), (f"{network}.1", PORT))
            assert links(await asyncio.wait_for(told.get(), SOON_S)) == {"link-9": "up"}, "and not what the notice said"


async def test_others_and_a_flood_do_not_make_us_look_for_ever(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    network = NETWORK.format(n=203)
    async with bench(library, "marrowby-sw24", tmp_path, network) as here, watched(here):
        looks = 0
        answer = here.unit.services[0].answer

        def counted(data: bytes) -> bytes:
            nonlocal looks
            looks += 1
            return answer(data)

        monkeypatch.setattr(here.unit.services[0], "answer", counted)
        with _speaker(f"{network}.99") as sock:
            for _ in range(200):
                sock.sendto(inform(), (f"{network}.1", PORT))
                await asyncio.sleep(0.001)
        assert looks == 0, "it is another one's notice"
        begun = time.monotonic()
        with _speaker(f"{network}.7") as sock:
            for _ in range(1000):
                sock.sendto(inform(), (f"{network}.1", PORT))
                await asyncio.sleep(0.001)
        assert looks <= 100 * max(1.0, (time.monotonic() - begun) / FLOOD_S)


async def test_where_the_port_is_not_to_be_had_it_is_asked_now_and_then(library: Library, tmp_path: Path) -> None:
    network = NETWORK.format(n=204)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as taken:
        taken.bind((f"{network}.1", PORT))
        values = {"/traps/to": f"{network}.1"}
        async with bench(library, "marrowby-sw24", tmp_path, network, changed=values) as here, watched(here) as told:
            here.unit.memory.set("/ports/4/link", "up")
            assert links(await asyncio.wait_for(told.get(), SOON_S)) == {"link-4": "up"}


def test_any_bytes_are_a_notice_or_a_typed_error() -> None:
    dice = random.Random(26)
    whole = inform()
    for number in range(5000):
        data = bytearray(whole if number % 2 else dice.randbytes(dice.randrange(80)))
        for _ in range(dice.randrange(1, 4)):
            if data:
                data[dice.randrange(len(data))] = dice.randrange(256)
        with contextlib.suppress(ProtocolError):
            notice(bytes(data))
    for hostile in (
        b"\x30\x80" * 2000,
        b"\x30\x8b" + b"\xff" * 11 + b"\x00",
        b"\x30\x82\x00\x04\x02\x88" + b"\xff" * 8,
    ):
        with pytest.raises(ProtocolError):
            notice(hostile)
    assert notice(whole).version == snmp_notice.V2C


def test_the_answer_to_an_inform_is_its_bindings_under_its_number() -> None:
    answer, _ = decoder.decode(notice(inform(4711)).answer, asn1Spec=TOOLS.Message())
    pdu = TOOLS.apiMessage.get_pdu(answer)
    assert (pdu.__class__.__name__, int(TOOLS.apiPDU.get_request_id(pdu))) == ("ResponsePDU", 4711)
    assert [(tuple(oid), int(value)) for oid, value in TOOLS.apiPDU.get_varbinds(pdu)] == [
        ((1, 3, 6, 1, 2, 1, 2, 2, 1, 8, 4), 1)
    ]


def test_a_datagram_full_of_values_holds_nobody_up() -> None:
    """They are not looked at: 60,000 bytes cost what sixty do."""
    filled = b"\xa7\x82\xea\x60" + b"\x30\x06\x06\x01\x00\x05\x00\x00" * 7500
    body = b"\x02\x01\x01\x04\x06public" + filled
    data = b"\x30\x82" + len(body).to_bytes(2, "big") + body
    begun = time.process_time()
    for _ in range(1000):
        assert notice(data).answer == b""
    assert time.process_time() - begun < 2, "a decoder of all of it takes half a second for one"


def _speaker(address: str) -> Any:
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setblocking(False)
    sock.bind((address, 0))
    return sock
