"""Store, Journal and EventSink in memory: the examiner's reference, and what most tests run on."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from netloom_core.addressing.bound import after_finding, after_reading, taken
from netloom_core.backup.verify import Evidence, Proof, losses
from netloom_core.documents.tree import ALL_READ, MISSING, Document, get, put, remove
from netloom_core.engine.ports import MadePlan, Order, SweepWork
from netloom_core.errors import NetloomError, RequestError
from netloom_core.leases.giving import LeasePlan
from netloom_core.leases.responder import Lease
from netloom_core.library.load import Library
from netloom_core.live.edges import Edge
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.image import Image
from netloom_core.model.lock import Lock
from netloom_core.model.work import LIVE, JournalEntry, RunState, StepState


@dataclass
class MemoryRecord:
    """One device's record. `intended` is what is to be planned."""

    target: Target
    intended: Document = field(default_factory=dict)
    aside: Document = field(default_factory=dict)  # what was decided for the model that it was
    version: int = 1
    documents: dict[str, Document] = field(default_factory=dict)
    read_at: float = 0.0
    placed_at: float = 0.0
    bound: dict[str, float] = field(default_factory=dict)
    lost: dict[str, Any] = field(default_factory=dict)
    trouble: str = ""
    secrets: dict[str, str] = field(default_factory=dict)
    expected: dict[str, list[str]] = field(default_factory=dict)  # by level: secrets that may be on it
    fences: dict[str, str] = field(default_factory=dict)  # by point, "" the whole device: why
    locks: list[Lock] = field(default_factory=list)
    proof: Proof | None = None
    baseline: Document | None = None
    identity: Identity | None = None
    unreadable: dict[str, str] = field(default_factory=dict)


class MemoryEvents:
    def __init__(self) -> None:
        self.told: list[tuple[str, dict[str, Any]]] = []

    def put(self, kind: str, data: dict[str, Any], *, latest: str = "") -> None:
        self.told.append((kind, data))


class MemoryJournal:
    """`hook` is called before each append and may raise."""

    def __init__(self) -> None:
        self.entries: list[JournalEntry] = []
        self._closed: set[str] = set()
        self.hook: Callable[[str], None] = lambda what: None

    async def append(self, entry: JournalEntry) -> None:
        self.hook(f"journal {entry.kind}")
        if entry.kind == "outcome":
            if entry.intent in self._closed:
                return
            self._closed.add(entry.intent)
        self.entries.append(entry)

    async def open_intents(self, run: str | None = None) -> list[JournalEntry]:
        return [
            e
            for e in self.entries
            if e.kind == "intent" and e.intent not in self._closed and (run is None or e.run == run)
        ]


class MemoryPoints:
    def __init__(self) -> None:
        self.wanted: dict[str, list[str]] = {}
        self.edges: list[Edge] = []

    async def monitored(self) -> Mapping[str, Sequence[str]]:
        return self.wanted

    async def save_edges(self, edges: Sequence[Edge]) -> None:
        self.edges += edges


class MemoryStore:
    """All stores in one; `hook` is called before each write and may raise."""

    def __init__(self, library: Library, targets: Iterable[Target]) -> None:
        self.library = library
        self.records = {target.device: MemoryRecord(target) for target in targets}
        self.all_runs: dict[str, RunState] = {}
        self.all_plans: dict[str, MadePlan] = {}
        self.leases: dict[str, str] = {}
        self.asked_to_stop: set[str] = set()
        self.backups: list[tuple[str, str, bool]] = []
        self.hook: Callable[[str], None] = lambda what: None
        self.points = MemoryPoints()
        self.images: dict[str, Image] = {}
        self.files: dict[str, dict[str, Any]] = {}  # of each what a plan is told

    @property
    def devices(self) -> MemoryStore:
        return self

    runs = plans = proofs = sweeps = firmware = devices

    # Firmware

    async def image(self, file: str) -> Image:
        if file not in self.images:
            raise RequestError(f"There is no file {file}.")
        return self.images[file]

    async def save_firmware(self, device: str, identity: Identity | None, time: float) -> None:
        self.hook("save firmware")
        record = self.records[device]
        if time >= record.read_at:
            record.identity = identity

    async def became(self, device: str, profile: str) -> None:
        record = self.records[device]
        record.aside = record.intended
        record.intended, record.documents = {}, {}
        record.target = replace(record.target, profile=profile)

    # Devices

    async def targets(self, devices: Iterable[str]) -> Mapping[str, Target | NetloomError]:
        return {ident: self._with_coming(self.records[ident]) for ident in devices if ident in self.records}

    def _with_coming(self, record: MemoryRecord) -> Target:
        """A login that is decided counts, too: it may be on the device already."""
        target, profile = record.target, self.library.get(record.target.profile)
        coming: list[Credentials] = []
        for level, item in profile.ladder.codes.items() if profile is not None else ():
            known = target.logins(level)
            for secret in (str(get(record.intended, item.path)), *record.expected.get(level, [])):
                text = target.secrets.get(secret, "")
                login = Credentials(known[0].user if known else "", text, level)
                if text and login not in (*known, *coming):
                    coming.append(login)
        return replace(target, credentials=(*target.credentials, *coming)) if coming else target

    async def save_reading(
        self,
        device: str,
        documents: Mapping[str, Document],
        identity: Identity | None,
        time: float,
        unreadable: Mapping[str, str] = ALL_READ,
    ) -> None:
        self.hook("save reading")
        record = self.records[device]
        if time < record.read_at:
            return
        before = (record.documents.get("running", {}), record.documents.get("startup", {}))
        now = (documents.get("running", before[0]), documents.get("startup", before[1]))
        record.lost = losses(before, now, record.lost, record.intended)
        record.documents |= documents
        record.read_at, record.identity, record.trouble = time, identity, ""
        record.unreadable = dict(unreadable)
        profile = self.library.get(record.target.profile)
        role = profile.with_role("address") if profile else None
        kept = get(documents.get("startup", {}), role.path) if role else MISSING
        if kept is not MISSING:
            record.bound = after_reading(record.bound, record.target.address, str(kept), time)

    async def save_trouble(self, device: str, message: str) -> None:
        self.records[device].trouble = message

    async def save_place(self, device: str, address: str, speed: int, time: float) -> None:
        self.hook("save place")
        record = self.records[device]
        if time >= record.placed_at:
            record.target, record.placed_at = record.target.at(address, speed), time
            record.bound = after_finding(record.bound, address)

    async def lease_plan(self, line: str) -> LeasePlan:
        mine = [one for one in self.records.values() if one.target.line.id == line]
        if not mine:
            raise NetloomError("There is no such line.")
        leases = {
            key.removeprefix("mac:"): Lease(one.target.address, one.target.name)
            for one in mine
            for key in one.target.keys
            if key.startswith("mac:")
        }
        return LeasePlan(mine[0].target.line, leases)

    async def bind(self, device: str, address: str, time: float) -> None:
        self.hook("bind")
        mine = self.records[device]
        for ident, other in self.records.items():
            if ident != device and address in other.bound and other.target.line.id == mine.target.line.id:
                raise taken(address, other.target.name, device, mine.target.name)
        mine.bound[address] = time

    async def save_secret(self, device: str, path: str, secret: str, *, user: str | None, level: str = "") -> None:
        self.records[device].secrets[path] = secret
        if user is None:
            return
        target = self.records[device].target
        text = target.secrets[secret]
        self.records[device].expected.pop(level, None)
        others = tuple(one for one in target.credentials if one.level != level)
        self.records[device].target = replace(target, credentials=(Credentials(user, text, level), *others))

    async def expect_login(self, device: str, level: str, secret: str) -> None:
        self.hook("expect login")
        record = self.records[device]
        record.expected[level] = [*record.expected.get(level, []), secret] if secret else []

    async def fences(self, device: str) -> Mapping[str, str]:
        self.hook("fence")
        return self.records[device].fences

    async def locks(self, device: str) -> Sequence[Lock]:
        self.hook("locks")
        return self.records[device].locks

    async def forget_login(self, device: str) -> None:
        self.hook("forget login")
        target = self.records[device].target
        factory = self.library.need(target.profile).factory
        login = Credentials(factory.user, factory.password)
        self.records[device].target = replace(target, credentials=(login,))

    async def adopt(self, device: str, values: Mapping[str, Any]) -> None:
        for path, value in values.items():
            put(self.records[device].intended, path, value)

    async def holder(self, device: str, address: str) -> str:
        others = (record for ident, record in self.records.items() if ident != device)
        return next((r.target.name for r in others if address in (r.target.address, *r.bound)), "")

    # Runs

    def begin(
        self, kind: str, steps: Sequence[StepState], params: dict[str, Any] | None = None, by: str = "tester"
    ) -> RunState:
        """Make a run and take its devices, as a server does in one transaction. Raises RequestError when held."""
        held = {step.device for step in steps} & self.leases.keys()
        if held:
            raise RequestError(f"{sorted(held)} are held by another run.")
        ident = f"run{len(self.all_runs) + 1}"
        fresh = [StepState(n, s.device, s.action, s.params) for n, s in enumerate(steps)]
        run = self.all_runs[ident] = RunState(ident, kind, by, params or {}, steps=fresh)
        for step in fresh:
            self.leases[step.device] = ident
        return run

    async def run(self, ident: str) -> RunState:
        kept = self.all_runs[ident]
        return replace(kept, steps=[step.copy() for step in kept.steps], result=copy.deepcopy(kept.result))

    async def unfinished(self) -> list[str]:
        return [run.id for run in self.all_runs.values() if run.state in LIVE]

    async def add_steps(self, run: str, steps: Sequence[StepState]) -> list[StepState]:
        free = [step for step in steps if self.leases.get(step.device, run) == run]
        for ordinal, step in enumerate(free):
            step.ordinal = ordinal
        self.all_runs[run].steps = copy.deepcopy(free)
        for step in free:
            self.leases[step.device] = run
        return free

    async def save_step(self, run: str, step: StepState) -> None:
        self.hook("save step")
        self.all_runs[run].steps[step.ordinal] = step.copy()

    async def save_run(self, run: RunState) -> None:
        self.hook("save run")
        kept = self.all_runs[run.id]
        kept.state, kept.result, kept.message = run.state, copy.deepcopy(run.result), run.message
        if run.state not in LIVE:
            self.leases = {device: holder for device, holder in self.leases.items() if holder != run.id}

    async def cancelled(self, run: str) -> bool:
        return run in self.asked_to_stop

    async def due_sweep(self) -> str:
        return ""

    # Plans

    async def orders(self, run: RunState) -> list[Order]:
        orders = []
        undone = [s.copy() for s in self.all_runs[run.params["run"]].steps] if run.params["kind"] == "undo" else []
        for device in run.params.get("devices") or list(self.records):
            record = self.records[device]
            wanted = copy.deepcopy(record.intended)
            for path, secret in record.secrets.items():
                if get(wanted, path) == secret:
                    remove(wanted, path)  # written already, and no reading would ever show it
            order = Order(device, record.target.name, wanted=wanted, version=record.version)
            done = [s for r in self.all_runs.values() for s in r.steps if s.device == device]
            order = replace(order, recent=tuple(reversed(done)))
            if run.params["kind"] == "undo":
                order = replace(order, steps=tuple(undone), wanted=copy.deepcopy(record.intended))
            elif run.params["kind"] == "restore":
                order = replace(order, wanted=record.baseline or {}, profile=record.target.profile)
            elif run.params["kind"] == "firmware":
                order = replace(order, file=self.files[run.params["file"]])
            orders.append(order)
        return orders

    async def save_plan(self, run: RunState, plan: MadePlan) -> None:
        self.hook("save plan")
        self.all_plans[run.id] = plan

    # Proofs

    async def save_backup(self, device: str, run: str, by: str, *, baseline: bool) -> str:
        self.hook("save backup")
        if (device, run, baseline) not in self.backups:
            self.backups.append((device, run, baseline))
        return f"backup-{self.backups.index((device, run, baseline)) + 1}"

    async def evidence(self, devices: Sequence[str]) -> Mapping[str, Evidence]:
        return {
            device: Evidence(
                record.target.name,
                self.library.get(record.target.profile),
                record.baseline,
                record.documents.get("running", {}),
                record.documents.get("startup", {}),
                record.lost,
                record.unreadable,
                record.read_at,
            )
            for device in devices
            if (record := self.records.get(device)) is not None
        }

    async def save_proof(self, device: str, proof: Proof) -> None:
        self.records[device].proof = proof

    # Sweeps: nobody sweeps in memory

    async def direct(self, run: RunState) -> SweepWork:
        return SweepWork()

    async def behind(self, run: RunState, swept: Sequence[str]) -> SweepWork:
        return SweepWork()

    async def narrow(self, line: str) -> SweepWork:
        return SweepWork()

    async def record(self, run: RunState, lines: Sequence[str], result: Any) -> list[dict[str, Any]]:
        return []

    async def cases(self, run: RunState, swept: Sequence[str], result: Any) -> list[Any]:
        return []

    async def record_missing(self, run: RunState, absents: Sequence[Any]) -> list[dict[str, Any]]:
        return []

    async def readable(self, run: RunState) -> list[str]:
        return []

    async def lines_by_name(self) -> dict[str, str]:
        return {}
