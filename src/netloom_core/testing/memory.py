"""A device, its drivers and a host in memory, for tests that need no wire.

The device keeps values like a real one: running values go at a power cut unless they
were stored, staged ones work after a restart. Its troubles are plain attributes.
"""

from __future__ import annotations

import copy
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from netloom_core.errors import NoAnswer, Refused
from netloom_core.model.change import Change
from netloom_core.model.device import Identity, Target
from netloom_core.model.work import JournalEntry, RunState, StepState
from netloom_core.plan.documents import Document, put
from netloom_core.profiles.schema import Profile


@dataclass
class MemoryDevice:
    profile: Profile
    address: str
    running: Document
    identity: Identity
    startup: Document = field(default_factory=dict)
    staged: Document = field(default_factory=dict)
    silent: bool = False
    lies_about: str = ""
    refuses: bool = False
    silent_after_write: bool = False
    half_of_write: bool = False
    comes_up_at: str = ""  # where it is after a change of address, if not where it was told
    stores: bool = True
    log: list[str] = field(default_factory=list)
    points: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.startup = self.startup or copy.deepcopy(self.running)
        self.points = {point.id: point.states[0] for point in self.profile.by_point.values()}


class MemoryDriver:
    def __init__(self, target: Target, device: MemoryDevice | None) -> None:
        self.target = target
        self._device = device

    def _there(self, what: str) -> MemoryDevice:
        device = self._device
        if device is None or device.silent or device.address != self.target.address:
            raise NoAnswer(f"{self.target.address} does not answer.", outcome="not_sent")
        device.log.append(what)
        return device

    async def identify(self) -> Identity:
        return self._there("identify").identity

    async def read(self, which: str) -> Document:
        device = self._there(f"read {which}")
        return copy.deepcopy(device.startup if which == "startup" else device.running)

    async def write(self, changes: Sequence[Change]) -> None:
        device = self._there("write")
        if device.refuses:
            raise Refused("It said no.")
        taken = changes[: len(changes) // 2] if device.half_of_write else changes
        for change in taken:
            if change.path != device.lies_about:
                put(device.running, change.path, change.after)
        if device.silent_after_write:
            device.silent = True
            raise NoAnswer("It fell silent.")

    async def store(self) -> None:
        device = self._there("store")
        if device.stores:
            device.startup = copy.deepcopy(device.running)

    async def restart(self) -> None:
        self._there("restart")

    async def readdress(self, changes: Sequence[Change]) -> None:
        device = self._there("readdress")
        for change in changes:
            put(device.startup, change.path, change.after)
            if device.comes_up_at == device.address:
                continue
            put(device.running, change.path, change.after)
            if device.profile.by_path[change.path].role == "address":
                device.address = device.comes_up_at or str(change.after)

    async def states(self) -> dict[str, str]:
        return dict(self._there("states").points)

    async def drive(self, point: str, state: str) -> None:
        device = self._there(f"drive {point}")
        if not device.refuses:
            device.points[point] = state

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        yield await self.states()

    async def close(self) -> None:
        return None


class MemoryDrivers:
    """Opens drivers to whichever device is at the target's address."""

    def __init__(self, devices: list[MemoryDevice]) -> None:
        self.devices = devices

    async def open(self, target: Target) -> MemoryDriver:
        found = next((d for d in self.devices if d.address == target.address), None)
        return MemoryDriver(target, found)


class MemoryHost:
    """Records in memory, in the order they were made: `events` interleaves all of them."""

    def __init__(self, targets: list[Target]) -> None:
        self.targets = {target.device: target for target in targets}
        self.documents: dict[str, dict[str, Document]] = {}
        self.entries: list[JournalEntry] = []
        self.steps: dict[int, str] = {}
        self.events: list[str] = []
        self.backups: list[tuple[str, bool]] = []
        self.cancel_when: Callable[[], bool] = lambda: False

    async def prepare(self, devices: Sequence[str]) -> None:
        assert set(devices) <= self.targets.keys()

    async def target(self, device: str) -> Target:
        return self.targets[device]

    async def save_documents(self, device: str, documents: Mapping[str, Document]) -> None:
        self.documents.setdefault(device, {}).update(copy.deepcopy(dict(documents)))

    async def save_identity(self, device: str, identity: Identity) -> None:
        self.events.append("identity")

    async def save_place(self, device: str, address: str, speed: int) -> None:
        self.targets[device] = replace(self.targets[device], address=address, speed=speed)

    async def save_step(self, run: str, step: StepState) -> None:
        self.steps[step.ordinal] = step.state
        self.events.append(f"step {step.ordinal} {step.state}")

    async def save_run(self, run: RunState) -> None:
        self.events.append(f"run {run.state}")

    async def cancelled(self, run: str) -> bool:
        return self.cancel_when()

    async def journal(self, entry: JournalEntry) -> None:
        self.entries.append(entry)
        self.events.append(f"journal {entry.kind} {entry.outcome}".strip())

    async def save_backup(self, device: str, run: str, *, baseline: bool) -> str:
        self.backups.append((device, baseline))
        return f"backup-{len(self.backups)}"


def outcome_of(entries: Sequence[JournalEntry]) -> list[tuple[str, str, dict[str, Any]]]:
    """Kind, outcome and the first change of each entry; what most tests look at."""
    return [(entry.kind, entry.outcome, entry.changes[0] if entry.changes else {}) for entry in entries]
