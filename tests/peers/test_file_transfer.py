"""Files sent to receivers that others wrote: lrzsz by XMODEM and YMODEM, busybox by TFTP."""

from __future__ import annotations

import asyncio
import hashlib
import os
from pathlib import Path
from typing import Any

import pytest

from netloom_core.links.tftp import giving
from netloom_core.model.image import Image
from netloom_core.protocols.block_transfer import Sender, Way
from netloom_core.protocols.tftp import File
from tests.peers.conftest import peer_environment, program

CLIENT = "127.0.0.1"  # from where the system sends to itself
SIZES = (0, 200_003)


def image(size: int, name: str = "w1_2.4.nlf") -> Image:
    data = bytes((n * 31 + n // 251) & 0xFF for n in range(size))
    read = lambda at, most: data[at : at + most]  # noqa: E731
    return Image("f", name, size, hashlib.sha256(data).hexdigest(), "wendle-w1", "2.4", read)


async def received(way: Way, sent: Image, words: list[str], folder: Path) -> bytes:
    far, near = os.pipe(), os.pipe()
    process = await asyncio.create_subprocess_exec(
        *words, stdin=far[0], stdout=near[1], stderr=asyncio.subprocess.DEVNULL, cwd=folder, env=peer_environment()
    )
    os.close(far[0])
    os.close(near[1])
    os.set_blocking(near[0], False)
    loop = asyncio.get_running_loop()
    sender = Sender(way, sent.name, sent.size, sent.read)
    try:
        async with asyncio.timeout(60):
            while not sender.done:
                begun = loop.time()
                data = await _came(near[0])
                if out := sender.feed(data) if data else sender.silence(loop.time() - begun):
                    os.write(far[1], out)
            os.close(far[1])
            await process.wait()
    finally:
        os.close(near[0])
        if process.returncode is None:
            process.kill()
            await process.wait()
    [made] = [file for file in folder.iterdir() if file.is_file()]
    return made.read_bytes()


async def _came(descriptor: int) -> bytes:
    for _ in range(100):
        try:
            if data := os.read(descriptor, 4096):
                return data
        except BlockingIOError:
            pass
        await asyncio.sleep(0.002)
    return b""


@pytest.mark.parametrize("size", SIZES)
async def test_lrzsz_takes_a_batch_by_ymodem(tmp_path: Path, size: int) -> None:
    sent = image(size)
    data = await received("ymodem", sent, [program("rb"), "--binary", "--overwrite"], tmp_path)
    assert hashlib.sha256(data).hexdigest() == sent.digest
    assert [file.name for file in tmp_path.iterdir()] == [sent.name]


@pytest.mark.parametrize("way", ["xmodem", "xmodem-1k"])
@pytest.mark.parametrize("size", [1025])
async def test_lrzsz_takes_a_file_by_xmodem(tmp_path: Path, way: Way, size: int) -> None:
    sent = image(size)
    data = await received(way, sent, [program("rx"), "--with-crc", "--binary", "got"], tmp_path)
    assert hashlib.sha256(data[:size]).hexdigest() == sent.digest
    assert set(data[size:]) <= {0x1A}


async def fetched(source: str, sent: Image, folder: Path, *words: str, host: str = "") -> tuple[Any, bytes, int]:
    seen: list[int] = []
    async with giving(source, "", 6969, host or CLIENT, File(sent.name, sent.size, sent.read), seen.append) as state:
        process = await asyncio.create_subprocess_exec(
            program("busybox"), "tftp", "-g", "-r", sent.name, "-l", str(folder / "got"), *words, source, "6969",
            stdout=asyncio.subprocess.DEVNULL, stderr=asyncio.subprocess.DEVNULL, env=peer_environment(),
        )  # fmt: skip
        async with asyncio.timeout(60):
            code = await process.wait()
        for _ in range(100):
            if state.whole or code:
                break
            await asyncio.sleep(0.02)
    got = folder / "got"
    return state, got.read_bytes() if got.exists() else b"", code


@pytest.mark.parametrize("block", [None, 64, 60_000])
@pytest.mark.parametrize("size", [1, 512, 5_000])
async def test_busybox_fetches_a_file_by_tftp(tmp_path: Path, size: int, block: int | None) -> None:
    sent = image(size)
    state, data, code = await fetched("127.33.8.1", sent, tmp_path, *(["-b", str(block)] if block else []))
    assert (code, state.whole, state.trouble) == (0, True, None)
    assert hashlib.sha256(data).hexdigest() == sent.digest


async def test_nobody_else_and_nothing_else_is_given(tmp_path: Path) -> None:
    state, data, code = await fetched("127.33.8.3", image(900), tmp_path, host="127.33.8.4")
    assert (data, state.asked) == (b"", False)
    assert code != 0
