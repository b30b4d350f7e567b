"""The engine: owns all lines and all device work, in one event loop.

It takes commands and tells events, both plain data, and knows its host by Store, Journal and
EventSink alone; so it can run in the server's process or in one of its own somewhere else.
"""

from __future__ import annotations

import asyncio
import logging
import math
from collections.abc import Callable, Coroutine
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.bus.turns import Priority
from netloom_core.clock import Clock
from netloom_core.drivers.abilities import DriverSource
from netloom_core.engine import commands
from netloom_core.engine.feeding import Feeding
from netloom_core.engine.giving import Givers
from netloom_core.engine.kinds.base import Workshop
from netloom_core.engine.kinds.registry import kinds
from netloom_core.engine.kinds.sweep import look_again, look_along, may_be_at
from netloom_core.engine.lighting import Lighting
from netloom_core.engine.loops import keep_going
from netloom_core.engine.overhearing import Overhearing
from netloom_core.engine.pointwatch import PointWatch
from netloom_core.engine.ports import EventSink, Journal, Store
from netloom_core.engine.records import EngineRecords
from netloom_core.engine.taking import Taking
from netloom_core.errors import FENCED_HINT, Busy, Fenced, NetloomError, RequestError
from netloom_core.leases.borrowed import Borrowing
from netloom_core.library.load import Library
from netloom_core.live.sessions import Sessions
from netloom_core.live.watching import Watching
from netloom_core.model.device import Target
from netloom_core.model.fence import why_fenced
from netloom_core.model.work import ACTING, FAILED, LIVE, PENDING, SETTLED, SKIPPED, UNKNOWN, JournalEntry, RunState
from netloom_core.run.answers import Answer, Answers
from netloom_core.run.drive import drive, held_and_rest, short_name
from netloom_core.run.hold import ACTION as HELD
from netloom_core.run.hold import Holding
from netloom_core.run.insist import insist, own_fault
from netloom_core.run.supervisor import Supervisor
from netloom_core.sweep.sweep import SweepResult
from netloom_core.together import together
from netloom_core.trace import RUN

log = logging.getLogger("netloom.engine")
READ_AT_ONCE = 24
LOOK_AT_ONCE = 64
LOOK_S = 20.0  # for all that one request names, which waits for them: so many at once have an equal part of it each
LET_GO_S = 5.0  # for what is held, when the server is told to end
STATES_S = 3.0  # of one device, for whoever wants to see it
ASKED_S = 10.0  # the same where it is asked for what it has now: a busy one takes a while, and so does a long list
LOOK_EVERY_S = 5.0  # how often watch mode asks whether it is time
HELD_HINT = "Wait until it is let go, or ask a lead to take it over."
CUT_OFF = "Netloom was cut off in the middle; what came of it is not known."


class Engine:
    def __init__(
        self,
        library: Library,
        source: DriverSource,
        owners: Owners,
        clock: Clock,
        store: Store,
        journal: Journal,
        events: EventSink,
    ) -> None:
        self._journal = journal
        self._store = store
        self._events = events
        self._library = library
        self.sessions = Sessions(source, library.maker, clock)
        self._records = EngineRecords(store, journal, events)
        self._answers = Answers()
        supervisor = Supervisor(library, self.sessions, self._records, clock, self._answers, self._search)
        self._shop = Workshop(library, clock, store, events, self._records, self.sessions, owners, supervisor)
        self._kinds = kinds()
        self._watching = Watching(self.sessions, self._target, self._tell_states)
        self._runs: dict[str, asyncio.Task[None]] = {}
        self._loops: set[asyncio.Task[None]] = set()
        self._holding = Holding(
            self._driven, self._looked, self._records, lambda text: events.put("notice", {"message": text})
        )
        self._points = PointWatch(library, clock, store, events, self._watching.look_at, self._named)
        self._records.held = self._holding.why_held
        self._taking = Taking(
            library, self.sessions, self._records, self._tell_states, self._points.driven, self._holding.take_over
        )
        self._lighting = Lighting(store, journal, events, clock)
        self._feeding = Feeding(self._records, self.sessions, events, clock, self._tell_states)
        self._overhearing = Overhearing(store, owners)
        self._givers = Givers(store, clock, events)
        self._borrowing = Borrowing(clock, lambda text: events.put("notice", {"message": text}))
        self._searches: dict[str, asyncio.Task[SweepResult]] = {}
        self._drives: set[asyncio.Task[Any]] = set()
        self._holds: set[asyncio.Task[dict[str, str]]] = set()
        self._does: dict[type, Callable[[Any], Coroutine[Any, Any, dict[str, Any]]]] = {
            commands.CarryOut: self._carry_out,
            commands.Stop: self._stop,
            commands.Read: self._read,
            commands.States: self._states,
            commands.Drive: self._drive,
            commands.Take: self._take,
            commands.Look: self._look,
            commands.Levels: self._levels,
            commands.Traffic: self._traffic,
            commands.Raise: self._raise,
            commands.EndRaising: self._end_raising,
            commands.Feed: self._feed,
            commands.EndFeed: self._end_feed,
            commands.FeedNow: self._feed_now,
            commands.Hold: self._hold,
            commands.LetGo: self._let_go,
            commands.Watch: self._watch,
            commands.Edges: self._edges,
            commands.EventRecord: self._event_record,
            commands.Prove: self._prove,
            commands.Answer: self._answer,
            commands.Forget: self._forget,
            commands.Give: self._give,
            commands.EndGiving: self._end_giving,
            commands.Giving: self._giving,
            commands.Accept: self._accept,
            commands.Borrow: self._borrow,
            commands.GiveBack: self._give_back,
            commands.BorrowedNow: self._borrowed,
        }

    async def start(self) -> None:
        """Settle what an earlier process left open, and go on with its runs."""
        unfinished = await self._store.runs.unfinished()
        for intent in await self._journal.open_intents():
            if intent.action == HELD and not intent.run:
                named = (await self._records.targets([intent.device])).get(intent.device)
                self._holding.resume(intent, named.name if isinstance(named, Target) else intent.device)
            elif intent.run not in unfinished:
                await self._journal.append(_never_known(intent))
        for ident in unfinished:
            log.info("run %s goes on after a restart", ident)
            self._begin(ident)
        self._loop("watch mode", self._quiet_sweeps)
        self._loop("the point monitor", self._points.keep)

    async def stop(self) -> None:
        """Runs under way are cut off; their records let them go on at the next start. What is held is let go."""
        await self._lighting.stop()
        await self._feeding.stop()
        await self._overhearing.stop()
        await self._givers.stop()
        await self._borrowing.stop()
        await self._holding.stop(LET_GO_S)
        tasks = [*self._runs.values(), *self._loops, *self._holds, *self._drives, *self._searches.values()]
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        await self._watching.stop()
        await self.sessions.close()

    def keep(self, name: str, loop: Callable[[], Coroutine[Any, Any, None]]) -> None:
        """A background loop of the host, supervised like the engine's own."""
        self._loop(name, loop)

    def _loop(self, name: str, loop: Callable[[], Coroutine[Any, Any, None]]) -> None:
        def told(text: str) -> None:
            self._events.put("notice", {"message": text})

        task = asyncio.ensure_future(keep_going(name, loop, told))
        self._loops.add(task)
        task.add_done_callback(self._loops.discard)

    # Commands

    async def do(self, command: Any) -> dict[str, Any]:
        """Carry out one command, given as plain data or parsed; answers with plain data. Raises NetloomError."""
        parsed = command if isinstance(command, commands.Command) else commands.parse(command)
        try:
            return await self._does[type(parsed)](parsed)
        except NetloomError:
            raise
        except Exception as error:
            log.exception("command %s broke", parsed.do)
            raise own_fault(error) from error

    async def _carry_out(self, command: commands.CarryOut) -> dict[str, Any]:
        self._begin(command.run)
        return {}

    async def _stop(self, command: commands.Stop) -> dict[str, Any]:
        self._records.stop(command.run)
        for kind in self._kinds.values():
            kind.stop(command.run)
        return {}

    async def _read(self, command: commands.Read) -> dict[str, Any]:
        """Read devices onto their records, many at once; each one's trouble is its own."""
        troubles: dict[str, str] = {}
        targets = await self._records.targets(command.devices)

        async def one(named: tuple[str, Target | NetloomError]) -> None:
            device, target = named
            try:
                await self._read_one(target)
            except NetloomError as error:
                troubles[device] = error.message
            except Exception as error:
                log.exception("reading %s broke", device)
                troubles[device] = own_fault(error).message
            if device in troubles:
                await self._store.devices.save_trouble(device, troubles[device])

        await together(targets.items(), one, READ_AT_ONCE, lane=lambda named: self.sessions.lane(named[1]))
        return {"troubles": troubles}

    async def _read_one(self, target: Target | NetloomError) -> None:
        if isinstance(target, NetloomError):
            raise target
        talk = await self.sessions.talk(target, "read", Priority.RUN)
        time = self._shop.clock.now()
        await talk.read_sets(("running", "startup"))
        known = talk.known
        await self._records.save_reading(target.device, known.told, known.identity, time, known.unreadable)

    async def _states(self, command: commands.States, seconds: float = STATES_S) -> dict[str, Any]:
        try:
            async with asyncio.timeout(seconds):
                talk = await self.sessions.talk(await self._target(command.device), "look", Priority.WATCH)
                return {"states": await talk.states()}
        except (NetloomError, TimeoutError) as error:
            return {
                "states": {},
                "trouble": getattr(error, "message", "No answer came in time: of itself, or for others on its line."),
            }

    async def _may_move(self, device: str, point: str) -> None:
        """Raises Fenced where somebody fenced it off. What is held already may be let go all the same."""
        if fence := why_fenced(await self._records.fences(device), point):
            raise Fenced(fence, FENCED_HINT, target=device)

    async def _drive(self, command: commands.Drive) -> dict[str, Any]:
        await self._may_move(command.device, command.point)
        profile = self._library.need((await self._target(command.device)).profile)
        point = short_name(profile, command.point)
        if not command.over and (why := self._holding.why_held(command.device, point, command.by)):
            raise Busy(f"{why} Nothing was driven.", HELD_HINT)
        self._holding.take_over(command.device, point, command.by)
        return {"states": await self._driven(command.device, command.point, command.state, command.by)}

    async def _driven(self, device: str, point: str, state: str, by: str) -> dict[str, str]:
        target = await self._target(device)
        profile = self._library.need(target.profile)
        self._points.driven(device, short_name(profile, point), by)
        work = asyncio.ensure_future(drive(target, profile, point, state, self.sessions, self._records, by))
        self._drives.add(work)
        work.add_done_callback(self._drives.discard)
        states = await asyncio.shield(work)  # whoever asked may go away; what came of it is still written down
        self._tell_states(device, states, "")
        return states

    async def _take(self, command: commands.Take) -> dict[str, Any]:
        work = asyncio.ensure_future(self._taking.take(command.cells, command.by))
        self._drives.add(work)
        work.add_done_callback(self._drives.discard)
        return {"cells": [one.as_dict() for one in await asyncio.shield(work)]}

    async def _look(self, command: commands.Look) -> dict[str, Any]:
        states: dict[str, dict[str, str]] = {}
        troubles: dict[str, str] = {}
        rounds = math.ceil(len(command.devices) / LOOK_AT_ONCE)

        async def one(device: str) -> None:
            if not command.ask:
                states[device] = await self._watching.look_at(device)
                return
            told = await self._states(commands.States(device=device), min(ASKED_S, LOOK_S / rounds))
            states[device] = told["states"]
            if trouble := told.get("trouble"):
                troubles[device] = trouble

        await together(dict.fromkeys(command.devices), one, LOOK_AT_ONCE)
        return {"states": states, "troubles": troubles}

    async def _levels(self, command: commands.Levels) -> dict[str, Any]:
        return await self._lighting.levels(command.line, command.protocol, command.universe)

    async def _traffic(self, command: commands.Traffic) -> dict[str, Any]:
        return await self._overhearing.look_at(command.line, command.since)

    async def _raise(self, command: commands.Raise) -> dict[str, Any]:
        await self._lighting.begin(command)
        return {}

    async def _end_raising(self, command: commands.EndRaising) -> dict[str, Any]:
        await self._lighting.end(command.line, command.universe)
        return {}

    async def _feed(self, command: commands.Feed) -> dict[str, Any]:
        target = await self._target(command.device)
        profile = self._library.need(target.profile)
        if why := self._holding.why_held(target.device, short_name(profile, command.point), command.by):
            raise Busy(f"{why} Nothing was said.", HELD_HINT)
        point, text, every = command.point, command.text, command.every
        feed = await self._feeding.begin(target, profile, point, text, every, command.minutes, command.by)
        self._points.driven(target.device, short_name(profile, point), command.by)
        return {"feed": feed}

    async def _end_feed(self, command: commands.EndFeed) -> dict[str, Any]:
        self._feeding.end(command.device, command.by)
        return {"feed": self._feeding.shown(command.device)}

    async def _feed_now(self, command: commands.FeedNow) -> dict[str, Any]:
        return {"feed": self._feeding.shown(command.device)}

    async def _looked(self, device: str) -> dict[str, str]:
        return dict((await self._states(commands.States(device=device)))["states"])

    async def _hold(self, command: commands.Hold) -> dict[str, Any]:
        await self._may_move(command.device, command.point)
        target = await self._target(command.device)
        profile = self._library.need(target.profile)
        point, state, rest = held_and_rest(profile, command.point, command.state)
        entry = JournalEntry("intent", "", target.device, target.line.id, target.address, HELD, command.by, "")
        held = asyncio.ensure_future(self._holding.hold(entry, target.name, point, state, rest, command.seconds))
        self._holds.add(held)
        held.add_done_callback(self._holds.discard)
        return {"states": await asyncio.shield(held)}

    async def _let_go(self, command: commands.LetGo) -> dict[str, Any]:
        target = await self._target(command.device)
        self._holding.let_go(target.device, short_name(self._library.need(target.profile), command.point))
        return {}

    async def _watch(self, command: commands.Watch) -> dict[str, Any]:
        return {"states": await self._watching.look_at(command.device)}

    async def _edges(self, command: commands.Edges) -> dict[str, Any]:
        return self._points.answer(command.points, command.since)

    async def _event_record(self, command: commands.EventRecord) -> dict[str, Any]:
        talk = await self.sessions.talk(await self._target(command.device), "event record", Priority.RUN)
        told = await talk.record()
        return {"events": [one.as_dict() for one in told.events], "ahead": told.ahead}

    async def _named(self, devices: list[str]) -> dict[str, tuple[str, str]]:
        found = await self._records.targets(devices)
        return {ident: (one.name, one.profile) for ident, one in found.items() if isinstance(one, Target)}

    async def _prove(self, command: commands.Prove) -> dict[str, Any]:
        talk = await self.sessions.talk(await self._target(command.device), "prove", Priority.DRIVE)
        identity = await talk.identify()
        return {"maker": identity.maker, "model": identity.model, "serial": identity.serial}

    async def _answer(self, command: commands.Answer) -> dict[str, Any]:
        self._answers.give(command.run, command.step, Answer(command.by, command.came, command.note))
        return {}

    async def _forget(self, command: commands.Forget) -> dict[str, Any]:
        self._points.forget(command.device)
        await self._feeding.forget(command.device)
        await self.sessions.forget(command.device)
        return {}

    async def look_again(self, line: str, address: str) -> SweepResult:
        """Who is at one address now; nothing is recorded."""
        return await look_again(line, address, self._shop)

    async def _target(self, device: str) -> Target:
        found = (await self._records.targets([device])).get(device)
        if isinstance(found, NetloomError):
            raise found
        if found is None:
            raise RequestError("There is no such device any more.", target=device)
        return found

    def _tell_states(self, device: str, states: dict[str, str], trouble: str) -> None:
        told: dict[str, Any] = {"device": device, "states": states}
        self._events.put("points", {**told, "trouble": trouble} if trouble else told)
        self._points.states(device, states, trouble)

    # Runs

    def _begin(self, ident: str) -> None:
        if ident in self._runs:
            return
        task = asyncio.ensure_future(self._supervised(ident))
        self._runs[ident] = task
        task.add_done_callback(lambda _: self._runs.pop(ident, None))

    async def _search(self, target: Target) -> list[Target]:
        """Of many on one line that are looked for at the same time one look along it serves all."""
        line = target.line.id
        if line not in self._searches:
            self._searches[line] = asyncio.ensure_future(look_along(line, self._shop))
            self._searches[line].add_done_callback(lambda _: self._searches.pop(line, None))
        return may_be_at(target, await asyncio.shield(self._searches[line]))

    async def _give(self, command: commands.Give) -> dict[str, Any]:
        return {"giving": await self._givers.begin(command.line, command.minutes, command.by)}

    async def _end_giving(self, command: commands.EndGiving) -> dict[str, Any]:
        await self._givers.end(command.line)
        return {}

    async def _giving(self, command: commands.Giving) -> dict[str, Any]:
        return {"giving": self._givers.shown(command.line)}

    async def _accept(self, command: commands.Accept) -> dict[str, Any]:
        return {"giving": self._givers.accept(command.line, command.mac, command.address)}

    async def _borrow(self, command: commands.Borrow) -> dict[str, Any]:
        line = (await self._store.devices.lease_plan(command.line)).line
        return {"borrowed": await self._borrowing.begin(line, command.near, command.minutes, command.by)}

    async def _give_back(self, command: commands.GiveBack) -> dict[str, Any]:
        await self._borrowing.end(command.line, command.network)
        return {}

    async def _borrowed(self, command: commands.BorrowedNow) -> dict[str, Any]:
        return {"borrowed": self._borrowing.shown(command.line)}

    async def _supervised(self, ident: str) -> None:
        """One run to its end. It reaches a settled state whatever happens, or goes on at the next start."""
        RUN.set(ident)
        run = await self._run(ident)
        if run.state not in LIVE:
            return
        try:
            run.state = "running"
            await insist(lambda: self._records.save_run(run), f"the begin of run {ident}")
            kind = self._kinds.get(run.kind)
            if kind is None:
                raise RequestError(f"There is no kind of run called {run.kind!r}.", "Was it made by a newer Netloom?")
            await kind.carry_out(run, self._shop)
        except NetloomError as error:
            await self._broken(run, f"{error.message} {error.hint}".strip())
        except Exception:
            log.exception("run %s broke", ident)
            await self._broken(
                run, "Netloom made a mistake of its own; the server's log has it. What was written is in the journal."
            )
        await insist(lambda: self._records.save_run(run), f"the end of run {ident}")
        log.info("run %s, a %s, ended: %s", ident, run.kind, run.state)
        self._records.forget(ident)

    async def _run(self, ident: str) -> RunState:
        found: list[RunState] = []

        async def load() -> None:
            found.append(await self._store.runs.run(ident))
            if await self._store.runs.cancelled(ident):
                self._records.stop(ident)

        await insist(load, f"the record of run {ident}")
        return found[0]

    async def _broken(self, run: RunState, message: str) -> None:
        """Every step and every intent of a run that broke gets its word."""
        run.state, run.message = FAILED, message

        async def close() -> None:
            for intent in await self._journal.open_intents(run.id):
                await self._journal.append(_never_known(intent))
            for step in loose:
                await self._records.save_step(run.id, step)

        loose = [step for step in run.steps if step.state not in SETTLED]
        for step in loose:
            step.message = CUT_OFF if step.state == ACTING else "The run ended before this step."
            step.state = SKIPPED if step.state == PENDING else UNKNOWN
        await insist(close, f"the steps of run {run.id}")

    async def _quiet_sweeps(self) -> None:
        """Watch mode: sweeps that begin by themselves, and stay out of people's way."""
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            ident = await self._store.runs.due_sweep()
            if ident:
                log.info("watch: sweep %s begins", ident)
                self._begin(ident)
                await asyncio.wait([self._runs[ident]])


def _never_known(intent: JournalEntry) -> JournalEntry:
    return JournalEntry(
        kind="outcome",
        run=intent.run,
        device=intent.device,
        line=intent.line,
        address=intent.address,
        action=intent.action,
        by=intent.by,
        intent=intent.intent,
        step=intent.step,
        outcome="unknown",
        message=CUT_OFF,
        changes=intent.changes,
    )
