"""One refusal among good answers spoils no others; what is told is the trouble, never "it is not there"."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from typing import Any

import pytest
from pysnmp.proto.api import v2c

from netloom_core.errors import Absent, NetloomError, Unproven
from netloom_core.model.device import Credentials
from netloom_core.protocols import modbus
from tests.core.drivers.made import driver, profile

NETWORK = "127.33.8"
FINE, TROUBLE, GONE, ODD = "fine", "trouble", "gone", "odd"  # what the device says of the four values


def items(bind: Callable[[int], dict[str, Any]]) -> list[dict[str, Any]]:
    return [
        {"path": f"/{name}", "label": name, "type": {"is": "integer", "maximum": 9}, "kept": "always",
         "bind": {"way": bind(number)}}
        for number, name in enumerate((FINE, TROUBLE, GONE, ODD))
    ]  # fmt: skip


@asynccontextmanager
async def server(host: str, port: int, answers: Callable[[bytes], bytes | None]) -> AsyncIterator[None]:
    """Answers each piece that comes; None means that it is not whole yet."""

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        heard = b""
        while piece := await reader.read(4096):
            heard += piece
            if (answer := answers(heard)) is not None:
                heard = b""
                writer.write(answer)
        writer.close()

    made = await asyncio.start_server(talk, host, port)
    try:
        yield
    finally:
        made.close()


def judge(driven: Any, document: dict[str, Any]) -> None:
    assert document == {FINE: 7}
    assert f"/{TROUBLE}" in driven.unreadable, driven.unreadable
    assert f"/{GONE}" not in driven.unreadable
    assert f"/{ODD}" in driven.unreadable


WEB = profile(
    {
        "protocol": "http",
        "port": 8081,
        "identify": {"path": "/who"},
        "identity": {"serial": "/serial"},
        "write": {"method": "PUT", "path": "/all"},
    },
    items(lambda n: {"get": {"path": f"/{n}", "at": "/v"}}),
)
NESTED = b'{"v":' + b"[" * 2000 + b"]" * 2000 + b"}"


async def test_over_http() -> None:
    told = {
        b"/who": b'200 OK|{"serial":"1"}', b"/0": b'200 OK|{"v":7}', b"/1": b"409 Conflict|{}",
        b"/2": b"404 Not Found|", b"/3": b'200 OK|{"v":"seven"}',
    }  # fmt: skip

    def answer(heard: bytes) -> bytes | None:
        if b"\r\n\r\n" not in heard:
            return None
        status, _, body = told[heard.split(b" ")[1]].partition(b"|")
        return b"HTTP/1.1 %s\r\nContent-Length: %d\r\n\r\n%s" % (status, len(body), body)

    async with server(f"{NETWORK}.10", 8081, answer), driver(WEB, f"{NETWORK}.10") as here:
        judge(here, await here.read("running"))
        told[b"/0"] = b"200 OK|" + NESTED
        with pytest.raises(NetloomError):
            await here.read("running")


TALK = profile(
    {"protocol": "dialogue", "over": "tcp", "port": 7009, "line_end": "\r\n",
     "errors": [{"pattern": "^ERR 1", "means": "refused"}, {"pattern": "^ERR 2", "means": "unknown"}],
     "identify": [{"send": "who", "answer": "(?P<serial>S\\d)"}]},
    items(lambda n: {"ask": f"v{n}", "answer": "^v= *(?P<value>\\w+)$", "set": f"v{n} {{value}}"}),
)  # fmt: skip


async def test_in_a_dialogue() -> None:
    told = {b"who": b"S1", b"v0": b"v= 7", b"v1": b"ERR 1 now", b"v2": b"ERR 2", b"v3": b"v= seven"}

    def answer(heard: bytes) -> bytes | None:
        return told[heard.strip()] + b"\r\n" if heard.endswith(b"\n") else None

    async with server(f"{NETWORK}.11", 7009, answer), driver(TALK, f"{NETWORK}.11") as here:
        judge(here, await here.read("running"))


FRAMES = profile(
    {"protocol": "framed", "over": "tcp", "port": 7010, "framing": {"end": "0d"},
     "refusals": [{"answer": "ee 01", "means": "refused"}, {"answer": "ee 02", "means": "unknown"}],
     "sign_in": {"send": "aa text4:password", "answer": "ab"},
     "identify": [{"send": "01", "answer": "81 text2:serial"}, {"send": "02", "answer": "82 text2:firmware"}]},
    items(lambda n: {"ask": f"1{n}", "answer": f"9{n} text1:value", "set": f"2{n} text1:value", "took": "aa"}),
    procedures={"restart": {"calls": {"way": [{"send": "30", "answer": "b0"}]}}},
)  # fmt: skip


async def test_in_frames() -> None:
    told = {
        b"\x01": b"\x81S1", b"\x02": b"\xee\x02", b"\x10": b"\x907", b"\x11": b"\xee\x01", b"\x12": b"\xee\x02",
        b"\x13": b"\x93x", b"\xaa": b"\xab",
    }  # fmt: skip
    heard_all: list[bytes] = []

    def answer(heard: bytes) -> bytes | None:
        if not heard.endswith(b"\r"):
            return None
        heard_all.append(heard)
        return told.get(heard[:1], b"\xee\x02") + b"\r"

    login = (Credentials("", "code"),)
    async with server(f"{NETWORK}.12", 7010, answer), driver(FRAMES, f"{NETWORK}.12", credentials=login) as here:
        judge(here, await here.read("running"))
        with pytest.raises(Absent):
            await here.restart()
        heard_all.clear()
        here.trust(None)
        with pytest.raises(Unproven):
            await here.sign_in_as(Credentials("", "safe"))
        assert heard_all == [], "a code is said to none that was not proven"


AGENT = profile(
    {"protocol": "snmp", "community": "quay", "port": 1161, "constant": {"serial": "S1"}},
    items(lambda n: {"oid": f"1.3.6.1.4.1.99999.{n + 1}.0", "syntax": "integer" if n < 3 else "text"}),
)


class Agent(asyncio.DatagramProtocol):
    """Tells an error for all that are asked when one of them is no good."""

    def connection_made(self, transport: Any) -> None:
        self.transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        from pyasn1.codec.ber import decoder, encoder

        message, _ = decoder.decode(data, asn1Spec=v2c.Message())
        pdu = v2c.apiMessage.get_pdu(message)
        answer = v2c.apiMessage.get_response(message)
        reply = v2c.apiMessage.get_pdu(answer)
        asked = [oid for oid, _ in v2c.apiPDU.get_varbinds(pdu)]
        ours = [int(oid[7]) if tuple(oid)[:7] == (1, 3, 6, 1, 4, 1, 99999) else 0 for oid in asked]
        if 2 in ours:
            v2c.apiPDU.set_error_status(reply, 5)  # genErr
            v2c.apiPDU.set_error_index(reply, ours.index(2) + 1)
        values = {0: v2c.OctetString("x"), 1: v2c.Integer(7), 3: v2c.NoSuchObject(""), 4: v2c.OctetString("seven")}
        binds = [(oid, values.get(number, v2c.Null(""))) for oid, number in zip(asked, ours, strict=True)]
        v2c.apiPDU.set_varbinds(reply, binds)
        self.transport.sendto(encoder.encode(answer), addr)


async def test_over_snmp() -> None:
    loop = asyncio.get_running_loop()
    transport, _ = await loop.create_datagram_endpoint(Agent, local_addr=(f"{NETWORK}.13", 1161))
    try:
        async with driver(AGENT, f"{NETWORK}.13") as here:
            judge(here, await here.read("running"))
    finally:
        transport.close()


REGISTERS = profile(
    {"protocol": "modbus", "over": ["tcp"], "port": 5021, "names_itself": False, "unit": 1,
     "constant": {"serial": "S1"}, "identity": {"firmware": {"register": 100}}},
    items(lambda n: {"register": n * 10, "words": {"7": "7"}} if n == 3 else {"register": n * 10}),
)  # fmt: skip


async def test_over_modbus() -> None:
    def answer(heard: bytes) -> bytes | None:
        if len(heard) < modbus.tcp_length(heard) or not modbus.tcp_length(heard):
            return None
        first = int.from_bytes(heard[8:10], "big")
        pdu = {0: b"\x03\x02\x00\x07", 10: b"\x83\x04", 20: b"\x83\x02", 30: b"\x03\x00"}.get(first, b"\x83\x02")
        return heard[:4] + (len(pdu) + 1).to_bytes(2, "big") + heard[6:7] + pdu

    async with server(f"{NETWORK}.14", 5021, answer), driver(REGISTERS, f"{NETWORK}.14") as here:
        with pytest.raises(NetloomError):  # a reply without the words that were asked for is no answer at all
            await here.read("running")
