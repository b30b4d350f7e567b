"""The engine's three windows: what it needs of the place it runs in, and nothing else of it.

Every method may raise StoreTrouble when the records cannot be had or written just now.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from netloom_core.absence.case import Case
from netloom_core.absence.explain import Absent
from netloom_core.backup.verify import Evidence, Proof
from netloom_core.documents.tree import ALL_READ, Document
from netloom_core.errors import NetloomError
from netloom_core.leases.giving import LeasePlan
from netloom_core.live.edges import Edge
from netloom_core.model.access import Access
from netloom_core.model.device import Identity, Target
from netloom_core.model.image import Image
from netloom_core.model.line import Line
from netloom_core.model.lock import Lock
from netloom_core.model.work import JournalEntry, RunState, StepState
from netloom_core.plan.subject import Remark
from netloom_core.sweep.finding import Known
from netloom_core.sweep.sweep import SweepResult


class EventSink(Protocol):
    def put(self, kind: str, data: dict[str, Any], *, latest: str = "") -> None:
        """Tell soon. Of events with the same `latest` key the last one is enough. Never waits, never fails."""
        ...


class Journal(Protocol):
    async def append(self, entry: JournalEntry) -> None:
        """Return only when it would outlive this process and a power cut of this computer.

        Appending the outcome of an intent that has one already does nothing.
        """
        ...

    async def open_intents(self, run: str | None = None) -> list[JournalEntry]:
        """Intents without an outcome, of one run or of all."""
        ...


@dataclass(frozen=True)
class Order:
    """One device to be planned. `refused` says why it cannot be; `wanted` is what it is to have.

    `profile` is the one that `wanted` was recorded with, `steps` those of the run to take back. `places` is what is
    wrong with the place that it is to have, told where the plan touches that. `fed` is by what it has its power:
    `device`, `name`, `point`, `label`. `file` is the firmware that is to be loaded (plan/loading.py). `recent` are its
    latest steps of other runs, newest first, where values of its model may wait for a store.
    """

    device: str
    name: str
    refused: str = ""
    wanted: Document = field(default_factory=dict)
    profile: str = ""
    steps: tuple[StepState, ...] = ()
    version: int = 0
    places: tuple[str, ...] = ()
    fed: Mapping[str, str] = field(default_factory=dict)
    file: Mapping[str, Any] = field(default_factory=dict)
    recent: tuple[StepState, ...] = ()


@dataclass
class MadePlan:
    """Steps of all devices in order. `read` are names by id of those that could be read, `versions` the
    decisions that it was made on."""

    steps: list[StepState]
    remarks: list[dict[str, str]]
    read: dict[str, str]
    versions: dict[str, int]
    digest: str


@dataclass
class SweepWork:
    """What one stage of a sweep looks along. `troubles` are of lines that cannot be used at all.

    `common` are keys that name nobody in this installation, with the reason.
    """

    lines: list[Line] = field(default_factory=list)
    known: list[Known] = field(default_factory=list)
    access: dict[str, Access] = field(default_factory=dict)
    parents: dict[str, Target] = field(default_factory=dict)
    troubles: list[dict[str, str]] = field(default_factory=list)
    unusable: list[str] = field(default_factory=list)
    common: dict[str, str] = field(default_factory=dict)


class DeviceStore(Protocol):
    async def targets(self, devices: Iterable[str]) -> Mapping[str, Target | NetloomError]: ...

    async def save_reading(
        self,
        device: str,
        documents: Mapping[str, Document],
        identity: Identity | None,
        time: float,
        unreadable: Mapping[str, str] = ALL_READ,
    ) -> None:
        """What a device was just read to have, asked for at `time`. Older knowledge never replaces newer.

        A set that was not asked for is missing, and stays as it was known; one of which it told nothing is empty, and
        is not known any more. `unreadable` are values that came and could not be understood, by path, with the reason.
        """
        ...

    async def save_trouble(self, device: str, message: str) -> None: ...

    async def save_place(self, device: str, address: str, speed: int, time: float) -> None: ...

    async def lease_plan(self, line: str) -> LeasePlan:
        """Who is to have which address on a line, by the MAC addresses that are known. Raises where there is none."""
        ...

    async def bind(self, device: str, address: str, time: float) -> None:
        """Check and note in one: see addressing/bound.py. Raises AddressTaken."""
        ...

    async def save_secret(self, device: str, path: str, secret: str, *, user: str | None, level: str = "") -> None: ...

    async def forget_login(self, device: str) -> None:
        """The device was set back: its factory's login is what lets in, and the one on record does not any more."""
        ...

    async def adopt(self, device: str, values: Mapping[str, Any]) -> None:
        """A restore or an undo is a decision, too: what it wrote is now intended."""
        ...

    async def expect_login(self, device: str, level: str, secret: str) -> None: ...

    async def fences(self, device: str) -> Mapping[str, str]:
        """Why what of it may not be driven now, in words: by point, each by its short name and by its path, and by ""
        for the whole device."""
        ...

    async def locks(self, device: str) -> Sequence[Lock]:
        """What of it nobody changes from here."""
        ...

    async def holder(self, device: str, address: str) -> str:
        """The name of another one that has, is planned to have, or may go to that address on the device's line."""
        ...


class RunStore(Protocol):
    async def run(self, ident: str) -> RunState: ...

    async def unfinished(self) -> list[str]: ...

    async def add_steps(self, run: str, steps: Sequence[StepState]) -> list[StepState]:
        """Steps that a run found for itself. Those of devices that another run holds are not added."""
        ...

    async def save_step(self, run: str, step: StepState) -> None: ...

    async def save_run(self, run: RunState) -> None:
        """A settled run gives its devices free."""
        ...

    async def cancelled(self, run: str) -> bool: ...

    async def due_sweep(self) -> str:
        """The id of a new run when watch mode says that it is time; else nothing."""
        ...


class PlanStore(Protocol):
    async def orders(self, run: RunState) -> list[Order]: ...

    async def save_plan(self, run: RunState, plan: MadePlan) -> None: ...


class ProofStore(Protocol):
    async def save_backup(self, device: str, run: str, by: str, *, baseline: bool) -> str: ...

    async def evidence(self, devices: Sequence[str]) -> Mapping[str, Evidence]: ...

    async def save_proof(self, device: str, proof: Proof) -> None: ...


class FirmwareStore(Protocol):
    async def image(self, file: str) -> Image:
        """A file that is kept. Raises NetloomError where there is none of that id, or its bytes are gone."""
        ...

    async def became(self, device: str, profile: str) -> None:
        """Its application makes another model of it; what was decided for the former one is kept aside."""
        ...

    async def save_firmware(self, device: str, identity: Identity | None, time: float) -> None:
        """What it says of itself now, without its values; None where nobody knows any more which version it has. What
        was read of it later stays."""
        ...


class SweepStore(Protocol):
    async def direct(self, run: RunState) -> SweepWork:
        """Lines that this computer is on."""
        ...

    async def behind(self, run: RunState, swept: Sequence[str]) -> SweepWork:
        """Buses behind devices: of all lines that were swept, or those that were asked for."""
        ...

    async def narrow(self, line: str) -> SweepWork: ...

    async def record(self, run: RunState, lines: Sequence[str], result: SweepResult) -> list[dict[str, Any]]:
        """Put findings on record; gives them as a run shows them."""
        ...

    async def cases(self, run: RunState, swept: Sequence[str], result: SweepResult) -> list[Case]:
        """Those of the installation that were not seen."""
        ...

    async def record_missing(self, run: RunState, absents: Sequence[Absent]) -> list[dict[str, Any]]: ...

    async def readable(self, run: RunState) -> list[str]:
        """Devices that were found and can be read now."""
        ...

    async def lines_by_name(self) -> dict[str, str]: ...


class PointStore(Protocol):
    async def monitored(self) -> Mapping[str, Sequence[str]]:
        """The points that people want recorded, by device."""
        ...

    async def save_edges(self, edges: Sequence[Edge]) -> None: ...


class Store(Protocol):
    """All records, by what they are about."""

    @property
    def points(self) -> PointStore: ...

    @property
    def devices(self) -> DeviceStore: ...

    @property
    def runs(self) -> RunStore: ...

    @property
    def plans(self) -> PlanStore: ...

    @property
    def proofs(self) -> ProofStore: ...

    @property
    def sweeps(self) -> SweepStore: ...

    @property
    def firmware(self) -> FirmwareStore: ...


def remark_as_dict(device: str, name: str, remark: Remark) -> dict[str, str]:
    return {"device": device, "name": name, "code": remark.code, "message": remark.message}
