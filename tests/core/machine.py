"""A state machine that drives the whole engine on devices in memory, and what must hold after each step.

Everything that can go wrong on a site happens at any await: the server is killed, devices lose
power, answer with errors, hang, are changed by a second person, are swapped for a stranger, are
carried to another address; the records cannot be written for a while; somebody stops a run; two
runs are begun at once. Devices note on their own what was really asked of them, so the promises
are held against that, not against what the engine says of itself.
"""

from __future__ import annotations

import asyncio
import copy
from collections import defaultdict
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field, replace
from typing import Any

from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, precondition, rule

from netloom_core.documents.tree import MISSING, get, leaves, put, remove
from netloom_core.errors import Busy, NetloomError, RequestError, StoreTrouble
from netloom_core.library.load import Library
from netloom_core.model.device import Identity
from netloom_core.model.work import LIVE, JournalEntry, RunState, StepState
from netloom_core.profiles.abilities import Abilities
from netloom_core.profiles.profile import Profile
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import ALL, Rig, device
from netloom_core.testing.virtual_time import VirtualLoop
from tests.conftest import shipped
from tests.core.happening import CLAMPED, HAPPENINGS, PATHS, Happening, calm

DEVICES = 3
ADDRESSES = [f"127.20.10.{n}" for n in range(11, 16)]


def machine_profile() -> Profile:
    base = next(p for p in shipped() if p.id == "hallvane-rx8").model_dump()

    def number(path: str, **more: Any) -> dict[str, Any]:
        return {"path": path, "label": path, "type": {"is": "integer", "maximum": 9}, "default": 1, **more}

    base["items"] = [
        number("/a"),
        number("/b"),
        number("/kept", kept="always"),
        number("/fleeting", kept="never"),
        number("/buffered", takes="on-store"),
        number("/late", takes="on-restart"),
        {"path": "/network/address", "label": "Address", "type": "ipv4", "takes": "on-restart", "role": "address"},
    ]
    base["items"].append(
        {"path": "/relay", "point": "relay-1", "kind": "relay", "label": "Relay", "use": ["live", "driven"],
         "type": {"is": "choice", "options": {"off": "Off", "on": "On"}}}
    )  # fmt: skip
    base["views"] = []
    return Profile.model_validate({**base, "id": "machine"})


PROFILE = machine_profile()
LIBRARY = Library([PROFILE])


@dataclass
class Log:
    """What one device saw: `(moment, call, what it would tell then)`, and what a person changed at its front."""

    calls: list[tuple[int, str, Any, Any]] = field(default_factory=list)


class Watched(MemoryDevice):
    """A device that notes what it was asked, in one order for all devices."""

    moments = 0

    def note(self, call: str, told: Any = None) -> None:
        Watched.moments += 1
        kept = (copy.deepcopy(self.running), copy.deepcopy(self.startup))
        for which, document in zip(("running", "startup"), kept, strict=True):
            for path in self.untold.get(which, ()):
                remove(document, path)
        self.log_of.calls.append((Watched.moments, call, told, kept))

    def take(self, path: str, value: Any) -> None:
        super().take(path, value)
        self.note("take", (path, value))

    def keep(self) -> None:
        before = copy.deepcopy(self.startup)
        super().keep()
        changed = {path: value for path, value in leaves(self.startup) if get(before, path) != value}
        self.note("keep", changed)

    def power_cut(self) -> None:
        super().power_cut()
        self.note("power")

    log_of: Log


def by_hand(value: Any) -> bool:
    """Only a person at the front writes these; no plan does."""
    return isinstance(value, int) and value >= 6


def watched(number: int, sets: tuple[str, ...]) -> Watched:
    plain = device(PROFILE, number)
    made = Watched(
        PROFILE,
        plain.address,
        running=plain.running,
        identity=plain.identity,
        abilities=Abilities(ALL.can, frozenset(sets)),
    )
    made.log_of = Log()
    return made


WHEN = st.integers(1, 40)
HAPPENING = st.sampled_from(sorted(HAPPENINGS))
WANTED = st.lists(
    st.tuples(st.integers(0, DEVICES - 1), st.sampled_from(PATHS[:-1]), st.integers(1, 5)), min_size=1, max_size=4
)


class EngineMachine(RuleBasedStateMachine):
    def __init__(self) -> None:
        super().__init__()
        self.runner = asyncio.Runner(loop_factory=VirtualLoop)
        self.locked_until = self.unclear_until = -1.0
        self.clear_one: MemoryDevice | None = None
        self.countdown = 0
        self.happening: Happening = calm
        self.shown: set[tuple[str, str, Any]] = set()  # device, path, value that some plan showed
        self.front: dict[str, dict[str, int]] = defaultdict(dict)  # path: moment of a person's change
        self.unseen: set[str] = set()  # devices of which a plan said that more is kept than can be seen
        self.strangers: list[MemoryDevice] = []
        self.journal_checked = 0
        self.intents: list[tuple[int, JournalEntry]] = []  # with the moment at which each was written down
        self.settled: list[tuple[int, StepState]] = []  # steps as they settled, with the moment
        self.settled_checked = 0
        self.carried: set[str] = set()
        self.judged: set[str] = set()
        self.clamped = False

    @initialize(sets=st.sampled_from([("running", "startup"), ("running", "startup"), ("running",)]))
    def begin(self, sets: tuple[str, ...]) -> None:
        async def make() -> None:
            self.dying = asyncio.Event()
            boxes = [watched(n, sets) for n in range(1, DEVICES + 1)]
            self.rig = Rig(LIBRARY, boxes)
            for box in boxes:
                box.before = self._before(box)
            self.rig.store.hook = self.rig.journal.hook = self._records
            self._note_moments()
            await self.rig.engine.start()

        self.runner.run(make())

    def _note_moments(self) -> None:
        """When intents were written down and steps settled, in the devices' own order of moments."""
        append, save = self.rig.journal.append, self.rig.store.save_step

        async def noted_append(entry: JournalEntry) -> None:
            await append(entry)
            if entry.kind == "intent":
                self.intents.append((Watched.moments, entry))

        async def noted_save(run: str, step: StepState) -> None:
            await save(run, step)
            if step.state not in ("pending", "acting"):
                self.settled.append((Watched.moments, replace(step)))

        self.rig.journal.append = noted_append  # type: ignore[method-assign]
        self.rig.store.save_step = noted_save  # type: ignore[method-assign]

    def _before(self, box: MemoryDevice) -> Callable[[str], Awaitable[None]]:
        async def before(name: str) -> None:
            if isinstance(box, Watched) and not name.startswith("after"):
                box.note(name)
            await self._maybe(box)
            if box is not self.clear_one and asyncio.get_running_loop().time() < self.unclear_until:
                raise Busy("later")

        return before

    async def _maybe(self, box: MemoryDevice) -> None:
        if self.countdown > 0:
            self.countdown -= 1
            if self.countdown == 0:
                await self.happening(self, box)

    def _records(self, what: str) -> None:
        if asyncio.get_running_loop().time() < self.locked_until:
            raise StoreTrouble("database is locked")

    # Things that happen

    def at_its_front(self, box: MemoryDevice, path: str, value: int) -> None:
        box.take(path, value)
        self.front[box.identity.serial][path] = Watched.moments

    def swap(self, box: MemoryDevice) -> None:
        """Another unit of the same model stands at its address from now on; it itself is in a drawer."""
        stranger = replace(
            device(PROFILE, 1), address=box.address, identity=Identity("Hallvane", "RX8", f"X-{len(self.strangers)}")
        )
        box.silent = True
        self.strangers.append(stranger)
        self.rig.drivers.devices.insert(0, stranger)

    def back_again(self) -> None:
        for box in self.rig.devices:
            box.silent = False
            box.lies_about, box.half_of_write, box.stores, box.untold = "", False, True, {}
            box.limits, box.starts_with, box.forgets, box.late_s, box.follows = {}, {}, frozenset(), 0.0, {}
        self.rig.drivers.devices[:] = self.rig.devices

    # Work under trouble

    def _work(self, work: Callable[[], Awaitable[None]], happening: str, when: int) -> None:
        async def through() -> None:
            self.happening, self.countdown = HAPPENINGS[happening], when
            self.dying = asyncio.Event()
            busy = asyncio.ensure_future(work())
            dying = asyncio.ensure_future(self.dying.wait())
            await asyncio.wait([busy, dying], return_when=asyncio.FIRST_COMPLETED)
            self.countdown = 0
            if self.dying.is_set():
                busy.cancel()
                await asyncio.gather(busy, return_exceptions=True)
                await self.rig.kill()
                await self.rig.engine.start()
            dying.cancel()
            await asyncio.gather(busy, return_exceptions=True)
            await self.rig.ended()
            self.locked_until = self.unclear_until = -1.0
            error = busy.exception() if busy.done() and not busy.cancelled() else None
            if error is not None and not isinstance(error, NetloomError):
                raise error
            self.promises()
            self.back_again()

        self.runner.run(through())

    async def _plan_and_carry_out(
        self, kind: str, devices: list[str], *, meanwhile: bool = False, **params: Any
    ) -> None:
        """`meanwhile` a person changes a shown value at the device's front, before the plan is carried out."""
        plan_run = self.rig.store.begin("plan", [], {"kind": kind, "devices": devices, **params})
        await self.rig.carry_out(plan_run)
        plan = self.rig.store.all_plans.get(plan_run.id)
        if plan is None or not plan.steps:
            return
        self.unseen |= {one["device"] for one in plan.remarks if one["code"] in ("keeps-all", "keeps-untold")}
        for step in plan.steps:
            for change in step.params.get("changes", []):
                self.shown.add((step.device, change["path"], change["to"]))
                self.shown.add((step.device, change["path"], change["from"]))  # what putting back writes
            for keep in step.params.get("keeps", []):
                self.shown.add((step.device, keep["path"], keep["to"]))
        if meanwhile and plan.steps[0].action == "write":
            first = plan.steps[0]
            self.at_its_front(self._box(first.device), first.params["changes"][0]["path"], 8)
        run = self.rig.store.begin(kind, plan.steps)
        self.carried.add(run.id)
        await self.rig.carry_out(run)

    def _decide(self, wanted: list[tuple[int, str, int]]) -> None:
        for number, path, value in wanted:
            put(self.rig.record(f"dev{number + 1}").intended, path, value)

    @rule(wanted=WANTED, happening=HAPPENING, when=WHEN, keep=st.sampled_from([True, True, True, False]))
    def apply(self, wanted: list[tuple[int, str, int]], happening: str, when: int, keep: bool) -> None:
        self._decide(wanted)
        self._work(lambda: self._plan_and_carry_out("apply", [], keep=keep), happening, when)

    @rule(wanted=WANTED)
    def apply_what_somebody_changed_meanwhile(self, wanted: list[tuple[int, str, int]]) -> None:
        self._decide(wanted)
        self._work(lambda: self._plan_and_carry_out("apply", [], meanwhile=True), "nothing", 1)

    @rule(number=st.integers(0, DEVICES - 1), address=st.sampled_from(ADDRESSES), happening=HAPPENING, when=WHEN)
    def move(self, number: int, address: str, happening: str, when: int) -> None:
        put(self.rig.record(f"dev{number + 1}").intended, "/network/address", address)
        self._work(lambda: self._plan_and_carry_out("apply", [f"dev{number + 1}"]), happening, when)

    @rule(wanted=WANTED, happening=HAPPENING, when=WHEN)
    def apply_twice_at_once(self, wanted: list[tuple[int, str, int]], happening: str, when: int) -> None:
        self._decide(wanted)

        async def twice() -> None:
            ends = await asyncio.gather(
                self._plan_and_carry_out("apply", ["dev1", "dev2"]),
                self._plan_and_carry_out("apply", ["dev2", "dev3"]),
                return_exceptions=True,
            )
            for end in ends:
                if isinstance(end, BaseException) and not isinstance(end, RequestError):
                    raise end

        self._work(twice, happening, when)

    @precondition(lambda self: self.carried)
    @rule(happening=HAPPENING, when=WHEN, over=st.booleans())
    def undo(self, happening: str, when: int, over: bool) -> None:
        run = sorted(self.carried)[-1]
        devices = sorted({step.device for step in self.rig.store.all_runs[run].steps})
        self._work(lambda: self._plan_and_carry_out("undo", devices, run=run, over_later=over), happening, when)

    @rule(happening=HAPPENING, when=WHEN)
    def verify(self, happening: str, when: int) -> None:
        async def look() -> None:
            for number, record in enumerate(self.rig.store.records.values()):
                record.baseline = record.baseline or copy.deepcopy(self.rig.devices[number].running)
            steps = [StepState(n, f"dev{n + 1}", "read") for n in range(DEVICES)]
            run = await self.rig.carry_out(self.rig.store.begin("verify", steps))
            self._proofs(run)

        self._work(look, happening, when)

    @rule(happening=HAPPENING, when=st.integers(1, 6), state=st.sampled_from(["on", "off"]))
    def drive(self, happening: str, when: int, state: str) -> None:
        async def press() -> None:
            await self.rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": state, "by": "t"})

        self._work(press, happening, when)

    @rule(number=st.integers(0, DEVICES - 1))
    def power_cut(self, number: int) -> None:
        self.rig.devices[number].power_cut()

    @rule(number=st.integers(0, DEVICES - 1), path=st.sampled_from(["/a", "/b", "/kept"]), value=st.integers(6, 9))
    def person_at_the_front(self, number: int, path: str, value: int) -> None:
        self.at_its_front(self.rig.devices[number], path, value)

    # What must hold

    def promises(self) -> None:
        self.rig.every_intent_has_its_outcome()
        for run in self.rig.store.all_runs.values():
            assert run.state not in LIVE, f"{run.id} is not settled"
            assert all(step.state not in ("pending", "acting") for step in run.steps), run.steps
        assert self.rig.store.leases == {}, "a settled run holds no device"
        for stranger in self.strangers:
            assert set(stranger.log) <= {"identify"}, f"a stranger was asked {stranger.log}"
        for number, box in enumerate(self.rig.devices):
            assert isinstance(box, Watched)
            self._nothing_but_what_was_shown(f"dev{number + 1}", box)
        for moment, step in self.settled[self.settled_checked :]:
            if step.state == "done":
                self._shown_by_a_reading(moment, step)
            if step.code == "read-back" and step.action == "write":
                self._otherwise_by_a_reading(moment, step)
        self.settled_checked = len(self.settled)
        self._what_was_said_is_what_it_has()
        for moment, entry in self.intents[self.journal_checked :]:
            self._before_values_are_true(moment, entry)
        self.journal_checked = len(self.intents)
        self._places()

    def _nothing_but_what_was_shown(self, ident: str, box: Watched) -> None:
        front = self.front[box.identity.serial]
        last_read = 0
        for moment, call, told, _ in box.log_of.calls:
            if call == "read running":
                last_read = moment
            if call == "take":
                path, value = told
                mine = front.get(path, 0) >= moment
                assert mine or (ident, path, value) in self.shown or by_hand(value), f"{path}={value} was never shown"
            if call == "keep" and ident not in self.unseen:
                for path, value in told.items():
                    by_person = front.get(path, 0) > last_read
                    assert by_person or self._was_shown(ident, path, value), f"{path}={value} was kept unshown"

    def _was_shown(self, ident: str, path: str, value: Any) -> bool:
        if self.clamped and path == "/buffered" and value in CLAMPED:
            return True  # what the device makes of a value that waited for the store, nothing shows before
        return (ident, path, value) in self.shown or (ident, path, str(value)) in self.shown

    def _box(self, ident: str) -> Watched:
        box = self.rig.devices[int(ident[3:]) - 1]
        assert isinstance(box, Watched)
        return box

    def _shown_by_a_reading(self, moment: int, step: StepState) -> None:
        """All that a done step says was read after the last act on the device, before it was said."""
        box = self._box(step.device)
        calls = [call for call in box.log_of.calls if call[0] <= moment]
        acts = [at for at, call, _, _ in calls if call in ("write", "store", "restart", "readdress")]
        last = max(acts, default=0)
        readings = [kept for at, call, _, kept in calls if call.startswith("read") and at > last]
        changes = step.params.get("changes", [])
        if step.action in ("restart", "readdress", "write"):
            for change in changes:
                if step.action == "write" and PROFILE.by_path[change["path"]].takes == "on-store":
                    continue
                assert any(get(running, change["path"]) == change["to"] for running, _ in readings), (step, change)
        if step.action == "store" and "startup" in box.abilities.sets:
            for keep in step.params["keeps"]:
                if PROFILE.by_path[keep["path"]].kept != "never":
                    assert any(get(startup, keep["path"]) == keep["to"] for _, startup in readings), (step, keep)

    def _what_was_said_is_what_it_has(self) -> None:
        """Where all steps of a device are done, the last reading before that was said shows all that they claim."""
        for run in self.rig.store.all_runs.values():
            if run.id in self.judged or run.kind not in ("apply", "undo"):
                continue
            self.judged.add(run.id)
            for name in {step.device for step in run.steps}:
                mine = [step for step in run.steps if step.device == name]
                if any(step.state != "done" for step in mine) or not any(s.params.get("changes") for s in mine):
                    continue
                said = max(m for m, step in self.settled if step.device == name and step in mine)
                calls = [call for call in self._box(name).log_of.calls if call[0] <= said]
                readings = [kept for _, call, _, kept in calls if call == "read running"]
                for step in mine:
                    if step.action not in ("write", "restart", "readdress"):
                        continue
                    for change in step.params["changes"]:
                        if PROFILE.by_path[change["path"]].takes == "on-store":
                            continue
                        last = [c for s in mine for c in s.params.get("changes", []) if c["path"] == change["path"]][-1]
                        has = get(readings[-1][0], change["path"])
                        assert has == last["to"], f"{step.action} of {change} is done, and {has!r} was read at the end"

    def _otherwise_by_a_reading(self, moment: int, step: StepState) -> None:
        """What is said to be another value than wanted was told as one: what it does not tell is not known."""
        calls = [call for call in self._box(step.device).log_of.calls if call[0] <= moment]
        last = max(at for at, call, _, _ in calls if call == "read running")
        told = [running for at, _, _, (running, _) in calls if at >= last]  # it may change while it is read
        changes = step.params["changes"]
        assert any(get(one, c["path"]) not in (MISSING, c["to"]) for one in told for c in changes), (step, told)

    def _before_values_are_true(self, moment: int, entry: JournalEntry) -> None:
        """What an intent says to have been there was read right before it was written down."""
        if entry.action != "write":
            return
        calls = [call for call in self._box(entry.device).log_of.calls if call[0] <= moment]
        readings = [kept for _, call, _, kept in calls if call == "read running"]
        for change in entry.changes:
            last = get(readings[-1][0], change["path"])
            last = None if last is MISSING else last
            assert last in (change["from"], change["to"]), f"{change} but {last!r} was read"

    def _places(self) -> None:
        """Each device is where its record says, or a run says that this is not known; and no two are at one place."""
        addresses = [box.address for box in self.rig.devices]
        assert len(set(addresses)) == len(addresses), f"two devices at one address: {addresses}"
        for number, box in enumerate(self.rig.devices):
            record = self.rig.record(f"dev{number + 1}")
            if record.target.address == box.address:
                continue
            power = any(call == "power" for _, call, _, _ in box.log_of.calls)
            told = [
                step.state
                for run in self.rig.store.all_runs.values()
                for step in run.steps
                if step.device == f"dev{number + 1}" and step.action in ("stage", "store", "readdress")
            ]
            assert told, f"{box.address} is not {record.target.address}"
            assert told[-1] != "done" or power, f"{box.address} is not {record.target.address}: {told}"

    def _proofs(self, run: RunState) -> None:
        for told in run.result.get("devices", []):
            box = self.rig.devices[int(told["device"][3:]) - 1]
            record = self.rig.record(told["device"])
            if told["result"] != "match":
                continue
            assert isinstance(box, Watched)
            readings = [kept for _, call, _, kept in box.log_of.calls if call == "read running"]
            assert any(running == record.baseline for running, _ in readings), "matching was never read"

    def teardown(self) -> None:
        async def end() -> None:
            await self.rig.engine.stop()

        if hasattr(self, "rig"):
            self.runner.run(end())
        self.runner.close()
