"""A profile tried on a device: what each value gave, and a login only for the device on record."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.live.trial import Trial, try_profile
from netloom_core.model.device import Credentials, Target
from tests.core.drivers.made import line, profile

HOST = "127.33.8.20"
MADE = profile(
    {"protocol": "framed", "over": "tcp", "port": 7011, "framing": {"end": "0d"},
     "sign_in": {"send": "aa text4:password", "answer": "ab"},
     "identify": [{"send": "01", "answer": "81 text2:serial"}], "constant": {"maker": "Peer"}},
    [{"path": "/level", "label": "Level", "type": {"is": "integer", "maximum": 9}, "kept": "always",
      "bind": {"way": {"ask": "10", "answer": "90 text1:value", "set": "20 text1:value", "took": "a0"}}}],
)  # fmt: skip


@asynccontextmanager
async def unit(heard: list[bytes]) -> AsyncIterator[None]:
    told = {b"\x01": b"\x81S1", b"\xaa": b"\xab", b"\x10": b"\x907"}

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while True:
                frame = await reader.readuntil(b"\r")
                heard.append(frame)
                writer.write(told[frame[:1]] + b"\r")
        except asyncio.IncompleteReadError:
            writer.close()

    server = await asyncio.start_server(talk, HOST, 7011)
    try:
        yield
    finally:
        server.close()


async def tried(serial: str, *, found: bool = True) -> Trial:
    target = Target(
        "d", "Unit", MADE.id, line("127.33.8"), HOST, keys=(f"peer|{serial}",), found=found, maker="Peer",
        models=("P",), credentials=(Credentials("", "code"),),
    )  # fmt: skip
    return await try_profile(MADE, target, Owners(), lambda text: text)


@pytest.mark.parametrize("found", [True, False])
async def test_the_device_on_record_tells_its_values(found: bool) -> None:
    heard: list[bytes] = []
    async with unit(heard):
        trial = await tried("s1", found=found)
    assert trial.trouble == ""
    assert [(row.path, row.text) for row in trial.rows if row.set == "running"] == [("/level", "7")]


async def test_somebody_else_at_its_address_is_told_no_code() -> None:
    heard: list[bytes] = []
    async with unit(heard):
        trial = await tried("s2")
    assert "not Unit" in trial.trouble
    assert trial.identity == {}
    assert not any(b"code" in frame for frame in heard)
