"""Answers that are late, doubled, wrongly numbered, from other ports, in broken encodings, over SNMP and ONVIF."""

from __future__ import annotations

import asyncio
import base64
import socket
from collections.abc import AsyncIterator, Callable
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import pytest_asyncio
from pyasn1.codec.ber import decoder

from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.protocols import onvif, snmp
from netloom_core.sweep.methods.snmp import Snmp
from netloom_core.sweep.methods.wsdiscovery import device_information
from tests.core import replies
from tests.standins.field import Field, field

BASE = "127.34.5"
V2C = snmp.V2C


@pytest_asyncio.fixture
async def here(library: Library) -> AsyncIterator[Field]:
    async with field(library, BASE) as made:
        yield made


@contextmanager
def agent(host: int, answer: Callable[[socket.socket, int, Any], None]) -> Any:
    """Tells `answer` each v2c question: the socket, the request id, who asked."""
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.bind((f"{BASE}.{host}", snmp.PORT))
    sock.setblocking(False)
    loop = asyncio.get_running_loop()

    def take() -> None:
        data, sender = sock.recvfrom(65_507)
        message, _ = decoder.decode(data, asn1Spec=V2C.Message())
        if message.getComponentByPosition(0) == 1:
            answer(sock, int(V2C.apiPDU.get_request_id(V2C.apiMessage.get_pdu(message))), sender)

    loop.add_reader(sock, take)
    try:
        yield
    finally:
        loop.remove_reader(sock)
        sock.close()


def named(name: bytes, request: int) -> bytes:
    return replies.snmp_response([(snmp.SYS_NAME, V2C.OctetString(name))], request)


async def test_a_wrong_number_is_nobodys_answer(here: Field) -> None:
    def answer(sock: socket.socket, request: int, sender: Any) -> None:
        for wrong in (request + 77, 1, 0, 2**31 - 1):
            sock.sendto(named(b"wrong", wrong), sender)

    with agent(6, answer):
        assert await here.facts(Snmp()) == {}


async def test_late_and_doubled_answers_count_once_and_from_another_port(here: Field) -> None:
    loop = asyncio.get_running_loop()
    other = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    other.bind((f"{BASE}.6", 0))

    def answer(sock: socket.socket, request: int, sender: Any) -> None:
        for _ in range(3):
            loop.call_later(1.9, other.sendto, named(b"late", request), sender)

    with agent(6, answer), other:
        result = await here.sweep(Snmp())
    assert [f.facts["host"] for f in result.findings] == ["late"]
    assert len([s for s in result.sightings if s.facts.get("host")]) == 1


@pytest.mark.parametrize(
    "name", [b"\xff\xfe\x00\x80", b"\x1b[31mred\x00", "ä\u202e\u0000".encode(), b"\r\n" * 100, b"x" * 60_000]
)
async def test_broken_text_is_made_harmless(here: Field, name: bytes) -> None:
    with agent(6, lambda sock, request, sender: sock.sendto(named(name, request), sender)):
        facts = (await here.facts(Snmp())).get("6", {})
    assert all(text.isprintable() and len(text) <= 400 for text in facts.values())


class Camera:
    """An ONVIF camera whose clock is off, and that takes a digest only for a minute by its own clock."""

    def __init__(self, off: timedelta) -> None:
        self.off, self.refused = off, 0

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while head := await reader.readuntil(b"\r\n\r\n"):
            length = int(head.lower().partition(b"content-length: ")[2].partition(b"\r")[0])
            body = await reader.readexactly(length)
            answer = self._clock() if b"GetSystemDateAndTime" in body else self._who(body)
            status = b"200 OK" if answer else b"401 Unauthorized"
            writer.write(b"HTTP/1.1 %s\r\ncontent-length: %d\r\n\r\n%s" % (status, len(answer), answer))

    def _clock(self) -> bytes:
        now = datetime.now(UTC) + self.off
        parts = {b"<Hour>3<": b"<Hour>%d<" % now.hour, b"<Minute>4<": b"<Minute>%d<" % now.minute,
                 b"<Second>5<": b"<Second>%d<" % now.second, b"<Year>2026<": b"<Year>%d<" % now.year,
                 b"<Month>11<": b"<Month>%d<" % now.month, b"<Day>26<": b"<Day>%d<" % now.day}  # fmt: skip
        text = replies.CLOCK
        for old, new in parts.items():
            text = text.replace(old, new)
        return text

    def _who(self, body: bytes) -> bytes:
        created = body.partition(b"<u:Created>")[2].partition(b"<")[0].decode()
        nonce = base64.b64decode(body.partition(b"<w:Nonce>")[2].partition(b"<")[0])
        digest = onvif.password_digest(nonce, created, "right") if created else "none"
        fresh = created and abs(datetime.fromisoformat(created) - datetime.now(UTC) - self.off) < timedelta(minutes=1)
        if fresh and digest.encode() in body:
            return replies.INFORMATION
        self.refused += 1
        return b""


@pytest.mark.parametrize("off", [timedelta(), timedelta(hours=-2), timedelta(days=400)])
async def test_a_camera_whose_clock_is_wrong_is_read_by_its_own_time(here: Field, off: timedelta) -> None:
    camera = Camera(off)
    server = await asyncio.start_server(camera.serve, f"{BASE}.6", 8480)
    async with server:
        url, login = f"http://{BASE}.6:8480/onvif", Credentials("operator", "right")
        facts = await device_information(here.look(), f"{BASE}.6", url, login, {})
    assert facts["serial"] == "OC-1"
    assert facts.get("clock", "") == {0: "", -2: "2 h behind", 9600: "400 d ahead"}[int(off.total_seconds() // 3600)]


async def test_a_login_that_a_camera_refuses_is_not_tried_a_third_time(here: Field) -> None:
    camera, look = Camera(timedelta()), here.look()
    server = await asyncio.start_server(camera.serve, f"{BASE}.6", 8480)
    async with server:
        for _ in range(5):
            url, login = f"http://{BASE}.6:8480/onvif", Credentials("operator", "wrong")
            await device_information(look, f"{BASE}.6", url, login, {})
    assert camera.refused == 5 + 2, "asked five times without a login, twice with it"
