"""Levels of universes while somebody looks, and tests of fixtures, one in each universe at most."""

from __future__ import annotations

import asyncio
import logging
import secrets
from typing import Any

from netloom_core.clock import Clock
from netloom_core.engine import commands
from netloom_core.engine.ports import EventSink, Journal, Store
from netloom_core.errors import Busy, NetloomError
from netloom_core.levels.heard import Protocol
from netloom_core.levels.listening import Listening
from netloom_core.levels.raising import Fixture, Raising
from netloom_core.model.line import Line
from netloom_core.model.work import JournalEntry
from netloom_core.run.insist import insist, own_fault

log = logging.getLogger("netloom.engine")
LOOKED_S = 12.0  # since somebody looked last


class Lighting:
    def __init__(self, store: Store, journal: Journal, events: EventSink, clock: Clock) -> None:
        self._store, self._journal, self._events, self._clock = store, journal, events, clock
        self._listening = Listening(clock)
        self._tests: dict[tuple[str, int], tuple[Raising, asyncio.Task[None]]] = {}
        self._beginning: set[tuple[str, int]] = set()
        self._looked: dict[tuple[str, int], float] = {}

    async def _line(self, ident: str) -> Line:
        return (await self._store.devices.lease_plan(ident)).line

    async def levels(self, ident: str, protocol: Protocol, number: int) -> dict[str, Any]:
        line = await self._line(ident)
        told = self._listening.look_at(line, protocol, number)
        key = ident, number
        if protocol != "sacn" or key not in self._tests:
            return {**told, "test": None}
        self._looked[key] = asyncio.get_running_loop().time()
        test = self._tests[key][0]
        names = [one.name for one in test.fixtures]
        return {**told, "test": {"at": test.at, "fixtures": names, "priority": test.priority}}

    async def begin(self, command: commands.Raise) -> None:
        """Raises Busy where one is under way there, CannotDo where it cannot be."""
        key = command.line, command.universe
        if key in self._tests or key in self._beginning:
            raise Busy("A test of that universe is under way already.", "End it, or wait.")
        self._beginning.add(key)
        try:
            line = await self._line(command.line)
            self._listening.look_at(line, "sacn", command.universe)
            universe = self._listening.universe(line, "sacn", command.universe)
            fixtures = [Fixture(one.name, one.start, one.slots) for one in command.fixtures]
            test = Raising(line, universe, fixtures, command.seconds, self._clock.now)
            names = ", ".join(one.name for one in fixtures)
            said = f"Fixtures of sACN universe {command.universe} one after the other: {names}"[:900]
            ident = secrets.token_hex(8)
            entry = JournalEntry("intent", "", "", line.id, "", "raise", command.by, ident, message=said)
            await self._journal.append(entry)
            self._looked[key] = asyncio.get_running_loop().time()
            self._tests[key] = test, asyncio.ensure_future(self._run(key, test, entry))
            await asyncio.sleep(0)  # it has begun before anybody can end it
        finally:
            self._beginning.discard(key)

    async def _run(self, key: tuple[str, int], test: Raising, entry: JournalEntry) -> None:
        outcome, why = "done", ""
        try:
            await test.run(lambda: asyncio.get_running_loop().time() - self._looked.get(key, 0) < LOOKED_S)
        except NetloomError as error:
            outcome, why = "failed", error.message
            self._events.put("notice", {"message": error.message})
        except asyncio.CancelledError:
            why = "It was ended."
        except Exception as error:
            log.exception("a test of fixtures broke")
            outcome, why = "unknown", own_fault(error).message
        finally:
            self._tests.pop(key, None)
            self._looked.pop(key, None)
        said = f"{why} {test.account()}".strip()
        end = JournalEntry(
            "outcome", "", "", entry.line, "", "raise", entry.by, entry.intent, outcome=outcome, message=said
        )
        await insist(lambda: self._journal.append(end), "the end of a test of fixtures")

    async def end(self, line: str, universe: int) -> None:
        found = self._tests.get((line, universe))
        if found is not None:
            found[1].cancel()
            await asyncio.gather(found[1], return_exceptions=True)

    async def stop(self) -> None:
        for line, universe in list(self._tests):
            await self.end(line, universe)
        await self._listening.stop()
