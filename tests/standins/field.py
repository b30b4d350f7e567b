"""A small field of stand-ins for one test, and a sweep over it."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Sequence
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.profiles.defaults import default_document
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.finding import Finding, Known
from netloom_core.sweep.pace import Pace
from netloom_core.sweep.sweep import SweepResult, sweep
from netloom_standins.net_unit import NetUnit


class Field:
    def __init__(self, library: Library, network: str) -> None:
        self.library = library
        self.base = network
        self.line = Line("net", "Net", "ip", network=f"{network}.0/28", source=f"{network}.1", interface="lo")
        self.units: list[NetUnit] = []

    async def put(self, host: int, profile: str, serial: str = "S-1", **answers: Any) -> NetUnit:
        model = self.library.need(profile)
        document = default_document(model)
        unit = NetUnit(model, serial, "1.0", document, document, address=f"{self.base}.{host}", answers=answers)
        self.units.append(unit)
        await unit.start()
        return unit

    def look(self) -> Look:
        """One look of a single method, whose sightings nobody takes."""
        return Look(
            self.line, self.library, Owners(), SystemClock(), (), lambda sighting: None, lambda done, total: None,
            lambda note: None, Pace().share(),
        )  # fmt: skip

    async def sweep(self, *methods: Method, known: Sequence[Known] = (), **more: Any) -> SweepResult:
        owners = Owners()
        try:
            return await sweep([self.line], known, self.library, owners, SystemClock(), methods=methods, **more)
        finally:
            owners.close()

    async def facts(self, *methods: Method, **more: Any) -> dict[str, dict[str, str]]:
        """Facts by the last number of the address."""
        result = await self.sweep(*methods, **more)
        assert result.troubles == []
        return {finding.address.rpartition(".")[2]: finding.facts for finding in result.findings}


@contextlib.asynccontextmanager
async def field(library: Library, network: str) -> AsyncIterator[Field]:
    made = Field(library, network)
    try:
        yield made
    finally:
        for unit in made.units:
            if unit.up:
                await unit.stop()


@contextlib.asynccontextmanager
async def speaker(address: str, port: int, pieces: Sequence[bytes], pause: float = 0.02) -> AsyncIterator[None]:
    """A TCP server that says these pieces to whoever connects, whatever is said to it, then hangs up."""

    async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        for piece in pieces:
            writer.write(piece)
            await asyncio.sleep(pause)
        writer.close()

    server = await asyncio.start_server(serve, address, port)
    async with server:
        yield


def found(result: SweepResult) -> dict[str, Finding]:
    return {finding.address.rpartition(".")[2]: finding for finding in result.findings}
