"""Routing: a salvo of 200 crosspoints over four matrices against the bare commands; paths over 2,000 cables; EDIDs.

python -m bench.routing serve: four matrices, for the bench itself.
"""

from __future__ import annotations

import asyncio
import json
import logging
import subprocess
import sys
import time
from typing import Any

import h11
from tests.core.edid.mutated import mutated

from bench.field import library as profiles
from bench.field import told
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.drivers.registry import Drivers
from netloom_core.edid.parse import NoEdid, parse
from netloom_core.engine.engine import Engine
from netloom_core.identity.keys import serial_key
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import Line
from netloom_core.routing.paths import paths
from netloom_core.routing.site import Cable, End, Site, Thing
from netloom_core.testing.store import MemoryEvents, MemoryJournal, MemoryStore
from netloom_standins import edids
from netloom_standins.site import single

NET = Line("net", "Net", "ip", network="127.28.0.0/24", source="127.28.0.1")
HOSTS = [f"127.28.0.{10 + n}" for n in range(4)]
EACH, ROUNDS = 50, 7
CABLES = 2000
DAMAGED = 20_000


async def serve() -> None:
    library = profiles()
    for number, host in enumerate(HOSTS):
        await single(library, "corrain-mx64", f"CM64-{number}", host, firmware="1.0").start()
    print("ready", flush=True)
    await asyncio.Event().wait()


class Bare:
    """The same commands on connections that are open and signed in, by the HTTP library alone."""

    async def begin(self) -> None:
        self.streams = []
        for host in HOSTS:
            streams = await asyncio.open_connection(host, 8490, local_addr=(NET.source, 0))
            ours = h11.Connection(h11.CLIENT)
            body = json.dumps({"user": "admin", "password": "corrain"})
            answer = await self._say(*streams, ours, host, "POST", "/session", "", body)
            self.streams.append((*streams, ours, host, json.loads(answer)["token"]))

    async def _say(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, ours: h11.Connection, host: str, how: str,
        path: str, token: str, body: str,
    ) -> bytes:  # fmt: skip
        headers = [("Host", host), ("Content-Type", "application/json"), ("Content-Length", str(len(body)))]
        headers += [("Authorization", f"Bearer {token}")] if token else []
        sent = ours.send(h11.Request(method=how, target=path, headers=headers)) or b""
        sent += ours.send(h11.Data(data=body.encode())) or b""
        writer.write(sent + (ours.send(h11.EndOfMessage()) or b""))
        heard = b""
        while not isinstance(event := ours.next_event(), h11.EndOfMessage):
            if event is h11.NEED_DATA:
                ours.receive_data(await reader.read(65536))
            elif isinstance(event, h11.Response):
                assert event.status_code == 200, event
            elif isinstance(event, h11.Data):
                heard += event.data
        ours.start_next_cycle()
        return heard

    async def salvo(self, state: str) -> None:
        async def one(reader: Any, writer: Any, ours: h11.Connection, host: str, token: str) -> None:
            body = json.dumps({"state": state})
            for number in range(1, EACH + 1):
                await self._say(reader, writer, ours, host, "PUT", f"/points/output-{number}", token, body)
            told = json.loads(await self._say(reader, writer, ours, host, "GET", "/points", token, ""))
            assert told["output-1"] == state

        await asyncio.gather(*(one(*stream) for stream in self.streams))

    def end(self) -> None:
        for _, writer, _, _, _ in self.streams:
            writer.close()


async def salvos() -> tuple[float, float]:
    """Seconds of the quickest of some rounds, in turns: ours with proof, journal and a look before and after."""
    library = profiles()
    profile = library.need("corrain-mx64")
    targets = [
        Target(
            f"d{n}", f"Matrix {n}", profile.id, NET, host, 0, keys=(serial_key(profile.maker, f"CM64-{n}"),),
            maker=profile.maker, models=(profile.model,), credentials=(Credentials("admin", "corrain"),),
        )
        for n, host in enumerate(HOSTS)
    ]  # fmt: skip
    store, owners = MemoryStore(library, targets), Owners()
    engine = Engine(library, Drivers(library, owners), owners, SystemClock(), store, MemoryJournal(), MemoryEvents())
    bare = Bare()
    await bare.begin()
    mine, plain = [], []
    for turn in range(ROUNDS):
        state = str(2 + turn * 2)
        cells = [
            {"device": one.device, "point": f"output-{n}", "state": state}
            for one in targets
            for n in range(1, EACH + 1)
        ]
        begun = time.perf_counter()
        done = await engine.do({"do": "take", "cells": cells, "by": "bench"})
        mine.append(time.perf_counter() - begun)
        assert {cell["word"] for cell in done["cells"]} == {"taken"}
        begun = time.perf_counter()
        await bare.salvo(str(3 + turn * 2))
        plain.append(time.perf_counter() - begun)
    await engine.stop()
    bare.end()
    return min(mine), min(plain)


def site_of(count: int) -> tuple[Site, int]:
    """A tree of matrices, kits and displays with that many cables, everything routed and told."""
    library = profiles()
    matrix, kit, display = (library.need(name) for name in ("corrain-mx88", "corrain-xt1", "belisar-d55"))
    edid = edids.made({"name": "Screen", "hdmi": 300}).hex()
    things, cables = [], []
    seen = {f"/inputs/{n}/format": "1920x1080p60" for n in range(1, 9)}
    taken = {f"/outputs/{n}/display_edid": edid for n in range(1, 9)}
    number, above = 0, [End("", "Player")]
    while len(cables) < count:
        source = above.pop(0)
        number += 1
        routed = {f"/outputs/{n}/source": 1 for n in range(1, 9)}
        things.append(Thing(f"m{number}", f"Matrix {number}", matrix, {**seen, **taken, **routed}))
        cables.append(Cable(f"c{len(cables)}", source, End(f"m{number}", "in-1")))
        for out in range(1, 9):
            name = f"{number}-{out}"
            if out <= 2:
                above.append(End(f"m{number}", f"out-{out}"))
                continue
            sender = {"/role": "transmitter", "/hdmi/format": "1920x1080p60", "/link/up": True}
            receiver = {"/role": "receiver", "/link/format": "1920x1080p60", "/link/up": True, "/display/edid": edid}
            screen = {"/input": "hdmi1", "/power": "on", "/mute": "none", "/freeze": "off", "/resolution": "1920x1080"}
            things += [
                Thing(f"s{name}", f"Sender {name}", kit, sender),
                Thing(f"r{name}", f"Receiver {name}", kit, receiver),
                Thing(f"d{name}", f"Display {name}", display, screen),
            ]
            ends = [
                (End(f"m{number}", f"out-{out}"), End(f"s{name}", "hdmi")),
                (End(f"s{name}", "link"), End(f"r{name}", "link-in")),
                (End(f"r{name}", "hdmi-out"), End(f"d{name}", "hdmi1")),
            ]
            cables += [Cable(f"c{len(cables) + n}", start, end) for n, (start, end) in enumerate(ends)]
    return Site(things, cables), len(cables)


def _paths() -> None:
    times = []
    for _ in range(ROUNDS):
        made, cables = site_of(CABLES)
        begun = time.perf_counter()
        found = paths(made)
        times.append(time.perf_counter() - begun)
    good = sum(not one.stops for one in found)
    words = f"{len(found)} ends, {cables} cables, {good} reached"
    print(f"routing  paths {min(times) * 1000:.0f} ms (wanted: 50), {words}", flush=True)


def _edids() -> None:
    refused, slowest, begun = 0, 0.0, time.perf_counter()
    for data in mutated(DAMAGED, 2026):
        at = time.perf_counter()
        try:
            parse(data)
        except NoEdid:
            refused += 1
        slowest = max(slowest, time.perf_counter() - at)
    took = time.perf_counter() - begun
    words = f"{DAMAGED} damaged EDIDs in {took:.1f} s, {refused} are none, slowest {slowest * 1000:.1f} ms"
    print(f"routing  {words}", flush=True)


def main() -> None:
    logging.disable(logging.ERROR)
    process = subprocess.Popen([sys.executable, "-m", "bench.routing", "serve"], stdout=subprocess.PIPE)
    try:
        assert process.stdout is not None
        assert process.stdout.readline() == b"ready\n"
        mine, plain = asyncio.run(salvos())
    finally:
        process.terminate()
        process.wait(10)
    told("routing", mine, plain, 1.2, f"{len(HOSTS) * EACH} crosspoints over {len(HOSTS)} matrices, best of {ROUNDS}")
    _paths()
    _edids()
    logging.disable(logging.NOTSET)


if __name__ == "__main__" and sys.argv[1:] == ["serve"]:
    asyncio.run(serve())
